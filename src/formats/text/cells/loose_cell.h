// loose_cell.h: numbers with something beside them, as people and instruments write them.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace vprism {

struct LooseNumber {
  double value = 0;
  std::string unit;     ///< Behind it: "V", "%"; "" for none.
  char prefix = 0;      ///< By itself behind it, and applied: "2.5k"; 'u' for any micro.
  bool marked = false;  ///< A mark that refers to a note stands behind it: "0.78*".
};

/// What is no plain number but one all the same: "0.3 V", "12%", "(0.3)", a typographic minus, "0x1f", and
/// thousands set apart ("5,309.02", "1.234,5", "1 234.5", "1'234.5"; never before a leading zero). What
/// stands behind must be a unit.
std::optional<LooseNumber> parse_loose(std::string_view cell, char decimal);

/// "TRUE", "off", "yes", "high", ...: 1 or 0.
std::optional<double> parse_truth(std::string_view cell);
/// "07F7", "1000": two to eight hexadecimal digits and nothing else.
bool is_hex_word(std::string_view cell);
/// What they are worth.
double hex_value(std::string_view cell);
/// "(0.3)", which is -0.3 where other numbers of the column stand without parentheses.
bool is_in_parentheses(std::string_view cell);

/// "OL", "+++", "Overload", "∞", ...: more than the instrument can measure.
bool is_over_range(std::string_view cell);
/// 9.9e37 and 9.91e37, which instruments send for the same.
inline bool is_over_range(double value) {
  const double size = value < 0 ? -value : value;
  return size >= 9.8999e37 && size <= 9.9101e37;
}

}  // namespace vprism
