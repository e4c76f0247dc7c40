// comma_pairs.cpp: see comma_pairs.h.
#include "formats/text/cells/comma_pairs.h"

#include <algorithm>

#include "base/text.h"

namespace vprism {

namespace {

std::vector<std::string_view> cells_between_commas(std::string_view line) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0;;) {
    const std::size_t end = std::min(line.size(), line.find(',', at));
    out.push_back(trimmed(line.substr(at, end - at)));
    if (end == line.size()) return out;
    at = end + 1;
  }
}

bool is_of_digits(std::string_view text) {
  return !text.empty() && text.find_first_not_of("0123456789") == std::string_view::npos;
}
bool is_whole(std::string_view text) {
  if (!text.empty() && (text[0] == '-' || text[0] == '+')) text.remove_prefix(1);
  return is_of_digits(text);
}

bool is_row(const std::vector<std::string_view>& cells) {
  if (cells.size() < 2 || cells.size() % 2 != 0) return false;
  for (std::size_t c = 0; c < cells.size(); c += 2)
    if (!is_whole(cells[c]) || !is_of_digits(cells[c + 1])) return false;
  return true;
}

}  // namespace

bool is_of_comma_pairs(const std::vector<std::string_view>& lines) {
  std::size_t titles = 0, rows = 0;
  std::vector<std::size_t> digits;
  for (const std::string_view line : lines) {
    if (trimmed(line).empty()) continue;
    const std::vector<std::string_view> cells = cells_between_commas(line);
    if (!is_row(cells)) {
      if (rows > 0) return false;
      const bool words = std::all_of(cells.begin(), cells.end(),
                                     [](std::string_view cell) { return !cell.empty() && !is_whole(cell); });
      if (words) titles = cells.size();
      continue;
    }
    if (rows++ == 0)
      for (std::size_t c = 1; c < cells.size(); c += 2) digits.push_back(cells[c].size());
    if (cells.size() != 2 * digits.size()) return false;
    for (std::size_t c = 0; c < digits.size(); ++c)
      if (cells[2 * c + 1].size() != digits[c]) return false;
  }
  return rows >= 5 && titles > 0 && titles == digits.size();
}

void rewrite_comma_pairs(std::string_view line, std::string& out) {
  const std::vector<std::string_view> cells = cells_between_commas(line);
  const bool row = is_row(cells);
  for (std::size_t c = 0; c < cells.size(); ++c) {
    if (c > 0) out += row && c % 2 == 1 ? '.' : ';';
    out += cells[c];
  }
  if (line.ends_with('\n')) out += '\n';
}

}  // namespace vprism
