// text_layout.cpp: finds the table in a text file, from the bottom up.
//
// A pair of delimiter and decimal mark is right when the last lines of the head split into cells of which the
// same ones are numbers, line after line: those are the data columns. Going up from there, the table starts
// where one of them stops being a number. Cells of table rows that are not data columns hold a preamble
// written beside the data; lines above hold titles (nearest), units and the rest of the preamble.
#include "formats/text_layout.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/quantity.h"
#include "base/text.h"
#include "formats/text_preamble.h"

namespace vprism {

namespace {

struct Line {
  std::string_view text;
  std::size_t offset;
};

struct Guess {
  char delimiter, decimal;
  std::size_t first = 0, last = 0;  ///< Lines of the table within the head.
  std::vector<std::size_t> cells;
  double score = 0;
};

std::vector<Line> lines_of(const FileHead& head) {
  std::vector<Line> lines;
  const std::string_view text = head.bytes;
  const std::size_t mark = starts_with(text, "\xEF\xBB\xBF") ? 3 : 0;
  for (std::size_t at = mark; at < text.size();) {
    const std::size_t end = text.find('\n', at);
    // The last line may be cut by the end of the head; then it says nothing.
    if (end == std::string_view::npos && head.size > text.size() && !lines.empty()) break;
    std::string_view line = text.substr(at, end == std::string_view::npos ? end : end - at);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    lines.push_back({line, at});
    if (end == std::string_view::npos) break;
    at = end + 1;
  }
  return lines;
}

std::vector<std::size_t> numeric_cells(const std::vector<std::string_view>& cells, char decimal) {
  std::vector<std::size_t> out;
  double value = 0;
  for (std::size_t i = 0; i < cells.size(); ++i)
    if (parse_cell(cells[i], decimal, value)) out.push_back(i);
  return out;
}

bool all_numeric(const std::vector<std::string_view>& cells, const std::vector<std::size_t>& wanted,
                 char decimal) {
  double value = 0;
  return std::all_of(wanted.begin(), wanted.end(),
                     [&](std::size_t i) { return i < cells.size() && parse_cell(cells[i], decimal, value); });
}

/// Tries one delimiter and decimal mark: the table is the longest run of lines with the same numeric cells.
Guess guess_with(const std::vector<Line>& lines, char delimiter, char decimal) {
  Guess best{delimiter, decimal, 0, 0, {}, 0};
  std::vector<std::string_view> cells;
  // The last line may have been cut, and notes may follow the table: several lines are tried as its last.
  int tries = 0;
  for (std::size_t last = lines.size(); last-- > 0 && tries < 30;) {
    split_cells(lines[last].text, delimiter, cells);
    const std::vector<std::size_t> wanted = numeric_cells(cells, decimal);
    if (wanted.empty()) continue;
    ++tries;
    const auto filled = static_cast<double>(
        std::count_if(cells.begin(), cells.end(), [](std::string_view c) { return !trimmed(c).empty(); }));
    std::size_t first = last;
    std::size_t rows = 1;
    // A bad cell in the middle of the data must not cut the table in two: a few are passed over if the run
    // goes on above them.
    std::size_t misses = 0;
    for (std::size_t i = last; i-- > 0;) {
      split_cells(lines[i].text, delimiter, cells);
      if (all_numeric(cells, wanted, decimal)) {
        first = i;
        ++rows;
        misses = 0;
      } else if (!trimmed(lines[i].text).empty() && (++misses > 3 || rows < 3)) {
        break;
      }
    }
    const double purity = static_cast<double>(wanted.size()) / filled;
    const double score = static_cast<double>(rows) * static_cast<double>(wanted.size()) * purity * purity;
    if (score > best.score) best = {delimiter, decimal, first, last, wanted, score};
    if (rows > 20 && tries >= 3) break;
  }
  return best;
}

std::string without_brackets(std::string_view text) {
  text = trimmed(text);
  if (text.size() > 2 && (text.front() == '(' || text.front() == '[')) text = text.substr(1, text.size() - 2);
  return std::string(trimmed(text));
}

/// Title cells of the data columns in a line; blank-aligned tables may have blanks inside a title, so two
/// blanks part them there. Empty when the line does not fit the table.
std::vector<std::string> title_cells(const TextLayout& layout, std::string_view text) {
  std::string_view bare = trimmed(text);
  while (!bare.empty() && (bare.front() == '#' || bare.front() == '%')) bare = trimmed(bare.substr(1));
  std::vector<std::string_view> cells;
  std::string tabbed;
  split_cells(layout.delimiter == ' ' ? bare : text, layout.delimiter, cells);
  if (layout.delimiter == ' ' && cells.size() != layout.cells.back() + 1) {
    for (std::size_t i = 0; i < bare.size(); ++i) {
      const bool gap = bare[i] == '\t' || (bare[i] == ' ' && i + 1 < bare.size() && bare[i + 1] == ' ');
      if (!gap) {
        tabbed += bare[i];
        continue;
      }
      while (i + 1 < bare.size() && (bare[i + 1] == ' ' || bare[i + 1] == '\t')) ++i;
      tabbed += '\t';
    }
    split_cells(tabbed, '\t', cells);
  }
  std::vector<std::string> out;
  for (const std::size_t i : layout.cells) {
    if (i >= cells.size()) return {};
    out.push_back(unquoted_cell(cells[i]));
  }
  if (!out.empty() && !out[0].empty() && out[0].front() == '#') out[0].erase(0, 1);
  const auto filled = static_cast<std::size_t>(
      std::count_if(out.begin(), out.end(), [](const std::string& s) { return !s.empty(); }));
  return 2 * filled > out.size() ? out : std::vector<std::string>{};
}

bool is_time_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word :
       {"time", "t", "zeit", "temps", "tiempo", "seconds", "second", "sec", "s", "timestamp", "elapsed", "x"})
    if (name == word) return true;
  return name.find("time") != std::string::npos;
}

using TitleRow = std::vector<std::string>;

bool is_units_row(const TitleRow& row) {
  return std::all_of(row.begin(), row.end(), [](const std::string& cell) {
    return cell.empty() || Unit::try_parse(without_brackets(cell)).has_value();
  });
}

/// Names, units and descriptions in the rows right above the data; everything further up is preamble. A row
/// of nothing but units gives the units; of the others the one whose first title is a time names the columns,
/// else the nearest.
void read_titles(TextLayout& layout, const std::vector<Line>& lines, std::size_t first) {
  std::vector<TitleRow> rows;  // Nearest to the data first.
  double value = 0;
  while (rows.size() < 3 && rows.size() < first) {
    TitleRow row = title_cells(layout, lines[first - 1 - rows.size()].text);
    const bool keyed =
        lines[first - 1 - rows.size()].text.find('=') != std::string_view::npos ||
        (layout.cells.size() == 1 && lines[first - 1 - rows.size()].text.find(':') != std::string_view::npos);
    const bool numbers = keyed || std::any_of(row.begin(), row.end(), [&](const std::string& cell) {
                           return parse_cell(cell, layout.decimal, value);
                         });
    if (row.empty() || numbers) break;
    rows.push_back(std::move(row));
  }
  std::optional<std::size_t> names, units;
  if (!rows.empty() && is_units_row(rows[0])) {
    const auto lead = Unit::try_parse(without_brackets(rows[0][0]));
    if (rows.size() > 1 || (lead && lead->converts_to(Unit::parse("s")))) units = 0;
  }
  for (std::size_t r = rows.size(); r-- > 0;)
    if (r != units &&
        (!names || r == 0 || (r == 1 && units) || is_time_title(channel_from_title(rows[r][0])))) {
      if (!names || !is_time_title(channel_from_title(rows[*names][0]))) names = r;
    }
  layout.columns.assign(layout.cells.size(), {});
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    Channel& column = layout.columns[c];
    if (names) column = channel_from_title(rows[*names][c]);
    if (units && !rows[*units][c].empty()) {
      column.unit = Unit::parse(without_brackets(rows[*units][c]));
      column.quantity = quantity_of(column.unit);
    }
  }
  std::vector<std::string_view> cells;
  for (std::size_t i = 0; i < first; ++i) {
    const std::size_t row = first - 1 - i;
    if (row != names && row != units) {
      read_preamble_line(layout, lines[i].text);
    } else if (layout.delimiter != ' ') {
      split_cells(lines[i].text, layout.delimiter, cells);
      read_beside_preamble(layout, cells);
    }
  }
}

bool is_count_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word :
       {"index", "sample", "samples", "no", "no.", "nr", "#", "n", "point", "points", "row", "count"})
    if (name == word) return true;
  return false;
}

/// Steps of one column over the head: 1 rising, 0 not.
bool rises(const TextLayout& layout, const std::vector<Line>& lines, std::size_t first, std::size_t last,
           std::size_t column) {
  std::vector<std::string_view> cells;
  double previous = 0;
  std::size_t seen = 0, rising = 0;
  for (std::size_t i = first; i <= last; ++i) {
    split_cells(lines[i].text, layout.delimiter, cells);
    double value = 0;
    if (layout.cells[column] >= cells.size() ||
        !parse_cell(cells[layout.cells[column]], layout.decimal, value))
      continue;
    if (seen++ > 0 && value > previous) ++rising;
    previous = value;
  }
  return seen >= 3 && rising + 1 + seen / 50 >= seen;
}

void find_time(TextLayout& layout, const std::vector<Line>& lines, std::size_t first, std::size_t last,
               const FileHead& head, const std::string& asked) {
  std::vector<std::string> names;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    names.push_back(layout.columns[c].name.empty() ? "column " + std::to_string(c + 1)
                                                   : layout.columns[c].name);
  }
  const Unit second = Unit::parse("s");
  const auto time_unit = [&](std::size_t c) {
    return layout.columns[c].unit.text() != "1" && layout.columns[c].unit.converts_to(second);
  };
  if (asked == "none") return;
  if (!asked.empty()) {
    for (std::size_t c = 0; c < names.size(); ++c)
      if (names[c] == asked || std::to_string(c + 1) == asked) layout.time = c;
    if (!layout.time)
      throw Error(Status::usage, "--axis: " + head.path + ": " + unknown_name("column", asked, names));
  } else if (layout.columns.size() > 1) {
    for (std::size_t c = 0; c < names.size() && !layout.time; ++c)
      if ((is_time_title(layout.columns[c]) || time_unit(c)) && rises(layout, lines, first, last, c))
        layout.time = c;
    const bool untitled = std::all_of(layout.columns.begin(), layout.columns.end(),
                                      [](const Channel& c) { return c.name.empty(); });
    if (!layout.time && untitled && rises(layout, lines, first, last, 0)) {
      layout.time = 0;
      layout.cautions.push_back(
          {"axis-assumed", Severity::warning, "",
           "the columns have no titles; the first one rises steadily and is taken as time",
           "name the time column with --axis, or --axis none if there is none"});
    }
  }
  if (!layout.time) return;
  Channel& column = layout.columns[*layout.time];
  if (column.unit.text() == "1") {
    layout.cautions.push_back(
        {"axis-unit-assumed", Severity::note, "",
         "the time column \"" + names[*layout.time] + "\" names no unit; seconds are taken",
         "check the duration"});
    column.unit = second;
  }
  if (!column.unit.converts_to(second))
    throw Error(Status::usage, head.path + ": the column \"" + names[*layout.time] + "\" is in " +
                                   column.unit.text() + ", not a time; name another with --axis");
  layout.time_factor = column.unit.convert(1, second);
}

}  // namespace

void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells) {
  cells.clear();
  std::size_t at = 0;
  if (delimiter == ' ') {
    const auto blank = [](char c) { return c == ' ' || c == '\t'; };
    while (at < line.size()) {
      while (at < line.size() && blank(line[at])) ++at;
      const std::size_t from = at;
      while (at < line.size() && !blank(line[at])) ++at;
      if (at > from) cells.push_back(line.substr(from, at - from));
    }
    return;
  }
  for (;;) {
    std::size_t from = at;
    while (from < line.size() && line[from] == ' ') ++from;
    std::size_t end = at;
    if (from < line.size() && line[from] == '"') {
      end = line.find('"', from + 1);
      if (end == std::string_view::npos) end = at;  // A lone quote quotes nothing.
    }
    end = line.find(delimiter, end);
    cells.push_back(line.substr(at, end == std::string_view::npos ? end : end - at));
    if (end == std::string_view::npos) return;
    at = end + 1;
  }
}

bool parse_cell(std::string_view cell, char decimal, double& value) {
  while (!cell.empty() && (cell.front() == ' ' || cell.front() == '\t' || cell.front() == '"'))
    cell.remove_prefix(1);
  while (!cell.empty() &&
         (cell.back() == ' ' || cell.back() == '\t' || cell.back() == '"' || cell.back() == '\r'))
    cell.remove_suffix(1);
  if (!cell.empty() && cell.front() == '+') cell.remove_prefix(1);
  if (cell.empty()) return false;
  const auto [end, code] =
      fast_float::from_chars_advanced(cell.data(), cell.data() + cell.size(), value,
                                      fast_float::parse_options{fast_float::chars_format::general, decimal});
  return code == std::errc() && end == cell.data() + cell.size() && std::isfinite(value);
}

bool recognises_delimited(const FileHead& head) {
  // Text of any 8-bit coding: no NUL and next to no other control characters.
  const auto control =
      static_cast<std::size_t>(std::count_if(head.bytes.begin(), head.bytes.end(), [](char c) {
        const auto u = static_cast<unsigned char>(c);
        return u < 0x20 && u != '\n' && u != '\r' && u != '\t' && u != '\f' && u != 0x1B;
      }));
  return head.bytes.find('\0') == std::string::npos && control * 1000 <= head.bytes.size();
}

TextLayout find_text_layout(const FileHead& head, const ReadSettings& settings) {
  const std::vector<Line> lines = lines_of(head);
  Guess best{',', '.', 0, 0, {}, 0};
  for (const auto& [delimiter, decimal] : {std::pair{',', '.'},
                                           {';', ','},
                                           {';', '.'},
                                           {'\t', '.'},
                                           {'\t', ','},
                                           {'|', '.'},
                                           {' ', '.'},
                                           {' ', ','}}) {
    const Guess guess = guess_with(lines, delimiter, decimal);
    if (guess.score > best.score * (1 + 1e-9)) best = guess;
  }
  if (best.cells.empty())
    throw Error(Status::input, head.path + ": no row of numbers in its first " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   "; is this the right file?");
  TextLayout layout;
  layout.delimiter = best.delimiter;
  layout.decimal = best.decimal;
  layout.cells = best.cells;
  layout.data_offset = lines[best.first].offset;
  layout.data_line = static_cast<std::int64_t>(best.first) + 1;
  read_titles(layout, lines, best.first);
  if (layout.delimiter != ' ') {
    std::vector<std::string_view> cells;
    for (std::size_t i = best.first; i <= best.last; ++i) {
      split_cells(lines[i].text, layout.delimiter, cells);
      if (cells.size() > layout.cells.size()) read_beside_preamble(layout, cells);
    }
  }
  find_time(layout, lines, best.first, best.last, head, settings.axis);
  // A column that only counts the samples is no channel, and no time.
  for (std::size_t c = 0; c < layout.columns.size() && layout.columns.size() > 1; ++c) {
    if (layout.time == c || !is_count_title(layout.columns[c]) ||
        !rises(layout, lines, best.first, best.last, c))
      continue;
    layout.cautions.push_back({"axis-counts", Severity::note, "",
                               "the column \"" + layout.columns[c].name + "\" counts samples; it is left out",
                               ""});
    layout.columns.erase(layout.columns.begin() + static_cast<std::ptrdiff_t>(c));
    layout.cells.erase(layout.cells.begin() + static_cast<std::ptrdiff_t>(c));
    if (layout.time && *layout.time > c) --*layout.time;
    break;
  }
  return layout;
}

}  // namespace vprism
