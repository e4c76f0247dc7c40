// Quantities: every way to write one, and one clear error for each way to get one wrong.
#include "base/units/quantity.h"

#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::quantity_test {
namespace {

using ::testing::HasSubstr;

std::string error_of(const std::function<void()>& action) {
  try {
    action();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    return error.what();
  }
  return "no error";
}

TEST(Quantity, ConvertsPrefixesAndSpellings) {
  EXPECT_DOUBLE_EQ(parse_quantity("2.5 kHz", Dimension::frequency), 2500);
  EXPECT_DOUBLE_EQ(parse_quantity("2.5kHz", Dimension::frequency), 2500);
  EXPECT_DOUBLE_EQ(parse_quantity("48kS/s", Dimension::frequency), 48000);
  EXPECT_DOUBLE_EQ(parse_quantity("1 MSa/s", Dimension::frequency), 1e6);
  EXPECT_DOUBLE_EQ(parse_quantity("3000 1/s", Dimension::frequency), 3000);
  EXPECT_DOUBLE_EQ(parse_quantity("20us", Dimension::time), 20e-6);
  EXPECT_DOUBLE_EQ(parse_quantity("1.5e-3 s", Dimension::time), 1.5e-3);
  EXPECT_DOUBLE_EQ(parse_quantity("2 min", Dimension::time), 120);
  EXPECT_DOUBLE_EQ(parse_quantity("50%", Dimension::ratio), 0.5);
  EXPECT_DOUBLE_EQ(parse_quantity("0.5", Dimension::ratio), 0.5);
  EXPECT_DOUBLE_EQ(parse_quantity("-3 dB", Dimension::decibel), -3);
  EXPECT_DOUBLE_EQ(parse_quantity("+1ms", Dimension::time), 1e-3);
}

TEST(Quantity, EachMistakeHasItsOwnMessage) {
  const auto frequency = [](const char* text) {
    return error_of([&] { parse_quantity(text, Dimension::frequency); });
  };
  EXPECT_THAT(frequency(""), HasSubstr("nothing where a frequency is expected"));
  EXPECT_THAT(frequency("fast"), HasSubstr("does not start with a number"));
  EXPECT_THAT(frequency("inf Hz"), HasSubstr("not a finite number"));
  EXPECT_THAT(frequency("1e999 Hz"), HasSubstr("not a finite number"));
  EXPECT_THAT(frequency("2"), HasSubstr("has no unit; write for example \"2 Hz\""));
  EXPECT_THAT(frequency("2 Hx"), HasSubstr("\"Hx\" is not a unit; did you mean \"Hz\"?"));
  EXPECT_THAT(frequency("2 V"), HasSubstr("measures something else"));
  EXPECT_THAT(error_of([] { parse_positive("0 Hz", Dimension::frequency); }), HasSubstr("above zero"));
  EXPECT_THAT(error_of([] { parse_positive("-2 s", Dimension::time); }), HasSubstr("above zero"));
}

TEST(Range, SidesShareAUnitAndMayBeOpen) {
  const Range both = parse_range("0..8kHz", Dimension::frequency);
  EXPECT_DOUBLE_EQ(*both.low, 0);
  EXPECT_DOUBLE_EQ(*both.high, 8000);
  const Range left = parse_range("0.2s..1.5", Dimension::time);
  EXPECT_DOUBLE_EQ(*left.high, 1.5);
  EXPECT_FALSE(parse_range("2s..", Dimension::time).high.has_value());
  EXPECT_FALSE(parse_range("..2s", Dimension::time).low.has_value());
  EXPECT_DOUBLE_EQ(*parse_range("-10ms..5ms", Dimension::time).low, -0.01);
  EXPECT_TRUE(both.contains(8000));
  EXPECT_FALSE(both.contains(8001));
}

TEST(Range, MistakesAreNamed) {
  const auto range = [](const char* text) { return error_of([&] { parse_range(text, Dimension::time); }); };
  EXPECT_THAT(range("1s"), HasSubstr("is not a range"));
  EXPECT_THAT(range(".."), HasSubstr("neither end"));
  EXPECT_THAT(range("2s..1s"), HasSubstr("lower end first"));
  EXPECT_THAT(range("1..2"), HasSubstr("no unit"));
  EXPECT_THAT(range("1Hz..2Hz"), HasSubstr("not a time"));
}

TEST(WholeNumber, RefusesFractionsAndLowValues) {
  EXPECT_EQ(parse_whole_number("4096", 1), 4096);
  EXPECT_THAT(error_of([] { parse_whole_number("2.5", 1); }), HasSubstr("not a whole number"));
  EXPECT_THAT(error_of([] { parse_whole_number("3", 4); }), HasSubstr("at least 4"));
}

}  // namespace
}  // namespace vprism::quantity_test
