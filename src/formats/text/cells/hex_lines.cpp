// hex_lines.cpp: see hex_lines.h.
#include "formats/text/cells/hex_lines.h"

#include <algorithm>
#include <set>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"

namespace vprism {

namespace {

constexpr std::string_view hex_marks = " ,;\t\r\n";

/// The words of a line, if all are digits of sixteen of one width.
std::vector<std::string_view> hex_words(std::string_view line) {
  std::vector<std::string_view> out;
  for (std::size_t at = line.find_first_not_of(hex_marks); at != std::string_view::npos;) {
    const std::size_t end = std::min(line.find_first_of(hex_marks, at), line.size());
    const std::string_view word = line.substr(at, end - at);
    const bool fits = is_hex_word(word) && (word.size() == 2 || word.size() == 4 || word.size() == 8) &&
                      (out.empty() || word.size() == out[0].size());
    if (!fits) return {};
    out.push_back(word);
    at = line.find_first_not_of(hex_marks, end);
  }
  return out;
}

}  // namespace

bool are_hex_lines(const std::vector<std::string_view>& lines) {
  std::size_t all = 0, good = 0, words = 0, lettered = 0, mixed = 0, each = 0, width = 0;
  std::set<std::string_view> different;
  for (const std::string_view line : lines) {
    if (trimmed(line).empty()) continue;
    ++all;
    const std::vector<std::string_view> found = hex_words(line);
    if (found.empty()) continue;
    if (each == 0) each = found.size(), width = found[0].size();
    if (found.size() != each || found[0].size() != width) continue;
    ++good;
    for (const std::string_view word : found) {
      ++words;
      const bool letters = !std::all_of(word.begin(), word.end(), is_digit);
      lettered += letters ? 1 : 0;
      mixed += letters && std::any_of(word.begin(), word.end(), is_digit) ? 1 : 0;
      if (different.size() < 8) different.insert(word);
    }
  }
  // Words such as "bad" and "cafe" have no digits.
  return good >= 8 && 10 * good >= 9 * all && 8 * lettered > words && 4 * mixed > lettered &&
         (different.size() > 7 || 2 * different.size() > words);
}

void rewrite_hex_line(std::string_view line, std::string& out) {
  const std::vector<std::string_view> words = hex_words(line);
  if (words.empty()) {
    out += line;
    return;
  }
  for (std::size_t w = 0; w < words.size(); ++w) {
    if (w > 0) out += '\t';
    out += "0x";
    out += words[w];
  }
  out += '\n';
}

}  // namespace vprism
