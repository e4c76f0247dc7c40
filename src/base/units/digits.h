// digits.h: numbers in words for large tables, several times as quick as the general way.
#pragma once

#include <string>

namespace vprism {

/// Appends `value` as "%.10g" writes it: ten significant digits, trailing zeros left off. Rounded from 64
/// bits of mantissa, so that a value within a billionth of a digit of a tie may round the other way. Not a
/// number and infinity as "nan", "inf", "-inf".
void append_ten_digits(std::string& out, double value);

}  // namespace vprism
