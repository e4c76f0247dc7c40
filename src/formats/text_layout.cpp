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
#include <span>

#include "base/error.h"
#include "base/text.h"
#include "formats/clock.h"
#include "formats/text_columns.h"
#include "formats/text_preamble.h"

namespace vprism {

namespace {

struct Guess {
  char delimiter, decimal;
  std::size_t first = 0, last = 0;  ///< Lines of the table within the head.
  std::vector<std::size_t> cells;
  double score = 0;
};

std::vector<TextLine> lines_of(std::string_view text, bool whole) {
  std::vector<TextLine> lines;
  const std::size_t mark = starts_with(text, "\xEF\xBB\xBF") ? 3 : 0;
  for (std::size_t at = mark; at < text.size();) {
    const std::size_t end = text.find('\n', at);
    // The last line may be cut by the end of the head; then it says nothing.
    if (end == std::string_view::npos && !whole && !lines.empty()) break;
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

/// Whether a line is a row of the table: numbers, or words for missing ones, where the table has numbers.
bool is_row(const std::vector<std::string_view>& cells, const std::vector<std::size_t>& wanted,
            char decimal) {
  double value = 0;
  std::size_t numbers = 0;
  for (const std::size_t i : wanted) {
    if (i >= cells.size()) return false;
    if (parse_cell(cells[i], decimal, value))
      ++numbers;
    else if (!is_missing_word(cells[i]))
      return false;
  }
  return 2 * numbers > wanted.size() || (numbers > 0 && numbers + 1 >= wanted.size());
}

/// Tries one delimiter and decimal mark: the table is the longest run of lines with the same numeric cells.
Guess guess_with(std::span<const TextLine> lines, char delimiter, char decimal) {
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
      if (is_row(cells, wanted, decimal)) {
        first = i;
        ++rows;
        misses = 0;
      } else if (!trimmed(lines[i].text).empty() && (++misses > 3 || rows < 3)) {
        break;
      }
    }
    // Dates are no numbers, but understood.
    split_cells(lines[last].text, delimiter, cells);
    const auto dates = static_cast<double>(std::count_if(cells.begin(), cells.end(), [](std::string_view c) {
      return parse_date_time(c) || parse_date(c) || parse_time_of_day(c);
    }));
    const double purity = (static_cast<double>(wanted.size()) + dates) / filled;
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

using TitleRow = std::vector<std::string>;

bool is_units_row(const TitleRow& row) {
  return std::all_of(row.begin(), row.end(), [](const std::string& cell) {
    return cell.empty() || Unit::try_parse(without_brackets(cell)).has_value();
  });
}

/// Names, units and descriptions in the rows right above the data; everything further up is preamble. A row
/// of nothing but units gives the units; of the others the one whose first title is a time names the columns,
/// else the nearest.
void read_titles(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
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
  for (std::size_t r = 0; r < rows.size() && !units; ++r) {
    const auto lead = Unit::try_parse(without_brackets(rows[r][0]));
    // A single row of words that happen to be units ("t", "A") is names, unless it begins with a time.
    if (is_units_row(rows[r]) && (rows.size() > 1 || (lead && lead->converts_to(Unit::parse("s")))))
      units = r;
  }
  for (std::size_t r = 0; r < rows.size() && !names; ++r)
    if (r != units && std::any_of(rows[r].begin(), rows[r].end(), [](const std::string& cell) {
          return is_time_title(channel_from_title(cell)) || is_count_title(channel_from_title(cell));
        }))
      names = r;
  if (!names && units && *units + 1 < rows.size()) names = *units + 1;
  for (std::size_t r = 0; r < rows.size() && !names; ++r)
    if (r != units) names = r;
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
    const char* role = row == names                     ? "names of the columns"
                       : row == units                   ? "units of the columns"
                       : trimmed(lines[i].text).empty() ? "blank"
                       : row < rows.size()              ? "description of the columns"
                                                        : "preamble";
    layout.lines.emplace_back(std::to_string(i + 1),
                              std::string(role) + ": " + clean_text(lines[i].text, 60));
    if (row != names && row != units) {
      read_preamble_line(layout, lines[i].text);
    } else if (layout.delimiter != ' ') {
      split_cells(lines[i].text, layout.delimiter, cells);
      read_beside_preamble(layout, cells);
    }
  }
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

bool is_missing_word(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"')
    cell = trimmed(cell.substr(1, cell.size() - 2));
  if (cell.empty()) return true;
  if (cell.size() > 8) return false;
  static constexpr std::string_view words[] = {
      "-",       "--",  "---",  "nan", "-nan", "+nan",  "na",    "n/a",   "#n/a", "null", "none",
      "ol",      "ovl", "ovld", "ovr", "over", "err",   "error", "inf",   "-inf", "+inf", "invalid",
      "missing", "bad", "?",    "*",   "nd",   "#num!", "-ovld", "+ovld", "-ol",  "+ol"};
  const std::string low = lower_case(cell);
  return std::find(std::begin(words), std::end(words), low) != std::end(words);
}

bool recognises_delimited(const FileHead& head) {
  if (coding_of(head.bytes) != TextCoding::utf8) return true;
  // Text of any 8-bit coding: no NUL and next to no other control characters.
  const auto control =
      static_cast<std::size_t>(std::count_if(head.bytes.begin(), head.bytes.end(), [](char c) {
        const auto u = static_cast<unsigned char>(c);
        return u < 0x20 && u != '\n' && u != '\r' && u != '\t' && u != '\f' && u != 0x1B;
      }));
  return head.bytes.find('\0') == std::string::npos && control * 1000 <= head.bytes.size();
}

namespace {

Guess best_guess(std::span<const TextLine> lines, const ReadSettings& settings) {
  Guess best{',', '.', 0, 0, {}, 0};
  std::vector<std::pair<char, char>> tries = {{',', '.'},  {';', ','}, {';', '.'}, {'\t', '.'},
                                              {'\t', ','}, {'|', '.'}, {' ', '.'}, {' ', ','}};
  if (settings.delimiter != 0) tries = {{settings.delimiter, '.'}, {settings.delimiter, ','}};
  for (const auto& [delimiter, decimal] : tries) {
    if (settings.decimal != 0 && decimal != settings.decimal) continue;
    if (delimiter == decimal) continue;
    const Guess guess = guess_with(lines, delimiter, decimal);
    if (guess.score > best.score * (1 + 1e-9)) best = guess;
  }
  return best;
}

/// Dates in front of the numbers, in a cell that all rows have.
void find_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first) {
  std::vector<std::string_view> cells;
  split_cells(lines[first].text, layout.delimiter, cells);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const std::string cell = unquoted_cell(cells[i]);
    const std::string next = i + 1 < cells.size() ? unquoted_cell(cells[i + 1]) : "";
    ClockColumn clock{i, false, 0};
    if (const auto whole = parse_date_time(cell)) {
      clock.first_ns = *whole;
    } else if (const auto day = parse_date(cell), time = parse_time_of_day(next); day && time) {
      clock.two_cells = true;
      clock.first_ns = *day + *time;
    } else if (const auto alone = parse_time_of_day(cell)) {
      clock.first_ns = *alone;
    } else {
      continue;
    }
    layout.clock = clock;
    return;
  }
}

}  // namespace

TextLayout find_text_layout(const FileHead& head, const ReadSettings& settings) {
  TextLayout layout;
  layout.coding = coding_of(head.bytes);
  std::string decoded;
  std::string_view text = head.bytes;
  if (layout.coding != TextCoding::utf8) {
    std::size_t used = 0;
    decoded = utf8_from_utf16(text, layout.coding == TextCoding::utf16_big, used);
    text = decoded;
  }
  const std::vector<TextLine> lines = lines_of(text, head.size <= head.bytes.size());
  const std::size_t above = settings.header_rows.value_or(0);
  if (above > 0 && above >= lines.size())
    throw Error(Status::usage, "--header-rows " + std::to_string(above) + ": " + head.path + " has " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   " in its head; give fewer");
  Guess best = best_guess(std::span(lines).subspan(above), settings);
  best.first += above, best.last += above;
  if (best.cells.empty())
    throw Error(Status::input, head.path + ": no row of numbers in its first " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   "; is this the right file?");
  if (settings.header_rows) best.first = above;
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
  layout.lines.emplace_back(std::to_string(best.first + 1) + "..", "data");
  if (settings.axis.empty()) find_clock(layout, lines, best.first);
  if (!layout.clock) find_axis_column(layout, lines, best.first, best.last, head.path, settings.axis);
  part_by_times(layout, lines, best.first, best.last, settings, head.path);
  choose_columns(layout, settings, head.path);
  // A column that only counts the samples is no channel, and no time.
  for (std::size_t c = 0; c < layout.columns.size() && layout.columns.size() > 1 && settings.columns.empty();
       ++c) {
    if (layout.time == c || !is_count_title(layout.columns[c]) ||
        !column_rises(layout, lines, best.first, best.last, c))
      continue;
    layout.cautions.push_back({"axis-counts", Severity::note, "",
                               "the column \"" + layout.columns[c].name + "\" counts samples; it is left out",
                               "take it as a channel with --columns if it is one"});
    std::vector<std::size_t> kept;
    for (std::size_t k = 0; k < layout.columns.size(); ++k)
      if (k != c) kept.push_back(k);
    keep_columns(layout, kept);
    break;
  }
  return layout;
}

}  // namespace vprism
