// head_lines.cpp: see head_lines.h.
#include "formats/text/titles/head_lines.h"

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

/// With a sign for each digit; "" without a letter.
std::string without_numbers(std::string_view line) {
  std::string out(line);
  bool letter = false;
  for (char& c : out) {
    letter = letter || ((c | 32) >= 'a' && (c | 32) <= 'z') || (c & 0x80) != 0;
    if (c >= '0' && c <= '9') c = '0';
  }
  return letter ? out : "";
}

}  // namespace

void HeadLines::add(std::string_view line) {
  line = without_blanks(line);
  if (line.empty() || line.size() > longest || (begins_a_row(line) && !is_rule(line))) return;
  if (is_rule(line)) lines_.insert(std::string(line)), sizes_[line.size()] = true;
  if (std::string plain = without_numbers(line); !plain.empty())
    lines_.insert(std::move(plain)), sizes_[line.size()] = true;
}

bool HeadLines::has(std::string_view line) const {
  line = without_blanks(line);
  if (line.size() > longest || !sizes_[line.size()]) return false;
  if (is_rule(line)) return lines_.count(std::string(line)) > 0;
  return !begins_a_row(line) && lines_.count(without_numbers(line)) > 0;
}

}  // namespace vprism
