// text_evidence.cpp: see text_evidence.h.
#include "formats/text_evidence.h"

#include <algorithm>

#include "base/text.h"
#include "formats/loose_cell.h"
#include "formats/text_preamble.h"

namespace vprism {

void find_further_cells(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last) {
  std::vector<std::string_view> cells;
  std::vector<std::size_t> numbers, empties, loose, beside_text;  // The last: a setting and its value.
  std::vector<std::string> others;
  double value = 0;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    split_cells(lines[i].text, layout.delimiter, cells);
    if (cells.size() > numbers.size())
      numbers.resize(cells.size(), 0), empties.resize(cells.size(), 0), loose.resize(cells.size(), 0),
          beside_text.resize(cells.size(), 0), others.resize(cells.size());
    bool text_before = false;
    for (std::size_t c = 0; c < cells.size(); ++c) {
      const bool after_text = text_before;
      const std::string_view bare = trimmed(cells[c]);
      text_before = !bare.empty() && (bare[0] | 32) >= 'a' && (bare[0] | 32) <= 'z' &&
                    !parse_any_cell(cells[c], layout.decimal, value) && !is_missing_word(cells[c]) &&
                    !is_over_range(cells[c]);
      if (after_text && !text_before && !bare.empty()) ++beside_text[c];
      if (parse_cell(cells[c], layout.decimal, value))
        ++numbers[c];
      else if (parse_loose(cells[c], layout.decimal))
        ++numbers[c], ++loose[c];
      else if (is_missing_word(cells[c]) || is_over_range(cells[c]))
        ++empties[c];
      else if (others[c].empty())
        others[c] = unquoted_cell(cells[c]);
    }
  }
  const std::size_t rows = last - first + 1;
  std::vector<std::size_t> all;
  for (std::size_t c = 0; c < numbers.size(); ++c) {
    const bool taken = std::binary_search(layout.cells.begin(), layout.cells.end(), c);
    if (!taken && (rows < 20 || beside_text[c] > 0 || numbers[c] < 3 ||
                   10 * (numbers[c] + empties[c]) < 9 * rows || !others[c].empty()))
      continue;
    all.push_back(c);
    if (loose[c] > 0) layout.loose.push_back(c);
    if ((rows >= 20 && 5 * empties[c] > rows) || (!taken && empties[c] > 0)) layout.sparse.push_back(c);
  }
  if (layout.delimiter != ' ' && layout.delimiter != '(') layout.cells = std::move(all);
}

void name_vectors(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < first; ++i) {
    std::string_view text = trimmed(lines[i].text);
    if (text.empty() || text[0] != '#' || text.back() != ')') continue;
    text = trimmed(text.substr(1, text.find('(') - 1));
    if (!text.empty()) names.push_back(clean_text(text));
  }
  const std::string_view row = lines[first].text;
  std::size_t cell = 0, vector = 0, part = 0;
  bool inside = false, number = false;
  std::vector<std::pair<std::size_t, std::size_t>> places;  // Vector from 1, component; 0: none.
  for (std::size_t i = 0; i <= row.size(); ++i) {
    const char c = i < row.size() ? row[i] : ' ';
    const bool apart = c == ' ' || c == '\t' || c == '(' || c == ')' || c == ',';
    if (!apart && !number) {
      places.emplace_back(inside ? vector : 0, part);
      if (inside) ++part;
      ++cell;
    }
    number = !apart;
    if (c == '(') inside = true, ++vector, part = 0;
    if (c == ')') inside = false;
  }
  for (std::size_t c = 0; c < layout.cells.size(); ++c) {
    if (layout.cells[c] >= places.size()) continue;
    const auto [v, component] = places[layout.cells[c]];
    if (v == 0) {
      if (layout.columns[c].name.empty() && c == 0) layout.columns[c].name = "time";
      continue;
    }
    const std::string base =
        v <= names.size() && names.size() == vector ? names[v - 1] : "vector " + std::to_string(v);
    layout.columns[c].name =
        base + " " + (component < 3 ? std::string(1, "xyz"[component]) : std::to_string(component + 1));
  }
}

void take_cell_units(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                     std::size_t last) {
  std::vector<std::string_view> cells;
  for (std::size_t c = 0; c < layout.cells.size(); ++c) {
    if (!std::binary_search(layout.loose.begin(), layout.loose.end(), layout.cells[c])) continue;
    std::optional<std::string> unit;
    bool one = true;
    for (std::size_t i = first; i <= last; ++i) {
      split_cells(lines[i].text, layout.delimiter, cells);
      if (layout.cells[c] >= cells.size()) continue;
      const auto number = parse_loose(cells[layout.cells[c]], layout.decimal);
      if (!number) continue;
      one = one && (!unit || *unit == number->unit);
      if (!unit) unit = number->unit;
    }
    if (!unit || unit->empty()) continue;
    Channel& column = layout.columns[c];
    if (!one)
      layout.cautions.push_back(
          {"units-mixed", Severity::warning, column.name,
           "its cells carry different units, the first " + *unit + ": numbers are taken as they stand",
           "export it in one unit"});
    else if (column.unit.text() == "1")
      column.unit = Unit::parse(*unit), column.quantity = quantity_of(column.unit);
  }
}

void report_left_out(TextLayout& layout, std::span<const TextLine> lines, std::size_t first) {
  if (layout.delimiter == ' ' || layout.delimiter == '(' || first == 0) return;
  std::vector<std::string_view> row, titles;
  split_cells(lines[first].text, layout.delimiter, row);
  std::size_t above = first;
  while (above > 0 && trimmed(lines[above - 1].text).empty()) --above;
  if (above == 0) return;
  split_cells(lines[above - 1].text, layout.delimiter, titles);
  if (titles.size() < row.size()) return;
  for (std::size_t c = 0; c < row.size(); ++c) {
    const bool clock =
        layout.clock && (c == layout.clock->cell || (layout.clock->two_cells && c == layout.clock->cell + 1));
    const std::string cell = unquoted_cell(row[c]), title = unquoted_cell(titles[c]);
    double value = 0;
    if (clock || cell.empty() || title.empty() || parse_any_cell(title, layout.decimal, value) ||
        std::binary_search(layout.cells.begin(), layout.cells.end(), c))
      continue;
    layout.cautions.push_back({"column-left-out", Severity::note, "",
                               "the column \"" + title + "\" holds no numbers (first: \"" +
                                   clean_text(cell, 40) + "\") and is left out",
                               "export it as numbers if it is a channel"});
  }
}

namespace {

/// A key as it is meant, whatever its spelling: "Vertical_Units" is "verticalunits".
std::string plain_key(std::string_view key) {
  std::string out;
  for (const char c : lower_case(key))
    if (c != ' ' && c != '_' && c != '-' && c != '.') out += c;
  return out;
}

void take_unit(Channel& channel, std::string_view text) {
  text = trimmed(text);
  if (channel.unit.text() != "1" || text.empty()) return;
  if (const auto unit = Unit::try_parse(text))
    channel.unit = *unit, channel.quantity = quantity_of(*unit);
  else if (text.size() <= 12)
    channel.unit = Unit::opaque(text);
}

}  // namespace

void take_settings(TextLayout& layout) {
  std::vector<std::size_t> channels;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (layout.time != c) channels.push_back(c);
  for (const auto& [key, text] : layout.notes) {
    const std::string name = plain_key(key);
    const std::string_view value = trimmed(text);
    if (name == "fieldunit" || name == "fieldunits") {
      // One for each cell of a row.
      std::vector<std::string_view> units;
      split_cells(value, value.find(',') != std::string_view::npos ? ',' : layout.delimiter, units);
      for (std::size_t c = 0; c < layout.columns.size(); ++c)
        if (layout.time != c && layout.cells[c] < units.size())
          take_unit(layout.columns[c], units[layout.cells[c]]);
      continue;
    }
    if (channels.size() != 1 || value.empty() || value.size() > 40) continue;
    Channel& channel = layout.columns[channels[0]];
    static constexpr std::string_view unit_keys[] = {"verticalunits", "verticalunit", "yunit", "yunits",
                                                     "vunit",         "unit",         "units"};
    static constexpr std::string_view name_keys[] = {"source",      "channel",          "trace",
                                                     "channelname", "nameofthechannel", "signalname"};
    if (std::find(std::begin(unit_keys), std::end(unit_keys), name) != std::end(unit_keys))
      take_unit(channel, value);
    else if (channel.name.empty() &&
             std::find(std::begin(name_keys), std::end(name_keys), name) != std::end(name_keys))
      channel.name = std::string(value);
  }
}

std::vector<TableLines> find_tables(std::span<const TextLine> lines, char delimiter, char decimal) {
  std::vector<TableLines> out;
  std::vector<std::string_view> cells;
  std::size_t after = 0;  // Line behind the last table's rows.
  bool title = false, open = false;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.empty() || text[0] == '#' || text[0] == '%') continue;
    split_cells(lines[i].text, delimiter, cells);
    std::size_t numbers = 0, words = 0;
    double value = 0;
    for (const std::string_view cell : cells) {
      if (trimmed(cell).empty()) continue;
      if (parse_any_cell(cell, decimal, value) || is_missing_word(cell) || is_over_range(cell) ||
          parse_date_time(unquoted_cell(cell)) || parse_date(unquoted_cell(cell)) ||
          parse_time_of_day(unquoted_cell(cell)))
        ++numbers;
      else
        ++words;
    }
    if (numbers > words) {
      if (!open && (title || out.empty())) {
        out.push_back({after, i + 1, 0, i});
        open = true;
      }
      if (!out.empty()) ++out.back().rows, out.back().end = i + 1, after = i + 1;
      title = false;
    } else if (numbers == 0 && words > 1) {
      title = true, open = false;
    }
  }
  std::erase_if(out, [](const TableLines& t) { return t.rows < 3; });
  return out;
}

}  // namespace vprism
