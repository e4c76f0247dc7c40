// loose_cell.cpp: see loose_cell.h.
#include "formats/text/cells/loose_cell.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdint>

#include "base/text.h"
#include "base/units/unit.h"

namespace vprism {

namespace {

std::string_view bare(std::string_view cell) {
  const auto skip = [](char c) { return c == ' ' || c == '\t' || c == '"' || c == '\r'; };
  while (!cell.empty() && skip(cell.front())) cell.remove_prefix(1);
  while (!cell.empty() && skip(cell.back())) cell.remove_suffix(1);
  return cell;
}

/// Typographic minus and blanks in ASCII.
std::string plain(std::string_view text) {
  if (std::none_of(text.begin(), text.end(), [](char c) { return (c & 0x80) != 0; }))
    return std::string(text);
  static constexpr std::pair<std::string_view, char> signs[] = {{"\xE2\x88\x92", '-'},
                                                                {"\xC2\xA0", ' '},
                                                                {"\xE2\x80\xAF", ' '},
                                                                {"\xE2\x80\x89", ' '},
                                                                {"\xE2\x80\x99", '\''}};
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    const auto sign = std::find_if(std::begin(signs), std::end(signs),
                                   [&](const auto& s) { return starts_with(text.substr(i), s.first); });
    if (sign != std::end(signs))
      out += sign->second, i += sign->first.size();
    else
      out += text[i++];
  }
  return out;
}

/// Takes the marks out of thousands set apart; false where there are none, or they don't stand in threes.
bool join_thousands(std::string& text, char decimal) {
  std::size_t at = !text.empty() && (text[0] == '-' || text[0] == '+') ? 1 : 0;
  const std::size_t first = at;
  while (at < text.size() && is_digit(text[at])) ++at;
  if (at == first || at - first > 3 || text[first] == '0' || at >= text.size()) return false;
  const char mark = text[at];
  if (mark == decimal || std::string_view(",.' ").find(mark) == std::string_view::npos) return false;
  std::string out = text.substr(0, at);
  std::size_t groups = 0;
  const auto three = [&](std::size_t from) {
    return from + 3 <= text.size() && is_digit(text[from]) && is_digit(text[from + 1]) &&
           is_digit(text[from + 2]) && (from + 3 == text.size() || !is_digit(text[from + 3]));
  };
  while (at < text.size() && text[at] == mark && three(at + 1))
    out += text.substr(at + 1, 3), at += 4, ++groups;
  if (groups == 0) return false;
  text = out + text.substr(at);
  return true;
}

bool hex_digit(char c) { return is_digit(c) || (c >= 'A' && c <= 'F') || (c >= 'a' && c <= 'f'); }

/// "×10^-3", "x10^3", "*10^-3", "·10^-3", "e-3" apart from its number: what it is worth.
std::optional<double> power_of_ten(std::string_view text) {
  bool times = false;
  for (const std::string_view sign : {"\xC3\x97", "\xC2\xB7", "x", "X", "*"})
    if (!times && starts_with(text, sign)) text = trimmed(text.substr(sign.size())), times = true;
  if (!times || !starts_with(text, "10^")) return {};
  text.remove_prefix(3);
  if (!text.empty() && (text.front() == '{' || text.front() == '(')) text = text.substr(1, text.size() - 2);
  if (!text.empty() && text.front() == '+') text.remove_prefix(1);
  const bool negative = !text.empty() && text.front() == '-';
  if (negative) text.remove_prefix(1);
  if (text.empty() || text.size() > 3 || !std::all_of(text.begin(), text.end(), is_digit)) return {};
  int power = 0;
  for (const char c : text) power = 10 * power + (c - '0');
  return std::pow(10.0, negative ? -power : power);
}

/// Digits stand in a unit as powers alone: "m/s^2", "kg/m3", "s-2".
bool may_be_unit(std::string_view text) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (!is_digit(text[i])) continue;
    const bool last =
        i + 1 == text.size() || std::string_view("/.*) ").find(text[i + 1]) != std::string_view::npos;
    const std::size_t sign = i > 1 && text[i - 1] == '-' ? i - 1 : i;
    const char before = sign == 0 ? '0' : text[sign - 1];
    if (!last || (text[i] != '2' && text[i] != '3') ||
        !(before == '^' || ((before | 32) >= 'a' && (before | 32) <= 'z')))
      return false;
  }
  return true;
}

}  // namespace

std::optional<LooseNumber> parse_loose(std::string_view cell, char decimal) {
  cell = bare(cell);
  if (cell.empty() || cell.size() > 64) return {};
  // Most cells that are asked about are words, or rows parted otherwise: no number begins so, or is so long.
  const char lead = cell[0];
  if (!is_digit(lead) && lead != decimal && (lead & 0x80) == 0 &&
      std::string_view("+-.([").find(lead) == std::string_view::npos)
    return {};
  std::string text = plain(cell);
  if (text.size() > 2 &&
      ((text.front() == '(' && text.back() == ')') || (text.front() == '[' && text.back() == ']')))
    text = text.substr(1, text.size() - 2);
  // "+ 20.5", "-  3": a sign in a column of its own.
  if (text[0] == '+' || text[0] == '-')
    if (const std::size_t digits = text.find_first_not_of(' ', 1);
        digits > 1 && digits != std::string::npos && (is_digit(text[digits]) || text[digits] == decimal))
      text.erase(1, digits - 1);
  LooseNumber out;
  const bool negative = text[0] == '-';
  const std::string_view size = std::string_view(text).substr(negative || text[0] == '+' ? 1 : 0);
  if (size.size() > 2 && size[0] == '0' && (size[1] == 'x' || size[1] == 'X')) {
    if (size.size() > 15 || size.find_first_not_of("0123456789abcdefABCDEF", 2) != std::string_view::npos)
      return {};
    out.value =
        static_cast<double>(std::stoull(std::string(size.substr(2)), nullptr, 16)) * (negative ? -1 : 1);
    return out;
  }
  join_thousands(text, decimal);
  std::string_view rest = text;
  if (rest.front() == '+') rest.remove_prefix(1);
  const auto [end, code] =
      fast_float::from_chars_advanced(rest.data(), rest.data() + rest.size(), out.value,
                                      fast_float::parse_options{fast_float::chars_format::general, decimal});
  if (code != std::errc() || !std::isfinite(out.value)) return {};
  rest = trimmed(rest.substr(static_cast<std::size_t>(end - rest.data())));
  if (rest.empty()) return out;
  if (const auto power = power_of_ten(rest)) {
    out.value *= *power;
    return std::isfinite(out.value) ? std::optional(out) : std::nullopt;
  }
  if (rest == ":") return out;  // "0.010: 3.2 V".
  // The sign behind, as accounts have it: "5.25-".
  if ((rest == "-" || rest == "+") && is_digit(text[0])) {
    if (rest == "-") out.value = -out.value;
    return out;
  }
  // Marks as they refer to a note: "0.78*".
  static constexpr std::string_view marks[] = {"*", "**", "!", "?", "#", "\xE2\x80\xA0"};
  if (std::find(std::begin(marks), std::end(marks), rest) != std::end(marks)) {
    out.marked = true;
    return out;
  }
  // What it may be off: "3.21 ± 0.02", "3.21 +/- 0.02".
  for (const std::string_view sign : {"\xC2\xB1", "+/-", "+-"})
    if (starts_with(rest, sign)) {
      const auto off = parse_loose(rest.substr(sign.size()), decimal);
      if (off) out.unit = off->unit;
      return off && off->value >= 0 ? std::optional(out) : std::nullopt;
    }
  // The check sum behind a sentence: "3.2*5A".
  if (rest.size() == 3 && rest[0] == '*' && hex_digit(rest[1]) && hex_digit(rest[2])) return out;
  if (rest.size() > 14 || !may_be_unit(rest)) return {};
  // A prefix by itself: "2.5k", "10M".
  static constexpr std::pair<std::string_view, double> prefixes[] = {
      {"k", 1e3}, {"M", 1e6}, {"u", 1e-6}, {"\u00B5", 1e-6}, {"\u03BC", 1e-6}, {"n", 1e-9}, {"p", 1e-12}};
  for (const auto& [prefix, factor] : prefixes)
    if (rest == prefix) {
      out.value *= factor;
      out.prefix = prefix.size() == 1 ? prefix[0] : 'u';
      return out;
    }
  out.unit = std::string(rest);
  // The same one stands in a whole column.
  thread_local std::string known;
  if (known != out.unit) {
    if (out.unit != "%" && !Unit::try_parse(out.unit)) return {};
    known = out.unit;
  }
  return out;
}

std::optional<double> parse_truth(std::string_view cell) {
  cell = bare(cell);
  if (cell.empty() || cell.size() > 8) return {};
  const std::string low = lower_case(cell);
  for (const char* word : {"true", "on", "yes", "high", "open", "active", "wahr", "ein", "ja"})
    if (low == word) return 1;
  for (const char* word : {"false", "off", "no", "low", "closed", "inactive", "falsch", "aus", "nein"})
    if (low == word) return 0;
  return {};
}

bool is_hex_word(std::string_view cell) {
  return cell.size() >= 2 && cell.size() <= 8 && std::all_of(cell.begin(), cell.end(), hex_digit);
}

double hex_value(std::string_view cell) {
  std::uint32_t value = 0;
  std::from_chars(cell.data(), cell.data() + cell.size(), value, 16);
  return value;
}

bool is_in_parentheses(std::string_view cell) {
  cell = bare(cell);
  return cell.size() > 2 && cell.front() == '(' && cell.back() == ')' &&
         (is_digit(cell[1]) || cell[1] == '.');
}

bool is_over_range(std::string_view cell) {
  cell = bare(cell);
  if (cell.empty() || cell.size() > 12) return false;
  if (cell.find_first_not_of('+') == std::string_view::npos && cell.size() >= 2) return true;
  std::string low = lower_case(plain(cell));
  if (low[0] == '+' || low[0] == '-') low.erase(0, 1);
  static constexpr std::string_view words[] = {
      "ol",         "ovl",        "ovld",     "ovr",  "ovrng",   "over",         "overload", "overrange",
      "over range", "over-range", "overflow", "clip", "clipped", "\xE2\x88\x9E", "o.l",      "o.l."};
  return std::find(std::begin(words), std::end(words), low) != std::end(words);
}

}  // namespace vprism
