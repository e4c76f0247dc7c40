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
#include "formats/text_clock.h"
#include "formats/text_columns.h"
#include "formats/text_evidence.h"
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
    layout.lines.emplace_back(std::to_string(layout.first_line + i + 1),
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

/// Each of several tables is a part; the longest is the first choice. Leaves its lines.
void take_table(TextLayout& layout, std::vector<TextLine>& lines, const std::vector<TableLines>& tables,
                const ReadSettings& settings, const std::string& file) {
  std::size_t longest = 0;
  for (std::size_t t = 0; t < tables.size(); ++t) {
    std::string title;
    for (std::size_t i = tables[t].data; title.empty() && i-- > tables[t].first;)
      title = clean_text(trimmed(lines[i].text), 40);
    layout.parts.push_back(
        {title.empty() ? "table " + std::to_string(t + 1) : title,
         std::to_string(tables[t].rows) + " rows from line " + std::to_string(tables[t].data + 1)});
    if (tables[t].rows > tables[longest].rows) longest = t;
  }
  layout.part = choose_part(file, layout.parts, settings, longest);
  const TableLines& chosen = tables[layout.part];
  if (settings.part.empty())
    layout.cautions.push_back({"tables", Severity::note, "",
                               "the file holds " + std::to_string(tables.size()) +
                                   " tables one below the other; the one from line " +
                                   std::to_string(chosen.data + 1) + " is taken",
                               "choose another with --part; inspect lists them"});
  layout.first_line = chosen.first;
  if (chosen.end < lines.size()) layout.data_end = lines[chosen.end].offset;
  lines = std::vector<TextLine>(lines.begin() + static_cast<std::ptrdiff_t>(chosen.first),
                                lines.begin() + static_cast<std::ptrdiff_t>(chosen.end));
}

}  // namespace

TextLayout find_text_layout(const FileHead& head, const ReadSettings& asked) {
  TextLayout layout;
  ReadSettings settings = asked;
  layout.coding = coding_of(head.bytes);
  std::string decoded;
  std::string_view text = head.bytes;
  if (layout.coding != TextCoding::utf8) {
    std::size_t used = 0;
    decoded = utf8_from_utf16(text, layout.coding == TextCoding::utf16_big, used);
    text = decoded;
  }
  const bool whole = head.size <= head.bytes.size();
  std::vector<TextLine> lines = lines_of(text, whole);
  if (settings.complex != "off") layout.complex = complex_cells_of(lines, settings);
  if (layout.complex) {
    settings.delimiter = layout.complex->delimiter();
    decoded = rewritten_lines(text.substr(0, whole ? text.size() : text.rfind('\n') + 1), layout.rewriter());
    lines = lines_of(decoded, whole);
  }
  const std::size_t above = settings.header_rows.value_or(0);
  if (above > 0 && above >= lines.size())
    throw Error(Status::usage, "--header-rows " + std::to_string(above) + ": " + head.path + " has " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   " in its head; give fewer");
  Guess best = best_guess(std::span(lines).subspan(above), settings);
  best.first += above, best.last += above;
  if (whole && above == 0 && !best.cells.empty() && settings.axis.empty() && best.delimiter != ' ' &&
      best.delimiter != '(') {
    const std::vector<TableLines> tables = find_tables(lines, best.delimiter, best.decimal);
    if (tables.size() > 1) {
      take_table(layout, lines, tables, settings, head.path);
      best = best_guess(lines, settings);
    }
  }
  if (best.cells.empty())
    throw Error(Status::input, head.path + ": no row of numbers in its first " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   "; is this the right file?");
  if (settings.header_rows) best.first = above;
  layout.delimiter = best.delimiter;
  layout.decimal = best.decimal;
  layout.cells = best.cells;
  layout.data_offset = lines[best.first].offset;
  layout.data_line = static_cast<std::int64_t>(layout.first_line + best.first) + 1;
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
  layout.lines.emplace_back(std::to_string(layout.first_line + best.first + 1) + "..", "data");
  if (settings.axis.empty()) find_clock(layout, lines, best.first, best.last);
  if (!layout.clock) find_axis_column(layout, lines, best.first, best.last, head.path, settings.axis);
  if (layout.complex) name_complex_parts(layout);
  report_left_out(layout, lines, best.first);
  take_settings(layout);
  if (layout.parts.empty()) part_by_times(layout, lines, best.first, best.last, settings, head.path);
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
