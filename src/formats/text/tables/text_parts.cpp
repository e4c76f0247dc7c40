// text_parts.cpp: which columns and rows of a text table belong together: parts by filled rows and by names
// in the rows, rows that run backwards, columns that only count; see text_columns.h.
#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <set>

#include "base/text.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// Which rows a column is filled in: each `every`-th, from `phase` on; every 0: in no such order.
struct Filling {
  std::size_t every = 0, phase = 0;
  auto operator<=>(const Filling&) const = default;
};

/// Of each of these columns.
std::vector<Filling> fillings_of(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                                 std::size_t last, const std::vector<std::size_t>& columns) {
  std::span<const std::string_view> cells;
  std::vector<std::vector<std::size_t>> filled(columns.size());
  double value = 0;
  std::size_t row = 0;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    cells = lines[i].cells(layout.delimiter);
    for (std::size_t k = 0; k < columns.size(); ++k)
      if (layout.cells[columns[k]] < cells.size() &&
          parse_any_cell(cells[layout.cells[columns[k]]], layout.decimal, value))
        filled[k].push_back(row);
    ++row;
  }
  std::vector<Filling> out;
  for (const std::vector<std::size_t>& rows : filled) {
    out.emplace_back();
    if (rows.size() < 3) continue;
    const Filling found{rows[1] - rows[0], rows[0]};
    bool even = true;
    for (std::size_t k = 1; k < rows.size(); ++k) even = even && rows[k] - rows[k - 1] == found.every;
    // None may be missing at an end.
    if (even && found.every >= 2 && found.phase < found.every && row - rows.back() <= found.every)
      out.back() = found;
  }
  return out;
}

}  // namespace

void part_by_filling(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                     std::size_t last_row, const ReadSettings& settings, const std::string& file) {
  if (layout.sparse.empty() || settings.missing != ReadSettings::Missing::error || !settings.columns.empty())
    return;
  std::vector<std::size_t> dense;
  std::map<Filling, std::vector<std::size_t>> groups;
  std::vector<std::size_t> sparse;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    if (layout.time == c) continue;
    const bool is_sparse = std::binary_search(layout.sparse.begin(), layout.sparse.end(), layout.cells[c]);
    (is_sparse ? sparse : dense).push_back(c);
  }
  const std::vector<Filling> fillings = fillings_of(layout, lines, first_row, last_row, sparse);
  for (std::size_t k = 0; k < sparse.size(); ++k) {
    if (fillings[k].every > 0)
      groups[fillings[k]].push_back(sparse[k]);
    else
      dense.push_back(sparse[k]);
  }
  std::sort(dense.begin(), dense.end());
  if (groups.empty() || (dense.empty() && groups.size() < 2)) return;
  std::vector<std::pair<Filling, std::vector<std::size_t>>> all;
  if (!dense.empty()) all.emplace_back(Filling{1, 0}, dense);
  all.insert(all.end(), groups.begin(), groups.end());
  std::vector<std::string> others;
  for (const auto& [filling, columns] : all) {
    layout.parts.push_back(
        {column_name(layout, columns.front()),
         std::to_string(columns.size()) + (columns.size() == 1 ? " channel" : " channels") +
             (filling.every == 1 ? ", filled in every row"
                                 : ", filled in one row of " + std::to_string(filling.every))});
    if (filling.every > 1) others.push_back(column_name(layout, columns.front()));
  }
  layout.part = choose_part(file, layout.parts, settings, 0);
  auto [filling, kept] = all[layout.part];
  layout.every = filling.every, layout.skipped_first = filling.phase;
  if (layout.time) kept.insert(kept.begin(), *layout.time);
  std::sort(kept.begin(), kept.end());
  if (settings.part.empty())
    layout.cautions.push_back({"slow-channels", Severity::note, "",
                               quoted_names(others) + " stand" + (groups.size() == 1 ? "s" : "") +
                                   " in some rows only: a part with a rate of its own",
                               "choose it with --part; --missing interpolate fills the other rows"});
  keep_columns(layout, kept);
}

namespace {

/// The rows' times, as they stand: NaN where a row has none.
double time_of_row(const TextLayout& layout, std::optional<std::size_t> column,
                   std::span<const std::string_view> cells) {
  double value = 0;
  if (column && layout.cells[*column] < cells.size() &&
      parse_any_cell(cells[layout.cells[*column]], layout.decimal, value))
    return value;
  if (layout.clock)
    if (const auto at = clock_of_row(layout, cells)) return seconds_between(layout.clock->first_ns, *at);
  return std::nan("");
}

/// Of the words in one cell of all rows: how often each stands there, and whether the times of each rise.
struct Tags {
  std::vector<std::string> names;                              ///< By first appearance.
  std::map<std::string, std::pair<std::size_t, double>> rows;  ///< How many, and the last time.
  bool rises = true;
};

/// A column of units beside the tags: the one that all rows of this tag share is its channel's, where it has
/// but one. The column's cell.
std::optional<std::size_t> take_tag_unit(TextLayout& layout, std::span<const TextLine> rows,
                                         std::span<const std::string_view> titles) {
  std::optional<std::size_t> column;
  for (std::size_t c = 0; c < titles.size() && !column; ++c)
    if (const std::string title = lower_case(unquoted_cell(titles[c]));
        title == "unit" || title == "units" || title == "einheit")
      column = c;
  if (!column) return {};
  std::span<const std::string_view> cells;
  std::set<std::string> units;
  for (const TextLine& row : rows) {
    cells = row.cells(layout.delimiter);
    if (*layout.tag_cell < cells.size() && *column < cells.size() &&
        unquoted_cell(cells[*layout.tag_cell]) == layout.tag)
      units.insert(unquoted_cell(cells[*column]));
  }
  // The value is what stands right before its unit.
  const auto unit = units.size() == 1 ? Unit::try_parse(*units.begin()) : std::nullopt;
  for (std::size_t c = 0; c < layout.columns.size() && unit; ++c)
    if (layout.time != c && layout.cells[c] + 1 == *column &&
        (layout.columns[c].unit.text() == "1" || !layout.unit_of_cell.contains(layout.cells[c]))) {
      layout.columns[c].unit = *unit, layout.columns[c].quantity = quantity_of(*unit);
      return column;
    }
  return {};
}

bool names_channels(const std::string& title) {
  const std::string low = lower_case(title);
  for (const char* word : {"signal", "channel", "sensor", "variable", "parameter", "tag", "name",
                           "signal name", "channel name", "sensor name", "sensor id", "quantity", "kanal",
                           "measurement", "varname", "var name", "entity_id", "_field"})
    if (low == word) return true;
  return false;
}

/// Columns that have nothing in the rows of the chosen name: those of others are wider.
std::vector<std::size_t> never_filled(const TextLayout& layout, std::span<const TextLine> rows) {
  std::vector<bool> filled(layout.columns.size(), false);
  std::span<const std::string_view> cells;
  for (const TextLine& row : rows) {
    cells = row.cells(layout.delimiter);
    if (*layout.tag_cell >= cells.size() || unquoted_cell(cells[*layout.tag_cell]) != layout.tag) continue;
    for (std::size_t c = 0; c < filled.size(); ++c)
      filled[c] = filled[c] || (layout.cells[c] < cells.size() && !trimmed(cells[layout.cells[c]]).empty());
  }
  std::vector<std::size_t> out;
  for (std::size_t c = 0; c < filled.size(); ++c)
    if (!filled[c] && layout.time != c) out.push_back(c);
  return out;
}

}  // namespace

void part_by_tags(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                  std::size_t last_row, const ReadSettings& settings, const std::string& file) {
  constexpr std::size_t most_tags = 256;
  // Times that fall again and again have not been taken for such.
  std::optional<std::size_t> column = layout.time;
  for (std::size_t c = 0; c < layout.columns.size() && !column && !layout.clock; ++c)
    if (is_axis_column(layout, c)) column = c;
  if ((!column && !layout.clock) || layout.columns.size() + (layout.clock ? 1 : 0) < 2 ||
      layout.delimiter == ' ' || layout.delimiter == '(')
    return;
  std::span<const std::string_view> cells;
  std::map<std::size_t, Tags> by_cell;
  std::size_t rows = 0, stalls = 0;
  double before = -1e300, value = 0;
  for (std::size_t i = first_row; i <= last_row; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    cells = lines[i].cells(layout.delimiter);
    const double time = time_of_row(layout, column, cells);
    stalls += time > before ? 0 : 1;
    before = time;
    ++rows;
    for (std::size_t c = 0; c < std::min<std::size_t>(cells.size(), 64); ++c) {
      if (std::binary_search(layout.cells.begin(), layout.cells.end(), c) ||
          (layout.clock && layout.clock->has(c)))
        continue;
      const std::string word = unquoted_cell(cells[c]);
      if (word.empty() || parse_any_cell(word, layout.decimal, value)) continue;
      Tags& tags = by_cell[c];
      if (tags.names.size() > most_tags) continue;
      const auto [at, fresh] = tags.rows.try_emplace(word, 0, -1e300);
      if (fresh) tags.names.push_back(word);
      tags.rises = tags.rises && time > at->second.second;
      ++at->second.first, at->second.second = time;
    }
  }
  // Times that stand still or fall in every few rows, but rise for each name by itself; or the title says
  // that names of channels stand there.
  std::vector<std::string_view> titles;
  split_cells(layout.title_line, layout.delimiter, titles);
  if (layout.dialect && !layout.dialect->keys.empty())
    titles.assign(layout.dialect->keys.begin(), layout.dialect->keys.end());
  // One name in all rows is that of the value: "VarName" over "Pressure".
  for (const auto& [cell, tags] : by_cell) {
    if (tags.names.size() != 1 || cell >= titles.size() || tags.rows.begin()->second.first != rows ||
        !names_channels(unquoted_cell(titles[cell])))
      continue;
    for (std::size_t c = 0; c < layout.columns.size(); ++c) {
      const std::string name = lower_case(layout.columns[c].name);
      if (layout.time != c && (name == "value" || name == "varvalue" || name == "state" || name == "_value"))
        layout.columns[c].name = tags.names[0];
    }
  }
  for (const auto& [cell, tags] : by_cell) {
    if (5 * stalls < rows && !(cell < titles.size() && names_channels(unquoted_cell(titles[cell])))) continue;
    std::size_t all = 0;
    for (const auto& [name, seen] : tags.rows) all += seen.first;
    if (!tags.rises || all != rows || tags.names.size() < 2 || tags.names.size() > most_tags ||
        3 * tags.names.size() > all)
      continue;
    for (const std::string& name : tags.names) layout.parts.push_back({name, "rows that are named so"});
    layout.part = choose_part(file, layout.parts, settings, 0);
    layout.tag_cell = cell, layout.tag = tags.names[layout.part];
    if (column && !layout.time) take_axis_column(layout, *column);
    leave_out_columns(layout, never_filled(layout, lines.subspan(first_row, last_row - first_row + 1)));
    std::vector<std::size_t> channels;
    for (std::size_t c = 0; c < layout.columns.size(); ++c)
      if (layout.time != c) channels.push_back(c);
    for (const std::size_t c : channels)
      layout.columns[c].name = channels.size() == 1 ? layout.tag : layout.tag + " " + column_name(layout, c);
    if (settings.part.empty())
      layout.cautions.push_back({"rows-named", Severity::note, "",
                                 "each row names its channel, " + std::to_string(tags.names.size()) +
                                     " in all: each is a part; \"" + layout.tag + "\" is taken",
                                 "choose another with --part; inspect lists them"});
    const auto beside = take_tag_unit(layout, lines.subspan(first_row, last_row - first_row + 1), titles);
    // Each name's rows have a unit of their own.
    if (beside)
      std::erase_if(layout.cautions,
                    [](const Caution& c) { return c.code == "units-mixed" || c.code == "units-converted"; });
    // Titles of what has been understood now.
    for (const std::optional<std::size_t> taken : {std::optional(cell), beside})
      if (taken && *taken < titles.size()) {
        const std::string said = "the column \"" + unquoted_cell(titles[*taken]) + "\"";
        std::erase_if(layout.cautions, [&](const Caution& c) {
          return c.code == "column-left-out" && starts_with(c.text, said);
        });
      }
    return;
  }
}

bool runs_backwards(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last) {
  if (!layout.has_axis()) return false;
  std::span<const std::string_view> cells;
  std::vector<double> times;
  for (std::size_t i = first; i <= last; ++i) {
    cells = lines[i].cells(layout.delimiter);
    const double time = time_of_row(layout, layout.time, cells);
    if (!std::isnan(time)) times.push_back(time);
  }
  // At a midnight, times of day jump back as well: but once.
  if (times.size() < 5) return false;
  std::size_t falls = 0, rises = 0;
  for (std::size_t k = 1; k < times.size(); ++k)
    falls += times[k]<times[k - 1], rises += times[k]> times[k - 1];
  return rises == 0 && 10 * falls >= 9 * (times.size() - 1);
}

namespace {

/// Five rows at least that step by one.
bool column_counts(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                   std::size_t last, std::size_t column) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  return numbers.size() >= 5 && counts_by_one(numbers);
}

/// "Frame" and "Sub Frame": the second counts from 0 on within each of the first, which goes on by one.
bool counts_in_frames(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, std::size_t column) {
  if (column + 2 >= layout.columns.size() || lower_case(layout.columns[column].name) != "frame") return false;
  const std::string name = lower_case(layout.columns[column + 1].name);
  if (name != "sub frame" && name != "subframe" && name != "sub_frame") return false;
  const std::vector<double> frames = numbers_of_column(layout, lines, first, last, column),
                            within = numbers_of_column(layout, lines, first, last, column + 1);
  if (frames.size() < 3 || frames.size() != within.size()) return false;
  for (std::size_t n = 1; n < frames.size(); ++n) {
    const bool on = frames[n] == frames[n - 1] && within[n] == within[n - 1] + 1,
               next = frames[n] == frames[n - 1] + 1 && within[n] == 0;
    if (!on && !next) return false;
  }
  return true;
}

/// From 0 or 1 on, for sixteen rows at least.
bool counts_from_the_start(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                           std::size_t last) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, 0);
  return numbers.size() >= 16 && (numbers[0] == 0 || numbers[0] == 1);
}

}  // namespace

void leave_out_counts(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last) {
  // Beside a channel and, where it has no title, beside titles and times.
  const std::size_t others = layout.columns.size() - (layout.time ? 1 : 0);
  const bool titled = std::any_of(layout.columns.begin(), layout.columns.end(),
                                  [](const Channel& c) { return !c.name.empty(); });
  for (std::size_t c = 0; c < layout.columns.size() && others > 1; ++c) {
    if (layout.time == c) continue;
    if (counts_in_frames(layout, lines, first, last, c)) {
      layout.cautions.push_back({"axis-counts", Severity::note, "",
                                 "the columns \"" + column_name(layout, c) + "\" and \"" +
                                     column_name(layout, c + 1) + "\" count samples; they are left out",
                                 "take them as channels with --columns if they are"});
      leave_out_columns(layout, {c, c + 1});
      return;
    }
    const bool called = is_count_column(layout, lines, first, last, c);
    const bool lead = c == 0 && layout.has_axis() && column_counts(layout, lines, first, last, c);
    const bool untitled = lead && layout.columns[c].name.empty() && (titled || layout.time == 1);
    // In front of a clock, whatever its title: each row's own number.
    const bool numbered = lead && layout.clock && layout.cells[0] < layout.clock->cell &&
                          layout.columns[c].unit.text() == "1" &&
                          counts_from_the_start(layout, lines, first, last);
    if (!called && !untitled && !numbered) continue;
    layout.cautions.push_back({"axis-counts", Severity::note, "",
                               "the column \"" + column_name(layout, c) + "\" counts samples; it is left out",
                               "take it as a channel with --columns if it is one"});
    leave_out_columns(layout, {c});
    return;
  }
}

}  // namespace vprism
