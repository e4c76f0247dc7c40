// further_cells.cpp: which cells of a table's rows are columns besides those that hold plain numbers; see
// text_evidence.h.
#include <algorithm>
#include <set>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/tables/text_evidence.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// Of the cells of one column that are hexadecimal digits and nothing else.
struct HexCells {
  std::size_t count = 0, with_letters = 0, width = 0;
  bool one_width = true;
  std::string first;
  std::set<std::string> different;  ///< Up to 17 of them.
  void add(std::string_view cell) {
    if (count++ == 0) width = cell.size(), first = std::string(cell);
    one_width = one_width && cell.size() == width;
    if (different.size() < 17) different.emplace(cell);
    with_letters += std::any_of(cell.begin(), cell.end(), [](char c) { return !is_digit(c); }) ? 1 : 0;
  }
  /// Words of one width, some with letters, and more of them than names of sensors that take turns.
  bool are_numbers() const {
    return count >= 8 && one_width && with_letters * 8 > count &&
           (different.size() >= 17 || 2 * different.size() > count);
  }
};

}  // namespace

void find_further_cells(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last) {
  std::span<const std::string_view> cells;
  std::vector<std::size_t> numbers, empties, loose, beside_text;  // The last: a setting and its value.
  std::vector<std::size_t> bracketed, below_zero, truths, ones,
      ended;  // The last: empty down to the last row.
  std::vector<std::string> others;
  std::vector<HexCells> hex;
  std::string marked;
  double value = 0;
  std::size_t blanks = 0;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) {
      ++blanks;
      continue;
    }
    cells = lines[i].cells(layout.delimiter);
    if (cells.size() > numbers.size())
      numbers.resize(cells.size(), 0), empties.resize(cells.size(), 0), loose.resize(cells.size(), 0),
          beside_text.resize(cells.size(), 0), others.resize(cells.size()), bracketed.resize(cells.size(), 0),
          below_zero.resize(cells.size(), 0), truths.resize(cells.size(), 0), ones.resize(cells.size(), 0),
          hex.resize(cells.size()), ended.resize(cells.size(), 0);
    bool text_before = false;
    for (std::size_t c = 0; c < ended.size(); ++c)
      ended[c] = c >= cells.size() || trimmed(cells[c]).empty() ? ended[c] + 1 : 0;
    for (std::size_t c = 0; c < cells.size(); ++c) {
      const bool after_text = text_before;
      std::string_view bare = trimmed(cells[c]);
      if (bare.size() > 2 && bare.front() == '"') bare.remove_prefix(1);
      text_before = !bare.empty() && (bare[0] | 32) >= 'a' && (bare[0] | 32) <= 'z' &&
                    !parse_any_cell(cells[c], layout.decimal, value) && !is_missing_word(cells[c]) &&
                    !is_over_range(cells[c]);
      if (after_text && !text_before && !bare.empty()) ++beside_text[c];
      if (const std::string cell = unquoted_cell(cells[c]); is_hex_word(cell)) hex[c].add(cell);
      if (const auto truth = parse_truth(cells[c])) {
        ++truths[c], ones[c] += *truth == 1 ? 1 : 0;
        if (others[c].empty()) others[c] = unquoted_cell(cells[c]);
      } else if (parse_cell(cells[c], layout.decimal, value)) {
        ++numbers[c], below_zero[c] += value < 0 ? 1 : 0;
      } else if (const auto number = parse_loose(cells[c], layout.decimal)) {
        ++numbers[c], ++loose[c];
        bracketed[c] += is_in_parentheses(cells[c]) ? 1 : 0;
        if (number->marked && marked.empty()) marked = unquoted_cell(cells[c]);
      } else if (is_missing_word(cells[c]) || is_over_range(cells[c]))
        ++empties[c];
      else if (others[c].empty())
        others[c] = unquoted_cell(cells[c]);
    }
  }
  if (!marked.empty())
    layout.cautions.push_back(
        {"marks-left-out", Severity::note, "",
         "numbers have a mark behind them (\"" + marked + "\"), as for a note: they are taken as they stand",
         "leave out the rows they warn of, if they do"});
  const std::size_t rows = last - first + 1;
  std::vector<std::size_t> all;
  for (std::size_t c = 0; c < numbers.size(); ++c) {
    const bool taken = std::binary_search(layout.cells.begin(), layout.cells.end(), c);
    // Words for 1 and 0, both of them, in every row.
    if (!taken && numbers[c] == 0 && truths[c] >= 8 && truths[c] + empties[c] >= rows - blanks &&
        ones[c] > 0 && ones[c] < truths[c]) {
      all.push_back(c), layout.truths.push_back(c);
      if (empties[c] > 0) layout.sparse.push_back(c);
      continue;
    }
    // Digits of sixteen, all of one width, in every row: "07F7", "1000". Some have letters.
    const HexCells& words = hex[c];
    if (words.are_numbers() && words.count + empties[c] >= rows - blanks && numbers[c] < words.count) {
      all.push_back(c), layout.hex.push_back(c);
      if (empties[c] > 0) layout.sparse.push_back(c);
      layout.cautions.push_back({"hex-numbers", Severity::warning, "",
                                 "column " + std::to_string(c + 1) + " holds digits of sixteen (first: \"" +
                                     words.first + "\"): they are taken as whole numbers without a sign",
                                 "leave it out with --columns if they are codes"});
      continue;
    }
    // As in accounts: some in parentheses, others without, none with a sign.
    if (bracketed[c] > 0 && bracketed[c] < numbers[c] && below_zero[c] == 0) layout.debits.push_back(c);
    if (!taken && (rows < 20 || beside_text[c] > 0 || numbers[c] < 3 ||
                   10 * (numbers[c] + empties[c]) < 9 * rows || !others[c].empty()))
      continue;
    all.push_back(c);
    if (loose[c] > 0) layout.loose.push_back(c);
    if ((rows >= 20 && 5 * empties[c] > rows) || (!taken && empties[c] > 0) || ended[c] >= 3)
      layout.sparse.push_back(c);
  }
  if (!layout.debits.empty())
    layout.cautions.push_back(
        {"parentheses-negative", Severity::warning, "",
         "some numbers stand in parentheses and none has a minus: those in parentheses are "
         "taken as negative",
         "if they only mark a value, take it with --compute 'NAME = abs(\"channel\")'"});
  if (layout.delimiter == ' ' || layout.delimiter == '(')
    layout.truths.clear();
  else
    layout.cells = std::move(all);
  if (!layout.truths.empty())
    layout.cautions.push_back({"truths-as-numbers", Severity::note, "",
                               std::to_string(layout.truths.size()) +
                                   (layout.truths.size() == 1 ? " column holds" : " columns hold") +
                                   " words such as on and off, which are taken as 1 and 0",
                               "leave them out with --columns or --channel"});
}

}  // namespace vprism
