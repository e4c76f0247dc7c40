// head_lines.cpp: see head_lines.h.
#include "formats/text/titles/head_lines.h"

#include <algorithm>

namespace vprism {

namespace {

std::string_view without_blanks(std::string_view line) {
  const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\f' || c == '\r'; };
  while (!line.empty() && blank(line.front())) line.remove_prefix(1);
  while (!line.empty() && blank(line.back())) line.remove_suffix(1);
  return line;
}

bool begins_a_row(std::string_view line) {
  return std::string_view("+-.,;0123456789").find(line[0]) != std::string_view::npos;
}

/// Dashes and the like, across the page.
bool is_rule(std::string_view line) {
  return line.size() >= 8 && line.find_first_not_of("-=_*+| ") == std::string_view::npos;
}

/// With a sign for each run of digits: "page 9" and "page 10" are alike; "" without a letter.
std::string without_numbers(std::string_view line) {
  std::string out;
  bool letter = false;
  for (const char c : line) {
    letter = letter || ((c | 32) >= 'a' && (c | 32) <= 'z') || (c & 0x80) != 0;
    const bool digit = c >= '0' && c <= '9';
    if (!digit || out.empty() || out.back() != '0') out += digit ? '0' : c;
  }
  return letter ? out : "";
}

}  // namespace

void HeadLines::add(std::string_view line) {
  line = without_blanks(line);
  if (line.empty() || line.size() > longest || (begins_a_row(line) && !is_rule(line))) return;
  if (is_rule(line)) lines_.insert(std::string(line)), sizes_[line.size()] = true;
  if (std::string plain = without_numbers(line); !plain.empty()) {
    // Numbers may grow by some digits, and shrink.
    constexpr std::size_t digits = 6;
    const bool numbered = plain.find('0') != std::string::npos;
    const std::size_t least = numbered ? line.size() - std::min(line.size() - 1, digits) : line.size(),
                      most = std::min(longest, line.size() + (numbered ? digits : 0));
    for (std::size_t size = least; size <= most; ++size) sizes_[size] = true;
    lines_.insert(std::move(plain));
  }
}

bool HeadLines::has(std::string_view line) const {
  line = without_blanks(line);
  if (line.empty() || line.size() > longest || !sizes_[line.size()]) return false;
  if (is_rule(line)) return lines_.count(std::string(line)) > 0;
  return !begins_a_row(line) && lines_.count(without_numbers(line)) > 0;
}

}  // namespace vprism
