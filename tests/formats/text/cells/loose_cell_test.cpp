// Numbers with something beside them.
#include "formats/text/cells/loose_cell.h"

#include <gtest/gtest.h>

namespace vprism::loose_cell_test {
namespace {

TEST(LooseCell, NumbersAsPeopleWriteThem) {
  struct Case {
    const char* text;
    char decimal;
    double value;
    const char* unit;
  };
  for (const Case& c : {Case{"0.3 V", '.', 0.3, "V"},
                        {"12%", '.', 12, "%"},
                        {"-1,5 mV", ',', -1.5, "mV"},
                        {"(0.3)", '.', 0.3, ""},
                        {"\xE2\x88\x92"
                         "2.5",
                         '.', -2.5, ""},
                        {"0x1f", '.', 31, ""},
                        {"-0xFF", '.', -255, ""},
                        {"\"5,309.02\"", '.', 5309.02, ""},
                        {"1.234,5", ',', 1234.5, ""},
                        {"1 234 567.25", '.', 1234567.25, ""},
                        {"1'234.5", '.', 1234.5, ""},
                        {"12,345", '.', 12345, ""}}) {
    const auto number = parse_loose(c.text, c.decimal);
    ASSERT_TRUE(number) << c.text;
    EXPECT_DOUBLE_EQ(number->value, c.value) << c.text;
    EXPECT_EQ(number->unit, c.unit) << c.text;
  }
}

TEST(LooseCell, WhatIsNoNumberStaysNone) {
  for (const char* text : {"", "running", "4/3/2025", "12:30", "0,001", "1,23", "1,2345", "1.2.3", "5 V 3",
                           "0xZZ", "12 apples", "--", "13-Apr"})
    EXPECT_FALSE(parse_loose(text, '.')) << text;
}

TEST(LooseCell, OverRange) {
  for (const char* text : {"OL", "-OL", "+++", "Overload", "\xE2\x88\x9E", "over range", "O.L."})
    EXPECT_TRUE(is_over_range(std::string_view(text))) << text;
  for (const char* text : {"", "+", "1", "overall", "old"})
    EXPECT_FALSE(is_over_range(std::string_view(text))) << text;
  EXPECT_TRUE(is_over_range(9.9e37));
  EXPECT_TRUE(is_over_range(-9.91e37));
  EXPECT_FALSE(is_over_range(9.8e37));
  EXPECT_FALSE(is_over_range(1e38));
}

}  // namespace
}  // namespace vprism::loose_cell_test
