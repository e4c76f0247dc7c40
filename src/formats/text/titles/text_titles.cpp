// text_titles.cpp: see text_titles.h.
#include "formats/text/titles/text_titles.h"

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "formats/text/titles/channel_notes.h"
#include "formats/text/titles/labelled_rows.h"
#include "formats/text/titles/no_titles.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_cells.h"
#include "formats/text/titles/title_names.h"
#include "formats/text/titles/title_roles.h"

namespace vprism {

namespace {

/// Whether the first column goes on by one from the first row to the second.
bool counts_on(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::span<const std::string_view> cells;
  double values[2] = {};
  for (std::size_t i = 0; i < 2; ++i) {
    if (first + i >= lines.size()) return false;
    cells = lines[first + i].cells(layout.delimiter);
    if (layout.cells[0] >= cells.size() || !parse_cell(cells[layout.cells[0]], layout.decimal, values[i]))
      return false;
  }
  return values[1] - values[0] == 1;
}

/// "u i" above "1 0.5 0.3": the numbers of the rows have no title. All titles then, that one too; else
/// nothing.
std::vector<std::string> titles_behind_count(const TextLayout& layout, std::string_view text) {
  std::vector<std::string_view> words;
  split_cells(without_marks(text), layout.delimiter, words);
  if (words.size() + 1 != layout.row_cells || words.size() + 1 != cells_needed(layout)) return {};
  std::vector<std::string> out = {"No."};
  double value = 0;
  for (const std::string_view word : words) {
    out.push_back(unquoted_cell(word));
    if (out.back().empty() || parse_any_cell(out.back(), layout.decimal, value) ||
        is_count_title(channel_from_title(out.back())))
      return {};
  }
  return out;
}

/// Those of the data columns; an empty row where the line does not fit the table.
/// `rows_counted`: their first column goes on by one.
TitleLine title_line(const TextLayout& layout, std::string_view text, std::size_t away, bool rows_counted) {
  std::string tabbed;
  TitleLine out;
  out.away = away;
  std::vector<std::string> cells = listed_cells(layout, text);
  if (cells.empty() && rows_counted && away == 0) cells = titles_behind_count(layout, text);
  if (cells.empty())
    for (const std::string_view cell : title_cells(layout, text, tabbed))
      cells.push_back(unquoted_cell(without_braces(cell)));
  take_corner_apart(cells, layout.decimal);
  // Once in front of the line, or of each title.
  const bool each_marked = cells.size() > 1 && std::all_of(cells.begin(), cells.end(), [](const auto& cell) {
                             return !cell.empty() && cell.front() == '#';
                           });
  for (std::size_t c = 0; c < (each_marked ? cells.size() : std::min<std::size_t>(1, cells.size())); ++c)
    if (!cells[c].empty() && (cells[c].front() == '#' || starts_with(cells[c], "//")))
      cells[c] = without_marks(cells[c]);
  // "Sensor;Mic A;Mic B" above two columns: what the row is stands in front of it.
  if (layout.delimiter != ' ' && cells_needed(layout) > 1 && cells.size() == cells_needed(layout) + 1 &&
      is_row_label(cells[0])) {
    out.called_names = is_name_label(cells[0]);
    cells.erase(cells.begin());
  }
  if (!cells.empty() && layout.delimiter != ' ' && !layout.cells.empty() && layout.cells.front() > 0 &&
      !layout.clock)
    out.label = cells[0];
  set_units_apart(cells);
  out.dated = std::any_of(cells.begin(), cells.end(),
                          [](const std::string& cell) { return parse_date_time(cell) || parse_date(cell); });
  for (const std::size_t i : layout.cells) {
    if (i >= cells.size()) {
      out.row.clear();
      return out;
    }
    out.row.push_back(cells[i]);
  }
  for (const std::string& cell : cells) {
    const Channel title = channel_from_title(cell);
    // A lone column has no axis beside it: "Points,201" is a setting.
    const bool beside = cells.size() > 1 && (cells_needed(layout) > 1 || layout.clock);
    out.has_axis = out.has_axis || (beside && (is_time_title(title) || is_count_title(title)));
  }
  // Few of many are a setting; units alone are none.
  const auto filled = std::count_if(out.row.begin(), out.row.end(), [](const auto& s) { return !s.empty(); });
  const bool units = filled > 0 && layout.delimiter != ' ' && is_units_row(out.row);
  if (2 * static_cast<std::size_t>(filled) <= out.row.size() && !units) out.row.clear();
  return out;
}

/// A title that reaches over two rows of titles stands in the upper one alone, as cells that were joined do.
void fill_from_above(std::vector<TitleLine>& rows) {
  if (rows.size() < 2 || is_units_row(rows[0].row)) return;
  TitleRow& below = rows[0].row;
  const TitleRow& above = rows[1].row;
  if (above.size() != below.size() || is_units_row(above)) return;
  // Titles that are whole by themselves, with units, stand above words of another kind: "AC", "DC".
  const auto united = [](const std::string& title) {
    return !channel_from_title(title).unit.dimensionless();
  };
  if (rows[1].has_axis && std::none_of(above.begin(), above.end(), [](const auto& t) { return t.empty(); }) &&
      std::any_of(above.begin(), above.end(), united) && std::none_of(below.begin(), below.end(), united))
    return;
  for (std::size_t c = 0; c < below.size(); ++c) {
    if (!below[c].empty() || above[c].empty()) continue;
    below[c] = above[c];
    const Channel title = channel_from_title(above[c]);
    rows[0].has_axis = rows[0].has_axis || is_time_title(title) || is_count_title(title);
  }
}

std::vector<TitleLine> title_lines(const TextLayout& layout, const std::vector<TextLine>& lines,
                                   std::size_t first) {
  constexpr std::size_t most = 5;
  if (layout.dialect && !layout.dialect->keys.empty()) return {};  // Named otherwise.
  std::vector<TitleLine> out;  // Nearest to the data first; blank lines passed over.
  double value = 0;
  std::size_t settings = 0;
  // Where only lists behind a label are titles, or a row of them above lines of one setting each.
  bool above_settings = false, one_cell_each = true;
  const auto is_row_of_words = [&](std::string_view text) {
    std::vector<std::string_view> cells;
    split_cells(text, layout.delimiter, cells);
    if (layout.delimiter == ' ' || layout.delimiter == '(' || cells.size() < 2) return false;
    const std::size_t needed = cells_needed(layout);
    if (cells.size() != needed && !(cells.size() == needed + 1 && is_row_label(unquoted_cell(cells[0]))))
      return false;
    return std::none_of(cells.begin(), cells.end(), [&](std::string_view cell) {
      return trimmed(cell).empty() || parse_any_cell(cell, layout.decimal, value);
    });
  };
  for (std::size_t away = 0; out.size() < most && away < first; ++away) {
    const std::string_view text = lines[first - 1 - away].text;
    const bool cells_empty =
        text.find_first_not_of(std::string(" \t\"") + layout.delimiter) == std::string_view::npos;
    if (cells_empty) continue;
    if ((is_comment(text) || layout.delimiter == ' ' || layout.delimiter == '(') && notes_a_channel(text)) {
      above_settings = true;
      continue;
    }
    // Settings as an object.
    if (trimmed(text).front() == '{' && trimmed(text).back() == '}') continue;
    // A rule under the titles.
    if (text.find_first_not_of("-=+|: \t") == std::string_view::npos) continue;
    // "Rate 2 kS/s" above a single column is no name.
    if (layout.cells.size() == 1 && is_axis_setting(layout, text)) {
      above_settings = true;
      continue;
    }
    if (layout.cells.size() == 1 && away + 1 < first && is_section_word(layout, text)) continue;
    // "Unit;V" above a single column, "Y Axis Unit,dBm" above two; "Number of points,300".
    std::vector<std::string_view> few;
    if (layout.cells.size() <= 2 && !layout.clock && layout.delimiter != ' ')
      split_cells(text, layout.delimiter, few);
    while (few.size() > 2 && trimmed(few.back()).empty()) few.pop_back();
    const bool single = layout.cells.size() == 1;
    const bool labelled_cells =
        few.size() == 2 && ((single && is_row_label(unquoted_cell(few[0]))) || says_unit(few[0], few[1]));
    if (labelled_cells || (single && few.size() >= 2 && !trimmed(few[0]).empty() &&
                           (parse_any_cell(few[1], layout.decimal, value) || is_digit(trimmed(few[0])[0])))) {
      above_settings = true;
      continue;
    }
    // "ChannelName,Left,Right": take_labelled_rows has it.
    if (const auto row = labelled_row(layout, text); row && !is_row_label(row->label) && ++settings <= most)
      continue;
    // "Range;10;10", one cell more than there are columns.
    if (is_labelled_setting(layout, text) && ++settings <= most) continue;
    // "Data", "[Values]" between titles and numbers.
    const bool names_all_but_counts =
        away == 0 && counts_on(layout, lines, first) && !titles_behind_count(layout, text).empty();
    if (out.empty() && layout.cells.size() > 1 && !above_settings && is_lone_word(layout, text) &&
        !names_all_but_counts && ++settings <= most)
      continue;
    const bool listed = !listed_cells(layout, text).empty();
    const bool single_with_unit = layout.cells.size() == 1 && !is_comment(text) &&
                                  (trimmed(text).back() == ')' || trimmed(text).back() == ']');
    const bool over_settings = above_settings && one_cell_each && out.empty() && !has_equals(text) &&
                               (is_row_of_words(text) || single_with_unit);
    one_cell_each = one_cell_each && text.find(layout.delimiter) == std::string_view::npos;
    if (above_settings && !over_settings &&
        (!listed || behind_label(without_marks(text)).size() == without_marks(text).size()))
      continue;
    TitleLine line = title_line(layout, text, away, counts_on(layout, lines, first));
    const std::string_view lead = trimmed(text).substr(0, trimmed(text).find_first_of(" \t"));
    const bool labelled = line.row.size() < 3 && !lead.empty() && lead.back() == ':' &&
                          (layout.delimiter == ' ' || layout.delimiter == '\t');
    const bool titled = titles_before_settings(layout, line);
    const bool keyed =
        !listed && !titled &&
        (labelled || has_equals(text) ||
         (layout.cells.size() == 1 && !layout.clock && text.find(':') != std::string_view::npos));
    // When it began: a date in one cell, the others empty.
    if (line.row.empty() && line.dated && ++settings <= most) continue;
    // Names may be numbers beside a time: "Time,100,200".
    const auto number = [&](const std::string& cell) { return parse_cell(cell, layout.decimal, value); };
    const bool frequencies =
        !line.row.empty() && (channel_from_title(line.row[0]).unit.converts_to(Unit::parse("Hz")) ||
                              lower_case(line.row[0]) == "f" || starts_with(lower_case(line.row[0]), "freq"));
    const bool numbered = away == 0 && (line.has_axis || frequencies) && !line.row.empty() &&
                          !number(line.row[0]) && !is_axis_setting(layout, text) &&
                          std::set<std::string>(line.row.begin(), line.row.end()).size() == line.row.size();
    // "Rate,1000,1000", or "min,-2,0.5", between titles and numbers.
    const auto words_above = [&] {
      for (std::size_t up = away + 1; up < first && up < away + 8; ++up)
        if (is_row_of_words(lines[first - 1 - up].text)) return true;
      return false;
    };
    if (line.row.size() > 1 && !number(line.row[0]) && !line.row[0].empty() &&
        std::all_of(line.row.begin() + 1, line.row.end(), number) &&
        (is_setting_label(line.row[0]) || (!line.has_axis && words_above())) && ++settings <= most)
      continue;
    // "Start Time<tab>10:00:00<tab>10:00:00" in front of columns whose first cell is empty.
    if (!line.label.empty() && !line.row.empty() &&
        std::all_of(line.row.begin(), line.row.end(),
                    [&](const std::string& cell) {
                      return number(cell) || parse_date_time(cell) || parse_date(cell) ||
                             parse_time_of_day(cell);
                    }) &&
        ++settings <= most)
      continue;
    // "tip  root" below the titles of a listing: words for some columns.
    if (line.row.empty() && out.empty() && layout.delimiter == ' ' && !above_settings &&
        text.find_first_of("0123456789:=,;\t\"(#") == std::string_view::npos && ++settings <= most)
      continue;
    if (keyed || line.row.empty() || (!numbered && std::any_of(line.row.begin(), line.row.end(), number))) {
      above_settings = true;
      continue;
    }
    if (numbered && std::any_of(line.row.begin(), line.row.end(), number)) {
      out.push_back(std::move(line));
      break;
    }
    // "31.5 Hz,63 Hz" right above the numbers, beside a time: bands, each its own.
    // Or above frequencies, when each column was taken.
    const bool bands =
        numbered && line.row.size() > 1 &&
        std::all_of(line.row.begin() + (layout.clock ? 0 : 1), line.row.end(), [&](const std::string& cell) {
          return parse_any_cell(cell, layout.decimal, value) ||
                 (frequencies && (parse_time_of_day(cell) || parse_date_time(cell) || parse_date(cell)));
        });
    if (bands) {
      out.push_back(std::move(line));
      break;
    }
    // "Scan,Time,101 (VDC),Alarm 101": words beside what may be read as numbers, right above the rows.
    const bool words_beside =
        numbered && std::any_of(line.row.begin(), line.row.end(), [&](const std::string& cell) {
          return !cell.empty() && !is_digit(cell[0]) && !parse_any_cell(cell, layout.decimal, value) &&
                 !parse_date_time(cell) && !parse_date(cell) && !parse_time_of_day(cell) &&
                 !is_time_title(channel_from_title(cell));
        });
    if (words_beside) {
      out.push_back(std::move(line));
      continue;
    }
    // A setting of each channel, "Rate;50 Hz;50 Hz", or when it began.
    if (std::any_of(line.row.begin(), line.row.end(), [&](const std::string& cell) {
          return parse_any_cell(cell, layout.decimal, value) || parse_date_time(cell) || parse_date(cell) ||
                 parse_time_of_day(cell);
        })) {
      if (++settings > most) break;
      continue;
    }
    out.push_back(std::move(line));
  }
  fill_from_above(out);
  return out;
}

}  // namespace

// A row of nothing but units gives the units; of the others the one with a time or a count among its titles
// names the columns, else the nearest. Everything further up is preamble.
void read_titles(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  const std::vector<TitleLine> rows = title_lines(layout, lines, first);
  TitleRow defined;
  std::size_t by_definition = 0;
  for (; by_definition < rows.size() && defined.empty(); ++by_definition)
    defined = defined_units(lines, first, rows[by_definition].row, layout.delimiter);
  const TitleRoles roles = defined.empty() ? roles_of(rows) : TitleRoles{by_definition - 1, {}, false};
  if (roles.names) layout.title_line = lines[first - 1 - rows[*roles.names].away].text;
  TitleRow names = roles.names ? rows[*roles.names].row : TitleRow();
  if (roles.labelled) names[0] = counts_on(layout, lines, first) ? "No." : "";
  if (const auto listed = listed_names(layout, lines, first, !names.empty())) names = *listed;
  if (roles.names) name_by_table(layout, lines, first, names);
  if (roles.names) join_groups(layout, lines, first - 1 - rows[*roles.names].away, names);
  layout.columns.assign(layout.cells.size(), {});
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    Channel& column = layout.columns[c];
    if (!names.empty()) {
      column = channel_from_title(names[c]);
      // "u [mV] @ 2 kHz".
      if (const std::size_t at = names[c].find('@'); at != std::string::npos && at > 1)
        read_preamble_line(layout, "sampling rate: " + std::string(trimmed(names[c].substr(at + 1))));
    }
    if (!roles.units && defined.empty()) continue;
    const std::string unit = without_brackets(roles.units ? rows[*roles.units].row[c] : defined[c]);
    if (roles.labelled && c == 0) continue;
    if (unit.empty() || counts_word(unit)) continue;
    // "Volt" over "Ch 1": units above, names below.
    if (!names.empty() && !Unit::try_parse(unit) && unit.find(' ') != std::string::npos &&
        names[c].size() > 1 && column.unit.text() == "1" && Unit::try_parse(names[c])) {
      column = {unit, Unit::parse(names[c]), ""};
      column.quantity = quantity_of(column.unit);
      continue;
    }
    column.unit = Unit::try_parse(unit).value_or(Unit::opaque(unit));
    column.quantity = quantity_of(column.unit);
  }
  take_noted_units(layout, lines, first);
  take_labelled_rows(layout, lines, first);
  if (names.empty() && layout.columns.size() > 1 && layout.columns[0].name.empty() &&
      !layout.columns[1].name.empty() && counts_on(layout, lines, first))
    layout.columns[0].name = "No.";
  std::map<std::size_t, std::size_t> row_of_line;
  for (std::size_t r = 0; r < rows.size(); ++r) row_of_line[first - 1 - rows[r].away] = r;
  std::span<const std::string_view> cells;
  for (std::size_t i = 0; i < first; ++i) {
    const auto place = row_of_line.find(i);
    const bool titles = place != row_of_line.end();
    const bool is_names = titles && place->second == roles.names,
               is_units = titles && place->second == roles.units;
    const char* role = is_names                         ? "names of the columns"
                       : is_units                       ? "units of the columns"
                       : trimmed(lines[i].text).empty() ? "blank"
                       : titles                         ? "description of the columns"
                                                        : "preamble";
    layout.lines.emplace_back(std::to_string(layout.first_line + i + 1),
                              std::string(role) + ": " + clean_text(lines[i].text, 60));
    if (!is_names && !is_units) {
      const bool values_below = i + 1 < first && row_of_line.count(i + 1) == 0 &&
                                read_titled_values(layout, lines[i].text, lines[i + 1].text);
      if (!values_below && !labelled_row(layout, lines[i].text)) read_preamble_line(layout, lines[i].text);
      if (values_below)
        layout.lines.emplace_back(std::to_string(layout.first_line + ++i + 1), "values of the line above");
    } else if (layout.delimiter != ' ') {
      cells = lines[i].cells(layout.delimiter);
      // Settings stand below their titles where the next row has numbers there.
      std::span<const std::string_view> below;
      if (i + 1 < lines.size()) below = lines[i + 1].cells(layout.delimiter);
      if (is_names && i + 1 < first && read_below_titles(layout, cells, below)) continue;
      if (is_units && roles.names && read_below_titles(layout, {}, cells)) continue;
      read_beside_preamble(layout, cells);
    }
  }
}

}  // namespace vprism
