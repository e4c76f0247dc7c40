// Calibrations: every step against arithmetic by hand.
#include "signal/calibration.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "base/error.h"

namespace vprism::calibration_test {
namespace {

using ::testing::HasSubstr;

Calibration made(const std::string& steps, const std::string& stored = "V") {
  return make_calibration(parse_calibration_rule("x: " + steps).steps, Unit::parse(stored));
}

std::string error_of(const std::string& rule, const std::string& stored = "V") {
  try {
    make_calibration(parse_calibration_rule(rule).steps, Unit::parse(stored));
  } catch (const Error& error) {
    return error.what();
  }
  return "none";
}

TEST(Calibration, ProbeGainAndOffset) {
  EXPECT_DOUBLE_EQ(made("probe 10").value(0.3), 3);
  EXPECT_DOUBLE_EQ(made("gain 10").value(5), 0.5);
  EXPECT_NEAR(made("gain 20 dB").value(5), 0.5, 1e-12);
  EXPECT_DOUBLE_EQ(made("offset -2.5 V").value(4), 1.5);
  EXPECT_NEAR(made("offset 250 mV").value(1), 1.25, 1e-12);
  // From left to right: 0.3 V times 10, less 1 V, over a gain of 2.
  EXPECT_NEAR(made("probe 10, offset -1 V, gain 2").value(0.3), 1, 1e-12);
}

TEST(Calibration, ASensitivityMakesThePhysicalUnit) {
  const Calibration c = made("sensitivity 100 mV/g");
  EXPECT_EQ(c.unit.text(), "g");
  EXPECT_NEAR(c.value(0.25), 2.5, 1e-12);
  EXPECT_NEAR(made("sensitivity 100 mV/g", "mV").value(250), 2.5, 1e-12);
  EXPECT_EQ(made("sensitivity 100 mV/(m/s^2)").unit.text(), "m/s^2");
  EXPECT_NEAR(made("sensitivity 4 pC/N", "pC").value(8), 2, 1e-12);
  // A channel without a unit is taken in volts: 0.1 V at 50 mV/Pa.
  EXPECT_NEAR(made("sensitivity 50 mV/Pa", "1").value(0.1), 2, 1e-12);
}

TEST(Calibration, LinesAndTables) {
  const Calibration line = made("linear 2 -1 bar");
  EXPECT_DOUBLE_EQ(line.value(3), 5);
  EXPECT_EQ(line.unit.text(), "bar");
  const Calibration two = made("two-point 0.5=0 4.5=10 bar");
  EXPECT_NEAR(two.value(0.5), 0, 1e-12);
  EXPECT_NEAR(two.value(4.5), 10, 1e-12);
  EXPECT_NEAR(two.value(2.5), 5, 1e-12);
  const Calibration table = made("table 0=0 1=9.7 2=20.1 degC");
  EXPECT_NEAR(table.value(0.5), 4.85, 1e-12);
  EXPECT_NEAR(table.value(1.5), 14.9, 1e-12);
  // Beyond the ends the outermost stretch goes on.
  EXPECT_NEAR(table.value(3), 30.5, 1e-12);
  EXPECT_NEAR(table.value(-1), -9.7, 1e-12);
}

TEST(Calibration, ANamedUnitChangesNoNumber) {
  const Calibration c = made("unit kN", "1");
  EXPECT_DOUBLE_EQ(c.value(7), 7);
  EXPECT_EQ(c.unit.text(), "kN");
}

TEST(Calibration, WhatDoesNotFitIsToldWithItsRemedy) {
  EXPECT_THAT(error_of("x: prob 10"), HasSubstr("did you mean \"probe\""));
  EXPECT_NE(error_of("x: sensitivity 100 mV"), "none");
  EXPECT_NE(error_of("x: offset 3 Hz"), "none");
  EXPECT_NE(error_of("x: gain 0"), "none");
  EXPECT_NE(error_of("x: probe ten"), "none");
  EXPECT_NE(error_of("x: two-point 1=0 1=10 bar"), "none");
  EXPECT_NE(error_of("x"), "none");
  EXPECT_NE(error_of("x: sensitivity 100 mV/g", "A"), "none");
}

TEST(Calibration, UnitRulesNameChannelsAndUnits) {
  const UnitRule rule = parse_unit_rule("acc*: m/s^2");
  EXPECT_EQ(rule.channels, "acc*");
  EXPECT_EQ(rule.unit.text(), "m/s^2");
  EXPECT_THROW(parse_unit_rule("acc*"), Error);
  EXPECT_THROW(parse_unit_rule("acc: furlongz"), Error);
}

}  // namespace
}  // namespace vprism::calibration_test
