// quantity.cpp: see quantity.h.
#include "base/units/quantity.h"

#include <fast_float/fast_float.h>

#include <cmath>
#include <string>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

struct DimensionEntry {
  const char* what;
  const char* unit;
  const char* example;
};

const DimensionEntry& entry(Dimension dimension) {
  static const DimensionEntry entries[] = {{"a frequency", "Hz", "2.5 kHz"},
                                           {"a time", "s", "20 us"},
                                           {"a ratio", "1", "50%"},
                                           {"a level in dB", "dB", "-3 dB"},
                                           {"a length", "m", "20 mm"}};
  return entries[static_cast<int>(dimension)];
}

[[noreturn]] void fail(const std::string& line) { throw Error(Status::usage, line); }

std::string quoted(std::string_view text) { return "\"" + clean_text(text, 60) + "\""; }

/// As parse_quantity, but a number without a unit takes `fallback`.
double parse_with(std::string_view text, Dimension dimension, std::string_view fallback) {
  const DimensionEntry& wanted = entry(dimension);
  const std::string example = std::string("; write for example \"") + wanted.example + "\"";
  if (trimmed(text).empty()) fail(std::string("nothing where ") + wanted.what + " is expected" + example);
  std::string_view rest;
  const double value = parse_leading_number(text, rest);
  if (rest.empty()) rest = fallback;
  if (rest.empty()) {
    if (dimension == Dimension::ratio) return value;
    fail(quoted(text) + " has no unit" + "; write for example \"" + format_number(value) + " " + wanted.unit +
         "\"");
  }
  if (dimension == Dimension::decibel) {
    if (lower_case(rest) != "db") fail(quoted(text) + " is not " + wanted.what + example);
    return value;
  }
  const Unit unit = Unit::parse(rest);
  const Unit base = Unit::parse(wanted.unit);
  if (!unit.converts_to(base))
    fail(quoted(text) + " is not " + wanted.what + ": " + quoted(rest) + " measures something else" +
         example);
  return unit.convert(value, base);
}

/// The unit written behind a number, "" if none.
std::string_view unit_of(std::string_view text) {
  std::string_view rest;
  parse_leading_number(text, rest);
  return rest;
}

}  // namespace

double parse_leading_number(std::string_view text, std::string_view& rest) {
  text = trimmed(text);
  std::string_view digits = text;
  if (!digits.empty() && digits.front() == '+') digits.remove_prefix(1);
  double value = 0;
  const auto [end, code] = fast_float::from_chars(digits.data(), digits.data() + digits.size(), value);
  if (code == std::errc::result_out_of_range) fail(quoted(text) + " is too large or too small for a number");
  if (code != std::errc()) fail(quoted(text) + " does not start with a number");
  if (!std::isfinite(value)) fail(quoted(text) + " is not a finite number");
  // Beyond this products and squares leave what a double holds.
  if (std::abs(value) > 1e200 || (value != 0 && std::abs(value) < 1e-200))
    fail(quoted(text) + " is too large or too small to work with");
  rest = trimmed(digits.substr(static_cast<std::size_t>(end - digits.data())));
  return value;
}

Quantity parse_any_quantity(std::string_view text) {
  std::string_view rest;
  Quantity out;
  out.value = parse_leading_number(text, rest);
  if (!rest.empty()) out.unit = Unit::parse(rest);
  return out;
}

double parse_quantity(std::string_view text, Dimension dimension) { return parse_with(text, dimension, ""); }

double parse_positive(std::string_view text, Dimension dimension) {
  const double value = parse_quantity(text, dimension);
  if (!(value > 0)) fail(quoted(text) + " must be above zero");
  return value;
}

Range parse_range(std::string_view text, Dimension dimension) {
  const DimensionEntry& wanted = entry(dimension);
  const std::size_t dots = text.find("..");
  if (dots == std::string_view::npos)
    fail(quoted(text) + " is not a range; write \"low..high\" with units, for example \"" +
         (dimension == Dimension::time ? "0.2s..1.5s" : "10Hz..5kHz") + "\"");
  const std::string_view low = trimmed(text.substr(0, dots));
  const std::string_view high = trimmed(text.substr(dots + 2));
  if (low.empty() && high.empty())
    fail(quoted(text) + " has neither end; write at least one, with a unit such as " + wanted.unit);
  Range range;
  if (!low.empty()) {
    // "0.." needs no unit to be clear; otherwise a bare number takes the other side's.
    std::string_view fallback = high.empty() ? std::string_view() : unit_of(high);
    std::string_view rest;
    if (high.empty() && parse_leading_number(low, rest) == 0) fallback = wanted.unit;
    range.low = parse_with(low, dimension, fallback);
  }
  if (!high.empty())
    range.high = parse_with(high, dimension, low.empty() ? std::string_view() : unit_of(low));
  if (range.low && range.high && !(*range.low < *range.high))
    fail(quoted(text) + " ends where it starts or before; write the lower end first");
  return range;
}

long long parse_whole_number(std::string_view text, long long least) {
  std::string_view rest;
  const double value = parse_leading_number(text, rest);
  if (!rest.empty() || value != std::floor(value) || std::abs(value) > 9e15)
    fail(quoted(text) + " is not a whole number");
  if (value < static_cast<double>(least)) fail(quoted(text) + " must be at least " + std::to_string(least));
  return static_cast<long long>(value);
}

}  // namespace vprism
