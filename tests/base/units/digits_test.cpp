// digits_test.cpp: ten digits as the C library writes them.
#include "base/units/digits.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdio>
#include <limits>
#include <random>

namespace vprism::digits_test {
namespace {

std::string ours(double value) {
  std::string out;
  append_ten_digits(out, value);
  return out;
}
std::string theirs(double value) {
  char text[64];
  std::snprintf(text, sizeof text, "%.10g", value);
  return text;
}

TEST(TenDigits, AreThoseOfTheCLibrary) {
  for (const double value :
       {0.0,          1.0,           -1.0,          10.0,          0.1,           0.5,
        9999999999.0, 99999999999.0, 9999999999.5,  0.0001,        0.00001,       0.00099999999999,
        123456789.0,  1234567890.0,  12345678901.0, 1e-39,         1e-41,         1e39,
        1e41,         5e-324,        1.7e308,       0.99999999995, 0.99999999994, 999999.99995,
        1e10,         1e9,           -2.5e-7,       4096.0,        1.0 / 3.0})
    EXPECT_EQ(ours(value), theirs(value)) << value;
  EXPECT_EQ(ours(std::numeric_limits<double>::infinity()), "inf");
  std::mt19937_64 random(7);
  std::uniform_real_distribution<double> exponent(-45, 45), mantissa(-10, 10);
  int other = 0;
  for (int i = 0; i < 300000; ++i) {
    const double value = mantissa(random) * std::pow(10.0, std::round(exponent(random)));
    other += ours(value) != theirs(value);
  }
  // Within a billionth of a tie, which one in a million numbers is.
  EXPECT_LE(other, 1);
}

}  // namespace
}  // namespace vprism::digits_test
