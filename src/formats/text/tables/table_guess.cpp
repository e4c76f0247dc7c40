// table_guess.cpp: see table_guess.h.
#include "formats/text/tables/table_guess.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/clock/clock.h"
#include "formats/text/titles/preamble_rates.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

std::vector<std::size_t> numeric_cells(std::span<const std::string_view> cells, char decimal) {
  std::vector<std::size_t> out;
  double value = 0;
  for (std::size_t i = 0; i < cells.size(); ++i)
    if (parse_any_cell(cells[i], decimal, value)) out.push_back(i);
  return out;
}

/// Whether a line is a row of the table: numbers, or words for missing ones, where the table has numbers.
/// `plainly`: as it is in the last row, at least one without anything beside it.
bool is_row(std::span<const std::string_view> cells, const std::vector<std::size_t>& wanted, char decimal,
            bool plainly) {
  double value = 0;
  std::size_t numbers = 0, plain = 0;
  for (const std::size_t i : wanted) {
    if (i >= cells.size()) return false;
    if (parse_cell(cells[i], decimal, value))
      ++numbers, ++plain;
    else if (parse_any_cell(cells[i], decimal, value))
      ++numbers;
    else if (!is_missing_word(cells[i]) && !is_over_range(cells[i]))
      return false;
  }
  if (plainly && plain == 0 && numbers > 0) return false;
  return 2 * numbers > wanted.size() || (numbers > 0 && numbers + 1 >= wanted.size());
}

/// "10:00:00,5";"0 under commas: what a quote ends is a cell, and another mark parts them.
bool goes_on_behind_quote(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() < 3 || cell[0] != '"') return false;
  const std::size_t end = cell.find('"', 1);
  return end != std::string_view::npos && end + 1 < cell.size() &&
         std::string_view(";\t|,").find(cell[end + 1]) != std::string_view::npos;
}

/// Lines that come again, but for their digits, as the head of each page does.
std::vector<bool> repeated_lines(std::span<const TextLine> lines) {
  HeadLines once, twice;
  for (const TextLine& line : lines) once.has(line.text) ? twice.add(line.text) : once.add(line.text);
  std::vector<bool> out;
  for (const TextLine& line : lines) out.push_back(twice.has(line.text));
  return out;
}

/// Tries one delimiter and decimal mark: the table is the longest run of lines with the same numeric cells.
/// `repeated`: see repeated_lines.
TableGuess guess_with(std::span<const TextLine> lines, char delimiter, char decimal,
                      const std::vector<bool>& repeated) {
  TableGuess best{delimiter, decimal, 0, 0, {}, 0};
  std::span<const std::string_view> cells;
  // The last line may have been cut, and notes may follow the table: several lines are tried as its last.
  int tries = 0;
  std::map<std::pair<std::vector<std::size_t>, bool>, std::size_t> tried;  // And the first row of each.
  double number_seen = 0;
  for (std::size_t last = lines.size(); last-- > 0 && tries < 30;) {
    cells = lines[last].cells(delimiter);
    const std::vector<std::size_t> wanted = numeric_cells(cells, decimal);
    const bool plainly = std::all_of(wanted.begin(), wanted.end(), [&](std::size_t c) {
      double number = 0;
      return parse_cell(cells[c], decimal, number);
    });
    // A row that a longer table like it has already ends none; lines below the rows may be many, and alike.
    const auto reached = tried.find({wanted, plainly});
    if (wanted.empty() || (reached != tried.end() && last >= reached->second)) continue;
    if (std::any_of(cells.begin(), cells.end(), goes_on_behind_quote)) continue;
    ++tries;
    const auto filled = static_cast<double>(
        std::count_if(cells.begin(), cells.end(), [](std::string_view c) { return !trimmed(c).empty(); }));
    // Where the cell in front is empty, a line with a word there, and no value beside it, is a setting of
    // each channel.
    const auto labelled = [&](std::span<const std::string_view> of) {
      return wanted.front() > 0 && !trimmed(of[wanted.front() - 1]).empty() &&
             std::none_of(of.begin(), of.begin() + static_cast<std::ptrdiff_t>(wanted.front()),
                          [&](std::string_view cell) { return parse_any_cell(cell, decimal, number_seen); });
    };
    const std::size_t last_cells = cells.size();
    const bool lead_empty = wanted.front() > 0 && trimmed(cells[wanted.front() - 1]).empty();
    std::size_t first = last;
    std::size_t rows = 1;
    // A bad cell in the middle of the data must not cut the table in two: a few are passed over if the run
    // goes on above them.
    std::size_t misses = 0, above_title = 0;  // Rows above a line of nothing but words, such as titles.
    std::optional<std::size_t> below_title, rows_below;
    for (std::size_t i = last; i-- > 0;) {
      cells = lines[i].cells(delimiter);
      // "300 samples, linear scale" above numbers alone.
      const bool worded = delimiter == ' ' && last_cells == 1 && cells.size() > 1;
      if (!worded && is_row(cells, wanted, decimal, plainly) && !(lead_empty && labelled(cells))) {
        first = i;
        ++rows;
        misses = 0;
        if (below_title) ++above_title;
      } else if (!trimmed(lines[i].text).empty()) {
        if (!repeated[i]) ++misses;
        if (misses > 3 || rows < 3) break;
        const auto is_word = [&](std::string_view cell) {
          cell = trimmed(cell);
          return !cell.empty() && !parse_any_cell(cell, decimal, number_seen) && !is_missing_word(cell) &&
                 !is_over_range(cell);
        };
        // One title may stand above a date and its time.
        const bool words =
            cells.size() > wanted.back()
                ? std::all_of(wanted.begin(), wanted.end(), [&](std::size_t c) { return is_word(cells[c]); })
                : cells.size() == wanted.back() && cells.size() > 1 &&
                      std::all_of(cells.begin(), cells.end(), is_word);
        if (words && (!below_title || above_title >= 3))
          below_title = first, rows_below = rows, above_title = 0;
      }
    }
    tried[{wanted, plainly}] = first;
    // One or two rows above titles are settings under titles of their own: "Rate,Channels" over "1000,2".
    if (below_title && above_title < 3 && *rows_below >= 8) first = *below_title, rows = *rows_below;
    // Dates are no numbers, but understood; one whose time of day stands in a cell of its own is one.
    cells = lines[last].cells(delimiter);
    double dates = 0, clocks = 0;
    for (const std::string_view cell : cells) {
      if (std::binary_search(wanted.begin(), wanted.end(), static_cast<std::size_t>(&cell - cells.data())))
        continue;
      const bool whole = parse_date_time(cell).has_value(),
                 half = parse_date(cell) || parse_time_of_day(cell);
      dates += whole || half ? 1 : 0;
      clocks += whole ? 1 : half ? 0.5 : 0;
    }
    // Plain numbers count more than what may be read as one.
    double plain = 0, value = 0;
    for (const std::size_t i : wanted) plain += parse_cell(cells[i], decimal, value) ? 1 : 0.9;
    // Marks between a cell's digits say that something else parts them.
    double parted_otherwise = 0;
    for (const std::string_view cell : cells)
      if (delimiter == ',' && trimmed(cell).substr(0, 1) != "\"" &&
          cell.find_first_of(";\t") != std::string_view::npos)
        ++parted_otherwise;
    const double purity = (plain + dates) / (filled + parted_otherwise);
    const double score =
        static_cast<double>(rows) * (static_cast<double>(wanted.size()) + clocks) * purity * purity;
    if (score > best.score) best = {delimiter, decimal, first, last, wanted, score};
    if (rows > 20 && tries >= 3) break;
  }
  return best;
}

}  // namespace

TableGuess guess_table(std::span<const TextLine> lines, const ReadSettings& settings) {
  TableGuess best{',', '.', 0, 0, {}, 0};
  std::vector<std::pair<char, char>> tries = {{',', '.'},  {';', ','}, {';', '.'}, {'\t', '.'},
                                              {'\t', ','}, {'|', '.'}, {' ', '.'}, {' ', ','}};
  // Vectors in parentheses: one number alone is none.
  const auto vector_at = [](std::string_view text) {
    for (std::size_t i = 0; i + 1 < text.size(); ++i) {
      if (text[i] != '(' || std::string_view("0123456789-+.").find(text[i + 1]) == std::string_view::npos)
        continue;
      const std::string_view inside = trimmed(text.substr(i + 1, text.find(')', i) - i - 1));
      if (inside.find_first_of(" ,;\t") != std::string_view::npos) return true;
    }
    return false;
  };
  if (!lines.empty() && vector_at(lines[lines.size() - 1 - (lines.size() > 1 ? 1 : 0)].text))
    tries.insert(tries.begin(), {'(', '.'});
  if (settings.delimiter != 0) tries = {{settings.delimiter, '.'}, {settings.delimiter, ','}};
  const std::vector<bool> repeated = repeated_lines(lines);
  for (const auto& [delimiter, decimal] : tries) {
    if (settings.decimal != 0 && decimal != settings.decimal) continue;
    if (delimiter == decimal) continue;
    const TableGuess guess = guess_with(lines, delimiter, decimal, repeated);
    if (guess.score > best.score * (1 + 1e-9)) best = guess;
  }
  // "2000 samples/sec" above a single column is a number with something beside it, but no row.
  if (best.first < best.last && !rate_among_words(lines[best.first].text).empty() &&
      rate_among_words(lines[best.first + 1].text).empty())
    ++best.first;
  return best;
}

void extend_over_ended(std::span<const TextLine> lines, TableGuess& best) {
  if (best.cells.size() < 2 || best.delimiter == ' ' || best.delimiter == '(') return;
  constexpr std::size_t fewest = 3;
  double value = 0;
  std::size_t last = best.last;
  for (std::size_t i = best.last + 1; i < lines.size(); ++i) {
    const auto& cells = lines[i].cells(best.delimiter);
    // With the marks of the cells that are empty: a number alone is something else.
    if (best.cells.back() >= cells.size() || !parse_cell(cells[best.cells.front()], best.decimal, value))
      break;
    if (std::any_of(best.cells.begin(), best.cells.end(), [&](std::size_t c) {
          return !trimmed(cells[c]).empty() && !parse_any_cell(cells[c], best.decimal, value);
        }))
      break;
    last = i;
  }
  if (last >= best.last + fewest) best.last = last;
}

namespace {

/// "0,1,2" right above rows of other numbers, which begin anew: it counts the columns.
bool counts_columns(const std::vector<TextLine>& lines, const TableGuess& best,
                    std::span<const std::string_view> cells) {
  if (cells.size() < 3 || best.first + 2 > best.last || best.cells.size() != cells.size()) return false;
  double before = 0, number = 0, next = 0;
  for (std::size_t c = 0; c < cells.size(); ++c) {
    if (unquoted_cell(cells[c]).find_first_not_of("0123456789") != std::string::npos ||
        !parse_cell(cells[c], best.decimal, number) || (c == 0 ? number > 1 : number != before + 1))
      return false;
    before = number;
  }
  (void)parse_cell(cells[0], best.decimal, number);
  const auto below = lines[best.first + 1].cells(best.delimiter);
  if (below.size() != cells.size() || !parse_cell(below[0], best.decimal, next) || next > number)
    return false;
  return std::all_of(below.begin(), below.end(), [&](std::string_view cell) {
    return cell.find(best.decimal) != std::string_view::npos ||
           cell.find_first_of("eE") != std::string_view::npos;
  });
}

}  // namespace

void pass_over_count(TextLayout& layout, std::vector<TextLine>& lines, TableGuess& best) {
  std::span<const std::string_view> cells;
  cells = lines[best.first].cells(best.delimiter);
  std::size_t rows = 0;
  for (std::size_t i = best.first + 1; i <= best.last; ++i) rows += trimmed(lines[i].text).empty() ? 0 : 1;
  bool counted = false;
  double lead = 0, next = 0;
  if (counts_columns(lines, best, cells)) {
    layout.notes.emplace_back("numbers of the columns", clean_text(trimmed(lines[best.first].text), 100));
    lines[best.first++].text = {};  // Titles may stand above it.
    return;
  }
  if (cells.size() > 4 || !parse_cell(cells[0], best.decimal, lead)) return;
  for (const std::string_view cell : cells) {
    double value = 0;
    if (!parse_cell(cell, best.decimal, value) || value != std::floor(value) ||
        cell.find(best.decimal) != std::string_view::npos)
      return;
    counted = counted || value == static_cast<double>(rows);
  }
  // One column: how many, how far apart, then the values.
  double apart = 0;
  const bool spaced = cells.size() == 1 && !counted && rows > 8 && lead == static_cast<double>(rows - 1) &&
                      parse_cell(trimmed(lines[best.first + 1].text), best.decimal, apart) && apart > 0 &&
                      trimmed(lines[best.first + 1].text).find_first_of(".,eE") != std::string_view::npos;
  if (spaced) {
    layout.interval_s = apart, layout.interval_source = "second number of the file";
    layout.cautions.push_back({"numbers-above-the-rows", Severity::note, "",
                               "the first number, " + clean_text(trimmed(lines[best.first].text), 20) +
                                   ", says how many follow, and the second, " +
                                   clean_text(trimmed(lines[best.first + 1].text), 20) +
                                   ", is taken for the interval in seconds",
                               "--header-rows 0 with --rate takes them as samples"});
    best.first += 2;
    return;
  }
  if (!counted || rows < 8) return;
  // Rows of whole numbers may well hold that number.
  cells = lines[best.first + 1].cells(best.delimiter);
  if (!parse_cell(cells[0], best.decimal, next) || lead <= next) return;  // Goes on as rows do.
  if (std::all_of(cells.begin(), cells.end(), [&](std::string_view cell) {
        return cell.find(best.decimal) == std::string_view::npos &&
               cell.find_first_of("eE") == std::string_view::npos;
      }))
    return;
  layout.notes.emplace_back("counts above the rows", clean_text(trimmed(lines[best.first].text), 100));
  ++best.first;
}

}  // namespace vprism
