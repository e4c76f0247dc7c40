// text.cpp: see text.h. UTF-8 is checked by the table of well-formed byte sequences (Unicode 15, table 3-7).
#include "base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>

namespace vprism {

namespace {

/// Length of the well-formed UTF-8 sequence at the head of `s`, 0 if there is none.
std::size_t utf8_length(std::string_view s) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(s[i]); };
  const auto follows = [&](std::size_t i, unsigned low = 0x80, unsigned high = 0xBF) {
    return i < s.size() && byte(i) >= low && byte(i) <= high;
  };
  const unsigned b = byte(0);
  if (b < 0x80) return 1;
  if (b >= 0xC2 && b <= 0xDF) return follows(1) ? 2 : 0;
  if (b >= 0xE0 && b <= 0xEF)
    return follows(1, b == 0xE0 ? 0xA0 : 0x80, b == 0xED ? 0x9F : 0xBF) && follows(2) ? 3 : 0;
  if (b >= 0xF0 && b <= 0xF4)
    return follows(1, b == 0xF0 ? 0x90 : 0x80, b == 0xF4 ? 0x8F : 0xBF) && follows(2) && follows(3) ? 4 : 0;
  return 0;
}

}  // namespace

std::string lower_case(std::string_view text) {
  std::string out(text);
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

std::string_view trimmed(std::string_view text) {
  const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; };
  while (!text.empty() && blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && blank(text.back())) text.remove_suffix(1);
  return text;
}

std::vector<std::string> split(std::string_view text, char separator) {
  std::vector<std::string> parts;
  for (;;) {
    const std::size_t at = text.find(separator);
    parts.emplace_back(text.substr(0, at));
    if (at == std::string_view::npos) return parts;
    text.remove_prefix(at + 1);
  }
}

bool starts_with(std::string_view text, std::string_view head) { return text.substr(0, head.size()) == head; }

std::string clean_text(std::string_view text, std::size_t longest) {
  std::string out;
  std::size_t count = 0;
  while (!text.empty()) {
    if (count == longest) return out + "...";
    const std::size_t n = utf8_length(text);
    const auto c = static_cast<unsigned char>(text.front());
    // C0 and C1 controls, and the marks that turn the direction of text, would act on a terminal or mislead a
    // reader.
    const bool c1 = n == 2 && c == 0xC2 && static_cast<unsigned char>(text[1]) < 0xA0;
    const bool turns = n == 3 && (text.substr(0, 2) == "\xE2\x80" || text.substr(0, 2) == "\xE2\x81") &&
                       ((static_cast<unsigned char>(text[2]) >= 0xA8 && text[1] == '\x80' &&
                         static_cast<unsigned char>(text[2]) <= 0xAE) ||
                        (text[1] == '\x81' && static_cast<unsigned char>(text[2]) >= 0xA6 &&
                         static_cast<unsigned char>(text[2]) <= 0xA9));
    if (n == 0)
      out += "\xEF\xBF\xBD";
    else if (c < 0x20 || c == 0x7F || c1 || turns)
      out += ' ';
    else
      out += text.substr(0, n);
    text.remove_prefix(std::max<std::size_t>(n, 1));
    ++count;
  }
  return out;
}

bool runs_in_spreadsheet(std::string_view text) {
  text = trimmed(text);
  if (text.empty() || std::string_view("=+-@\t\r").find(text.front()) == std::string_view::npos) return false;
  // A number with a sign is one.
  double value = 0;
  std::string_view digits = text.substr(text.front() == '+' ? 1 : 0);
  const auto [end, code] = std::from_chars(digits.data(), digits.data() + digits.size(), value);
  return code != std::errc() || end != digits.data() + digits.size();
}

std::string csv_cell(const std::string& text) {
  const bool runs = runs_in_spreadsheet(text);
  if (!runs && text.find_first_of(",\"\r\n;") == std::string::npos) return text;
  std::string out = runs ? "\"'" : "\"";
  for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + "\"";
}

std::string clean_file_name(std::string_view text) {
  std::string out;
  for (const char c : text) {
    const bool keep = std::isalnum(static_cast<unsigned char>(c)) || c == '_';
    if (keep)
      out += c;
    else if (!out.empty() && out.back() != '-')
      out += '-';
    if (out.size() == 80) break;
  }
  while (!out.empty() && out.back() == '-') out.pop_back();
  return out.empty() ? "unnamed" : out;
}

std::string format_number(double value, int digits) {
  if (value == 0) return "0";  // also -0
  std::string out = fmt::format("{:.{}g}", value, digits);
  // 750 with two digits: what is hardly longer in full is written so.
  if (const double size = std::abs(value); size < 9999.5 && digits < 4 && out.find("e+") != std::string::npos)
    out = fmt::format("{:.0f}", std::stod(out));
  return out;
}

std::string quoted_names(const std::vector<std::string>& names, std::size_t most) {
  std::string out;
  for (std::size_t k = 0; k < std::min(most, names.size()); ++k)
    out += (k > 0 ? ", \"" : "\"") + clean_text(names[k]) + "\"";
  return out + (names.size() > most ? ", ..." : "");
}

bool takes_prefix(std::string_view unit) {
  if (unit.empty() || unit == "1" || unit == "%" || unit == "dB" || unit == "deg" || unit == "FS" ||
      unit == "min" || unit == "h" || unit == "kg" || unit == "g")
    return false;
  return std::all_of(unit.begin(), unit.end(),
                     [](char c) { return std::isalpha(static_cast<unsigned char>(c)); });
}

Prefix prefix_for(double largest, std::string_view unit) {
  static const std::array<const char*, 9> symbols = {"p", "n", "u", "m", "", "k", "M", "G", "T"};
  const double size = std::abs(largest);
  if (!takes_prefix(unit) || size == 0 || !std::isfinite(size)) return {};
  // A unit that already carries a prefix (mV, kHz) must not get a second one.
  static const std::array<std::string_view, 12> plain = {"Hz", "s", "V",   "A",   "Pa", "N",
                                                         "W",  "m", "rad", "ohm", "F",  "C"};
  if (std::find(plain.begin(), plain.end(), unit) == plain.end()) return {};
  const int power = static_cast<int>(std::floor((std::log10(size) + 4.4e-13) / 3));
  const int step = std::clamp(power, -4, 4);
  return {symbols[static_cast<std::size_t>(step + 4)], std::pow(10.0, 3 * step)};
}

std::string format_quantity(double value, std::string_view unit, int digits) {
  const Prefix prefix = prefix_for(value, unit);
  std::string out = format_number(value / prefix.factor, digits);
  if (!unit.empty() && unit != "1") out += " " + prefix.symbol + std::string(unit);
  return out;
}

std::string format_uncertain(double value, double uncertainty, std::string_view unit) {
  const Prefix prefix = prefix_for(value, unit);
  const double v = value / prefix.factor;
  const double u = uncertainty / prefix.factor;
  const std::string tail = unit.empty() || unit == "1" ? "" : " " + prefix.symbol + std::string(unit);
  if (!(u > 1e-12 * std::abs(v))) return format_number(v, 7) + tail;
  const int needed = 1 - static_cast<int>(std::floor(std::log10(u))), decimals = std::max(0, needed);
  if (needed > 12 || std::abs(v) >= 1e15 || u >= 1e15)
    return format_number(v, 12) + " \u00B1 " + format_number(u, 2) + tail;
  return fmt::format("{:.{}f} \u00B1 {:.{}f}{}", v, decimals, u, decimals, tail);
}

std::string bar_line(const std::vector<double>& values, double low, double high, std::size_t width) {
  static constexpr const char* bars[] = {"\u2581", "\u2582", "\u2583", "\u2584",
                                         "\u2585", "\u2586", "\u2587", "\u2588"};
  std::string out;
  width = std::min(width, values.size());
  for (std::size_t i = 0; i < width; ++i) {
    const auto from = values.begin() + static_cast<std::ptrdiff_t>(i * values.size() / width);
    const auto to = values.begin() + static_cast<std::ptrdiff_t>((i + 1) * values.size() / width);
    double top = std::nan("");
    for (auto v = from; v != to; ++v) top = std::fmax(top, *v);
    const double share = high > low ? (top - low) / (high - low) : 0;
    out += std::isnan(top) ? " " : bars[static_cast<std::size_t>(std::clamp(share * 8, 0.0, 7.0))];
  }
  return out;
}

}  // namespace vprism
