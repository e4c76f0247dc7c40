// Units: conversions by UDUNITS-2, and what the trade writes differently.
#include "base/units/unit.h"

#include <gtest/gtest.h>

#include <thread>
#include <vector>

#include "base/error.h"

namespace vprism::unit_test {
namespace {

TEST(Unit, LoneGIsStandardGravityAndKgStaysAMass) {
  EXPECT_DOUBLE_EQ(Unit::parse("g").convert(1, Unit::parse("m/s^2")), 9.80665);
  EXPECT_DOUBLE_EQ(Unit::parse("mg").convert(1000, Unit::parse("m/s2")), 9.80665);
  EXPECT_FALSE(Unit::parse("kg").converts_to(Unit::parse("m/s^2")));
}

TEST(Unit, ConvertsWithinADimensionOnly) {
  EXPECT_DOUBLE_EQ(Unit::parse("mV").convert(2500, Unit::parse("V")), 2.5);
  EXPECT_THROW(Unit::parse("mV").convert(1, Unit::parse("A")), Error);
}

TEST(Unit, QuotientsAndProductsKeepTheirMeaning) {
  const Unit a = Unit::parse("m/s^2");
  const Unit transfer = a.over(Unit::parse("N"));
  EXPECT_EQ(transfer.text(), "(m/s^2)/N");
  EXPECT_TRUE(transfer.converts_to(Unit::parse("1/kg")));
  EXPECT_EQ(a.over(a).text(), "1");
  EXPECT_EQ(Unit::parse("V").times(Unit::parse("V")).text(), "V^2");
  const Unit second = Unit::parse("s");
  EXPECT_EQ(Unit::parse("m/s^2").times(second).text(), "m/s");
  EXPECT_EQ(Unit::parse("m/s").times(second).text(), "m");
  EXPECT_EQ(Unit::parse("m/s").over(second).text(), "m/s^2");
  EXPECT_EQ(Unit::parse("V").times(second).times(second).text(), "V*s^2");
  EXPECT_EQ(Unit::parse("V").times(second).over(second).text(), "V");
  EXPECT_TRUE(Unit::parse("m/s^2").times(second) == Unit::parse("m/s"));
  EXPECT_NEAR(Unit::parse("m/s^2").times(second).convert(1, Unit::parse("km/h")), 3.6, 1e-12);
  EXPECT_TRUE(Unit::parse("V").times(Unit::parse("A")).converts_to(Unit::parse("W")));
}

TEST(Unit, AHertzIsATurnASecond) {
  const Unit hertz = Unit::parse("Hz"), radians = Unit::parse("rad/s");
  const double turn = 2 * 3.14159265358979323846;
  EXPECT_NEAR(radians.convert(1, hertz), 1 / turn, 1e-15);
  EXPECT_NEAR(hertz.convert(1, radians), turn, 1e-14);
  EXPECT_NEAR(Unit::parse("rpm").convert(60, hertz), 1, 1e-14);
  EXPECT_NEAR(Unit::parse("RPM").convert(60, radians), turn, 1e-13);
  EXPECT_NEAR(Unit::parse("degree/s").convert(360, hertz), 1, 1e-14);
  EXPECT_NEAR(Unit::parse("1/min").convert(60, hertz), 1, 1e-14);
  EXPECT_NEAR(Unit::parse("rev/s").convert(1, hertz), 1, 1e-14);
  EXPECT_NEAR(Unit::parse("kHz").convert(1, hertz), 1000, 1e-9);
}

TEST(Unit, WordsOfTheTrade) {
  const auto is = [](const char* text, double value, const char* other) {
    const auto unit = Unit::try_parse(text);
    ASSERT_TRUE(unit) << text;
    ASSERT_TRUE(unit->converts_to(Unit::parse(other))) << text;
    EXPECT_NEAR(unit->convert(1, Unit::parse(other)), value, 1e-6 * value) << text;
    EXPECT_EQ(unit->text(), text);
  };
  is("Nm", 1, "N.m");
  is("kNm", 1000, "N.m");
  is("Nm/s", 1, "W");
  is("kWh", 3.6e6, "J");
  is("mAh", 3.6, "A.s");
  is("PSI", 6894.757, "Pa");
  is("mph", 0.44704, "m/s");
  is("ustrain", 1e-6, "1");
  is("\u00b5\u03b5", 1e-6, "1");
  is("Vrms", 1, "V");
  is("mV RMS", 1e-3, "V");
  is("Grms", 9.80665, "m/s^2");
  is("mm/s rms", 1e-3, "m/s");
  is("cfm", 4.719474e-4, "m^3/s");
  is("mmH2O", 9.80665, "Pa");
  is("%RH", 0.01, "1");
  // Words that are names more often than units.
  for (const char* text : {"strain", "pixel", "var", "rms"}) EXPECT_FALSE(Unit::try_parse(text)) << text;
}

TEST(Unit, LabelRaisesExponents) { EXPECT_EQ(Unit::parse("m/s^2").label(), "m/s\u00B2"); }

TEST(Unit, UnreadableUnitsStayText) {
  EXPECT_FALSE(Unit::try_parse("furlongs per blink").has_value());
  const Unit odd = Unit::opaque("counts\x01");
  EXPECT_EQ(odd.text(), "counts ");
  EXPECT_FALSE(odd.converts_to(Unit::parse("V")));
}

TEST(Unit, MayBeUsedFromManyThreads) {
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([] {
      for (int i = 0; i < 200; ++i) EXPECT_DOUBLE_EQ(Unit::parse("kHz").convert(2, Unit::parse("Hz")), 2000);
    });
  for (std::thread& thread : threads) thread.join();
}

TEST(Unit, WhatItIsOfIsNoFactor) {
  // Not bar times are, not degrees times coulomb.
  for (const char* text : {"bar(a)", "bar(g)", "barg", "psia", "psig", "kPa(abs)", "mbarg"})
    EXPECT_TRUE(Unit::parse(text).converts_to(Unit::parse("Pa"))) << text;
  for (const char* text : {"deg C", "deg F", "degrees C", "\u00b0 C", "\u00baC"})
    EXPECT_TRUE(Unit::parse(text).converts_to(Unit::parse("K"))) << text;
  EXPECT_TRUE(Unit::parse("dB(A)").dimensionless());
  EXPECT_NEAR(Unit::parse("barg").convert(1, Unit::parse("kPa")), 100, 1e-9);
  EXPECT_NEAR(Unit::parse("ft-lb").convert(1, Unit::parse("N.m")), 1.3558179, 1e-6);
  EXPECT_NEAR(Unit::parse("ips").convert(1, Unit::parse("mm/s")), 25.4, 1e-9);
  EXPECT_EQ(Unit::parse("bar(a)").text(), "bar(a)");
}

}  // namespace
}  // namespace vprism::unit_test
