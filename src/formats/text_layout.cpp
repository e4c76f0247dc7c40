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
#include "formats/loose_cell.h"
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
    if (parse_any_cell(cells[i], decimal, value)) out.push_back(i);
  return out;
}

/// Whether a line is a row of the table: numbers, or words for missing ones, where the table has numbers.
bool is_row(const std::vector<std::string_view>& cells, const std::vector<std::size_t>& wanted,
            char decimal) {
  double value = 0;
  std::size_t numbers = 0;
  for (const std::size_t i : wanted) {
    if (i >= cells.size()) return false;
    if (parse_any_cell(cells[i], decimal, value))
      ++numbers;
    else if (!is_missing_word(cells[i]) && !is_over_range(cells[i]))
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
    // Plain numbers count more than what may be read as one.
    double plain = 0, value = 0;
    for (const std::size_t i : wanted) plain += parse_cell(cells[i], decimal, value) ? 1 : 0.9;
    const double purity = (plain + dates) / filled;
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

/// Words that stand in a row of units above a column that has none.
bool counts_word(const std::string& cell) {
  const std::string low = lower_case(cell);
  return low == "sequence" || low == "samples" || low == "sample" || low == "points" || low == "-" ||
         low == "#";
}

/// A unit by itself: "u (V)" is a name with one.
bool is_unit_cell(const std::string& cell) {
  const bool named = cell.find_first_of("([") != std::string::npos && cell.find_first_of("([") > 0 &&
                     (cell.back() == ')' || cell.back() == ']') && cell.find('/') == std::string::npos;
  return !named && Unit::try_parse(without_brackets(cell)).has_value();
}

bool is_units_row(const TitleRow& row) {
  return std::any_of(row.begin(), row.end(), is_unit_cell) &&
         std::all_of(row.begin(), row.end(), [](const std::string& cell) {
           return cell.empty() || counts_word(cell) || is_unit_cell(cell);
         });
}

/// A comment that names the columns, parted otherwise than the numbers: "# time: s, force: N".
TitleRow comment_titles(const TextLayout& layout, std::string_view text) {
  text = trimmed(text);
  if (text.empty() || (text[0] != '#' && text[0] != '%')) return {};
  while (!text.empty() && (text[0] == '#' || text[0] == '%')) text = trimmed(text.substr(1));
  for (const char mark : {',', ';', '\t', '|'}) {
    if (mark == layout.delimiter) continue;
    std::vector<std::string_view> cells;
    split_cells(text, mark, cells);
    if (cells.size() < 2 || cells.size() != layout.cells.size()) continue;
    TitleRow out;
    for (const std::string_view cell : cells) {
      std::string title = unquoted_cell(cell);
      const std::size_t colon = title.find(':');
      if (colon != std::string::npos && Unit::try_parse(trimmed(std::string_view(title).substr(colon + 1))))
        title = title.substr(0, colon) + " (" +
                std::string(trimmed(std::string_view(title).substr(colon + 1))) + ")";
      out.push_back(std::move(title));
    }
    return out;
  }
  return {};
}

/// Names, units and descriptions in the rows right above the data; everything further up is preamble. A row
/// of nothing but units gives the units; of the others the one whose first title is a time names the columns,
/// else the nearest.
void read_titles(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::vector<TitleRow> rows;      // Nearest to the data first; blank lines passed over.
  std::vector<std::size_t> above;  // Their distance to the data, 0 for the next.
  double value = 0;
  for (std::size_t away = 0; rows.size() < 3 && away < first; ++away) {
    const std::string_view text = lines[first - 1 - away].text;
    if (trimmed(text).empty()) continue;
    TitleRow row = comment_titles(layout, text);
    const bool comment = !row.empty();
    if (!comment) row = title_cells(layout, text);
    const bool keyed = !comment && (text.find('=') != std::string_view::npos ||
                                    (layout.cells.size() == 1 && text.find(':') != std::string_view::npos));
    const bool numbers = keyed || std::any_of(row.begin(), row.end(), [&](const std::string& cell) {
                           return parse_cell(cell, layout.decimal, value);
                         });
    if (row.empty() || numbers) break;
    rows.push_back(std::move(row));
    above.push_back(away);
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
    if (units && !rows[*units][c].empty() && !counts_word(rows[*units][c])) {
      column.unit = Unit::parse(without_brackets(rows[*units][c]));
      column.quantity = quantity_of(column.unit);
    }
  }
  std::vector<std::string_view> cells;
  for (std::size_t i = 0; i < first; ++i) {
    const auto place = std::find(above.begin(), above.end(), first - 1 - i);
    const std::optional<std::size_t> row =
        place == above.end() ? std::nullopt : std::optional(static_cast<std::size_t>(place - above.begin()));
    const bool is_names = row && row == names, is_units = row && row == units;
    const char* role = is_names                         ? "names of the columns"
                       : is_units                       ? "units of the columns"
                       : trimmed(lines[i].text).empty() ? "blank"
                       : row                            ? "description of the columns"
                                                        : "preamble";
    layout.lines.emplace_back(std::to_string(i + 1),
                              std::string(role) + ": " + clean_text(lines[i].text, 60));
    if (!is_names && !is_units) {
      read_preamble_line(layout, lines[i].text);
    } else if (layout.delimiter != ' ') {
      split_cells(lines[i].text, layout.delimiter, cells);
      // Settings stand below their titles where the next row has numbers there.
      std::vector<std::string_view> below;
      if (i + 1 < lines.size()) split_cells(lines[i + 1].text, layout.delimiter, below);
      if (is_names && i + 1 < first && read_below_titles(layout, cells, below)) continue;
      if (is_units && names && read_below_titles(layout, {}, cells)) continue;
      read_beside_preamble(layout, cells);
    }
  }
}

}  // namespace

void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells) {
  cells.clear();
  std::size_t at = 0;
  if (delimiter == ' ' || delimiter == '(') {
    const bool vectors = delimiter == '(';
    const auto blank = [vectors](char c) {
      return c == ' ' || c == '\t' || (vectors && (c == '(' || c == ')' || c == ','));
    };
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

bool parse_any_cell(std::string_view cell, char decimal, double& value) {
  if (parse_cell(cell, decimal, value)) return true;
  const auto loose = parse_loose(cell, decimal);
  if (loose) value = loose->value;
  return loose.has_value();
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
  // Vectors in parentheses.
  const auto vector_at = [](std::string_view text) {
    for (std::size_t i = 0; i + 1 < text.size(); ++i)
      if (text[i] == '(' && std::string_view("0123456789-+.").find(text[i + 1]) != std::string_view::npos)
        return true;
    return false;
  };
  if (!lines.empty() && vector_at(lines[lines.size() - 1 - (lines.size() > 1 ? 1 : 0)].text))
    tries.insert(tries.begin(), {'(', '.'});
  if (settings.delimiter != 0) tries = {{settings.delimiter, '.'}, {settings.delimiter, ','}};
  for (const auto& [delimiter, decimal] : tries) {
    if (settings.decimal != 0 && decimal != settings.decimal) continue;
    if (delimiter == decimal) continue;
    const Guess guess = guess_with(lines, delimiter, decimal);
    if (guess.score > best.score * (1 + 1e-9)) best = guess;
  }
  return best;
}

/// Whether day or month stands first: what all rows allow; where both do, AM or PM speaks for the month, and
/// a caution gives the other reading.
void settle_day_order(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, ClockColumn& clock) {
  std::vector<std::string_view> cells;
  bool fits[2] = {true, true}, ambiguous = false, halves = false;
  const auto time_of = [&](DayOrder order, std::size_t line) -> std::optional<std::int64_t> {
    split_cells(lines[line].text, layout.delimiter, cells);
    if (clock.cell + (clock.two_cells ? 1u : 0u) >= cells.size()) return {};
    const std::string date = unquoted_cell(cells[clock.cell]);
    if (!clock.two_cells) {
      const auto whole = parse_date_time(date, order);
      return whole ? whole : parse_time_of_day(date);
    }
    const auto day = parse_date(date, order), time = parse_time_of_day(unquoted_cell(cells[clock.cell + 1]));
    return day && time ? std::optional(*day + *time) : std::nullopt;
  };
  for (std::size_t i = first; i <= last; ++i) {
    for (const DayOrder order : {DayOrder::day_first, DayOrder::month_first})
      if (!time_of(order, i)) fits[static_cast<int>(order)] = false;
    if (clock.cell < cells.size()) {
      ambiguous = ambiguous || is_ambiguous_date(unquoted_cell(cells[clock.cell]));
      const std::string text = lower_case(lines[i].text);
      halves = halves || text.find(" am") != std::string::npos || text.find(" pm") != std::string::npos;
    }
  }
  const bool month_first = fits[0] == fits[1] ? halves : fits[1];
  clock.order = month_first ? DayOrder::month_first : DayOrder::day_first;
  if (const auto at = time_of(clock.order, first)) clock.first_ns = *at;
  if (ambiguous && fits[0] && fits[1])
    layout.cautions.push_back(
        {"date-order", Severity::note, "",
         std::string("the dates may be read with the day or the month first; the ") +
             (month_first ? "month" : "day") + " is taken first",
         "times within the record are the same either way; export dates with the year first to settle it"});
}

/// Dates in front of the numbers, in a cell that all rows have.
void find_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last) {
  std::vector<std::string_view> cells;
  split_cells(lines[first].text, layout.delimiter, cells);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const std::string cell = unquoted_cell(cells[i]);
    const std::string next = i + 1 < cells.size() ? unquoted_cell(cells[i + 1]) : "";
    ClockColumn clock;
    clock.cell = i;
    if (const auto whole = parse_date_time(cell)) {
      clock.first_ns = *whole;
    } else if (const auto day = parse_date(cell), time = parse_time_of_day(next); day && time) {
      clock.two_cells = true;
      clock.first_ns = *day + *time;
    } else if (parse_date_time(cell, DayOrder::month_first) ||
               (parse_date(cell, DayOrder::month_first) && parse_time_of_day(next))) {
      clock.two_cells = !parse_date_time(cell, DayOrder::month_first);
    } else if (const auto alone = parse_time_of_day(cell)) {
      clock.first_ns = *alone;
    } else {
      continue;
    }
    settle_day_order(layout, lines, first, last, clock);
    layout.clock = clock;
    return;
  }
}

/// Numbers in cells that are data though the last rows do not show it: a channel that overloads, or one that
/// is written now and then. Of what is left out its first cell is reported.
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

/// Components of vectors get the names of the comment lines that give each a place ("# Probe 0 (0.35 0.02
/// 0)"), else their number.
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

/// What the cells say of a column's unit: the same behind every number.
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

/// Titled columns that are not taken.
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

/// Settings of an instrument that writes one channel: its name and unit, and the unit of the axis.
void take_settings(TextLayout& layout) {
  std::vector<std::size_t> channels;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (layout.time != c) channels.push_back(c);
  if (channels.size() != 1) return;
  Channel& channel = layout.columns[channels[0]];
  for (const auto& [key, text] : layout.notes) {
    const std::string name = lower_case(key);
    const auto value = trimmed(text);
    if (value.empty() || value.size() > 40) continue;
    if ((name == "vertical units" || name == "vertical unit" || name == "y unit" || name == "y units" ||
         name == "yunit" || name == "vunit") &&
        channel.unit.text() == "1") {
      if (const auto unit = Unit::try_parse(value))
        channel.unit = *unit, channel.quantity = quantity_of(*unit);
    } else if ((name == "source" || name == "channel" || name == "trace") && channel.name.empty()) {
      channel.name = std::string(value);
    }
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
  find_further_cells(layout, lines, best.first, best.last);
  read_titles(layout, lines, best.first);
  if (layout.delimiter == '(') name_vectors(layout, lines, best.first);
  take_cell_units(layout, lines, best.first, best.last);
  if (layout.delimiter != ' ' && layout.delimiter != '(') {
    std::vector<std::string_view> cells;
    for (std::size_t i = best.first; i <= best.last; ++i) {
      split_cells(lines[i].text, layout.delimiter, cells);
      if (cells.size() > layout.cells.size()) read_beside_preamble(layout, cells);
    }
  }
  layout.lines.emplace_back(std::to_string(best.first + 1) + "..", "data");
  if (settings.axis.empty()) find_clock(layout, lines, best.first, best.last);
  if (!layout.clock) find_axis_column(layout, lines, best.first, best.last, head.path, settings.axis);
  report_left_out(layout, lines, best.first);
  take_settings(layout);
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
