// quantity.h: numbers with units as options, case files and calibrations write them.
#pragma once

#include <optional>
#include <string_view>

#include "base/units/unit.h"

namespace vprism {

/// What an option asks for. The value is handed on in the unit in brackets.
enum class Dimension {
  frequency /*Hz*/,
  time /*s*/,
  ratio /*1; "50%" or "0.5"*/,
  decibel /*dB*/,
  length /*m*/
};

struct Quantity {
  double value = 0;
  Unit unit;
};

/// A finite number at the head of `text`; what follows it (trimmed) is left in `rest`. Throws Error(usage).
double parse_leading_number(std::string_view text, std::string_view& rest);

/// "100 mV" -> 100 in mV; a number alone is dimensionless. Throws Error(usage).
Quantity parse_any_quantity(std::string_view text);

/// "2.5 kHz" -> 2500 for Dimension::frequency. Throws Error(usage), with a message of its own for each of:
/// nothing there, no number, not finite, no unit, an unknown unit, a unit of another dimension.
double parse_quantity(std::string_view text, Dimension dimension);
/// The same, and above zero.
double parse_positive(std::string_view text, Dimension dimension);

/// A closed range; a missing side is open.
struct Range {
  std::optional<double> low;
  std::optional<double> high;
  bool contains(double x) const { return (!low || x >= *low) && (!high || x <= *high); }
};

/// "10Hz..5kHz", "0..8kHz" (a bare number takes the other side's unit), "2s.." and "..2s" (open). Throws
/// Error(usage), also when the sides are the wrong way round or equal.
Range parse_range(std::string_view text, Dimension dimension);

/// A whole number of at least `least`. Throws Error(usage).
long long parse_whole_number(std::string_view text, long long least);

}  // namespace vprism
