// row_kinds.cpp: see row_kinds.h.
#include "formats/text/rows/row_kinds.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

/// The word that a row begins with, a mark before it or not; empty for anything else.
std::string_view leading_word(std::string_view line, char delimiter) {
  constexpr std::size_t longest = 24;
  line = trimmed(line);
  const std::size_t end = line.find(delimiter);
  if (end == std::string_view::npos || end > longest) return {};
  std::string_view word = trimmed(line.substr(0, end));
  if (word.size() > 1 && (word[0] == '$' || word[0] == '!')) word.remove_prefix(1);
  const auto letter = [](char c) { return ((c | 32) >= 'a' && (c | 32) <= 'z') || c == '_'; };
  if (word.empty() || !letter(word[0]) ||
      !std::all_of(word.begin(), word.end(), [&](char c) { return letter(c) || is_digit(c); }))
    return {};
  return word;
}

/// "FMT,130,23,IMU,Qfff,TimeUS,GyrX,GyrY,AccZ": a line that names a kind, and at its end, word for word, the
/// cells of its rows; empty for any other.
std::string_view titles_of(std::string_view line, char delimiter, const RowKinds::Kind& kind) {
  std::vector<std::string_view> cells;
  line = trimmed(line);
  split_cells(line, delimiter, cells);
  const std::size_t count = kind.cells - 1;
  if (count == 0 || cells.size() < count + 2) return {};
  const auto named = std::find_if(cells.begin() + 1, cells.end() - static_cast<std::ptrdiff_t>(count),
                                  [&](std::string_view cell) { return trimmed(cell) == kind.name; });
  if (named == cells.end() - static_cast<std::ptrdiff_t>(count)) return {};
  for (std::size_t c = cells.size() - count; c < cells.size(); ++c) {
    const std::string_view cell = trimmed(cells[c]);
    if (cell.empty() || ((cell[0] | 32) < 'a' || (cell[0] | 32) > 'z')) return {};
  }
  return line.substr(static_cast<std::size_t>(cells[cells.size() - count].data() - line.data()));
}

/// Rows that come again, as a log's do.
constexpr std::size_t fewest_rows = 3;

std::optional<RowKinds> kinds_with(const std::vector<std::string_view>& lines, char delimiter) {
  constexpr std::size_t most_kinds = 64;
  RowKinds out;
  out.delimiter = delimiter;
  std::vector<std::string_view> cells;
  std::size_t all = 0, worded = 0;
  for (const std::string_view line : lines) {
    if (trimmed(line).empty() || trimmed(line)[0] == '#' || trimmed(line)[0] == '%') continue;
    ++all;
    const std::string_view word = leading_word(line, delimiter);
    if (word.empty()) continue;
    split_cells(trimmed(line), delimiter, cells);
    std::size_t numbers = 0;
    double value = 0;
    for (std::size_t c = 1; c < cells.size(); ++c) numbers += parse_any_cell(cells[c], '.', value) ? 1 : 0;
    ++worded;
    auto kind =
        std::find_if(out.kinds.begin(), out.kinds.end(), [&](const auto& k) { return k.name == word; });
    if (kind == out.kinds.end()) {
      if (out.kinds.size() == most_kinds) return {};
      kind = out.kinds.insert(out.kinds.end(), RowKinds::Kind{std::string(word)});
    }
    // Titles may stand before its rows.
    if (numbers == 0 || 2 * numbers < cells.size() - 1) continue;
    if (kind->rows > 0 && kind->cells != cells.size()) return {};
    kind->cells = cells.size(), kind->numbers = std::max(kind->numbers, numbers), ++kind->rows;
  }
  std::erase_if(out.kinds, [](const RowKinds::Kind& k) { return k.rows < fewest_rows; });
  std::size_t rows = 0;
  for (const RowKinds::Kind& k : out.kinds) rows += k.rows;
  const bool differ = std::any_of(out.kinds.begin(), out.kinds.end(),
                                  [&](const auto& k) { return k.cells != out.kinds.front().cells; });
  if (out.kinds.size() < 2 || !differ || 10 * worded < 9 * all || 10 * rows < 8 * all) return {};
  for (std::size_t k = 0; k < out.kinds.size(); ++k)
    if (out.kinds[k].rows * out.kinds[k].numbers >
        out.kinds[out.fullest].rows * out.kinds[out.fullest].numbers)
      out.fullest = k;
  return out;
}

}  // namespace

std::optional<RowKinds> RowKinds::found_in(const std::vector<std::string_view>& lines, char delimiter) {
  for (const char mark : {',', ';', '\t'})
    if (delimiter == 0 || mark == delimiter)
      if (auto found = kinds_with(lines, mark)) return found;
  return {};
}

LineRewriter RowKinds::rewriter(std::size_t kind, std::shared_ptr<std::set<std::string>> strange) const {
  return [rows = *this, kind, strange](std::string_view line, std::string& out) {
    constexpr std::size_t most_named = 8;
    const std::string_view word = leading_word(line, rows.delimiter);
    if (word == rows.kinds[kind].name) {
      out += line.substr(line.find(rows.delimiter) + 1);
      return;
    }
    if (const std::string_view titles = titles_of(line, rows.delimiter, rows.kinds[kind]); !titles.empty()) {
      out += titles, out += '\n';
      return;
    }
    out += '\n';
    const auto named = [&](const Kind& k) { return k.name == word; };
    if (!trimmed(line).empty() && strange->size() < most_named &&
        std::none_of(rows.kinds.begin(), rows.kinds.end(), named))
      strange->insert(word.empty() ? clean_text(trimmed(line), 24) : std::string(word));
  };
}

}  // namespace vprism
