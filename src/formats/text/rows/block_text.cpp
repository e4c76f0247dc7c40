// block_text.cpp: see block_text.h.
#include "formats/text/rows/block_text.h"

#include <algorithm>
#include <vector>

#include "base/text.h"

namespace vprism {

namespace {

constexpr std::string_view of_a_list = "0123456789+-.eE, \t";

/// How many characters the head of a block takes; 0 where there is none.
std::size_t definite_head(std::string_view text) {
  if (text.size() < 4 || text[0] != '#' || !is_digit(text[1]) || text[1] == '0') return 0;
  const auto digits = static_cast<std::size_t>(text[1] - '0');
  if (text.size() < 3 + digits) return 0;
  for (std::size_t i = 0; i < digits; ++i)
    if (!is_digit(text[2 + i])) return 0;
  // Numbers behind it, and commas between them.
  const std::string_view behind = text.substr(2 + digits, 400);
  const std::string_view line = behind.substr(0, behind.find_first_of("\r\n"));
  const bool numbers = line.find_first_not_of(of_a_list) == std::string_view::npos &&
                       std::count(line.begin(), line.end(), ',') > 3;
  return numbers ? 2 + digits : 0;
}

/// Whether fewer characters stand behind the head than it says.
bool is_cut(std::string_view text, std::size_t head) {
  return head > 2 && text.size() - head < std::stoull(std::string(text.substr(2, head - 2)));
}

/// Parts between semicolons that stand in no quotes.
std::vector<std::string_view> block_parts(std::string_view line) {
  std::vector<std::string_view> out;
  std::size_t from = 0;
  bool quoted = false;
  for (std::size_t i = 0; i <= line.size(); ++i) {
    if (i < line.size() && line[i] == '"') quoted = !quoted;
    if (i < line.size() && (quoted || line[i] != ';')) continue;
    if (!trimmed(line.substr(from, i - from)).empty()) out.push_back(trimmed(line.substr(from, i - from)));
    from = i + 1;
  }
  return out;
}

}  // namespace

std::string unfolded_block(std::string text, bool* cut) {
  if (const std::size_t head = definite_head(text); head > 0) {
    if (cut != nullptr) *cut = is_cut(text, head);
    return text.substr(head);
  }
  constexpr std::size_t most_before = 4096;
  const std::size_t end = std::min(text.find('\n'), text.size());
  const std::string_view line = std::string_view(text).substr(0, end);
  // Two settings and the numbers, at least; the list is the last part.
  const std::size_t last = line.substr(0, most_before).rfind(';');
  if (last == std::string_view::npos || line.substr(0, most_before).find(';') == last) return text;
  const std::vector<std::string_view> parts = block_parts(line.substr(0, last));
  std::string_view list = trimmed(line.substr(last + 1));
  const std::size_t word = std::min(list.find_first_of("#+-.0123456789"), list.size());
  if (parts.size() < 2 || word > 40) return text;
  list = list.substr(word);
  const std::size_t head = definite_head(list);
  if (cut != nullptr) *cut = is_cut(list, head);
  list.remove_prefix(head);
  if (std::count(list.begin(), list.end(), ',') < 15 ||
      list.find_first_not_of(of_a_list) != std::string_view::npos)
    return text;
  std::string out;
  for (const std::string_view part : parts) {
    const std::size_t space = part.find_first_of(" \t");
    if (space == std::string_view::npos) return text;
    // By the last word of its path: ":WFM:XINCR".
    std::string_view key = part.substr(0, space);
    if (const std::size_t colon = key.rfind(':'); colon != std::string_view::npos)
      key = key.substr(colon + 1);
    std::string_view value = trimmed(part.substr(space));
    if (value.size() > 1 && value.front() == '"' && value.back() == '"')
      value = value.substr(1, value.size() - 2);
    if (key.empty() || value.find(',') != std::string_view::npos) return text;
    out += key;
    out += ": ";
    out += value;
    out += '\n';
  }
  out += list;
  out += text.substr(end);
  return out;
}

}  // namespace vprism
