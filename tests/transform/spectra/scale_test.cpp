// What the numbers of a spectrum mean: every scale of a sine and of noise, and derived quantities.
#include "transform/spectra/scale.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "transform/time/derived.h"

namespace vprism::scale_test {
namespace {

TEST(Scale, OneSineInAllScales) {
  // A = 3: mean square 4.5; RBW 2 Hz, 0.75 s.
  const double ms = 4.5;
  EXPECT_NEAR(level_of(ms, Scale::peak, 2, 2, 0.75), 3, 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::peak_to_peak, 2, 2, 0.75), 6, 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::rms, 2, 2, 0.75), 3 / std::sqrt(2.0), 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::power, 2, 2, 0.75), 4.5, 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::psd, 2, 2, 0.75), 2.25, 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::asd, 2, 2, 0.75), 1.5, 1e-12);
  EXPECT_NEAR(level_of(ms, Scale::esd, 2, 2, 0.75), 2.25 * 0.75, 1e-12);
  // At DC and of a turning complex tone the peak is the RMS.
  EXPECT_NEAR(level_of(ms, Scale::peak, 1, 2, 0.75), std::sqrt(4.5), 1e-12);
}

TEST(Scale, UnitsFollow) {
  const Unit volt = Unit::parse("V"), acceleration = Unit::parse("m/s^2");
  EXPECT_EQ(scale_unit(volt, Scale::rms), "V");
  EXPECT_EQ(scale_unit(volt, Scale::power), "V\u00B2");
  EXPECT_EQ(scale_unit(volt, Scale::psd), "V\u00B2/Hz");
  EXPECT_EQ(scale_unit(acceleration, Scale::psd), "(m/s\u00B2)\u00B2/Hz");
  EXPECT_EQ(scale_unit(volt, Scale::asd), "V/\u221aHz");
  EXPECT_EQ(scale_unit(acceleration, Scale::asd), "(m/s\u00B2)/\u221aHz");
  EXPECT_EQ(scale_unit(Unit(), Scale::asd), "1/\u221aHz");
  EXPECT_FALSE(unit_over_root_hertz(volt));
}

TEST(Scale, NamesComeBackAndWrongOnesAreTold) {
  for (const ScaleEntry& entry : scale_table()) EXPECT_EQ(parse_scale(entry.name), entry.scale);
  EXPECT_THROW(parse_scale("peek"), Error);
}

TEST(Derived, MotionsByTheirUnits) {
  const auto order = [](const char* unit) { return motion_order(Channel{"x", Unit::parse(unit)}); };
  EXPECT_EQ(order("um"), 0);
  EXPECT_EQ(order("mm/s"), 1);
  EXPECT_EQ(order("g"), 2);
  EXPECT_EQ(order("m/s^2"), 2);
  EXPECT_THROW(order("V"), Error);
  EXPECT_EQ(motion_order("velocity"), 1);
  EXPECT_THROW(motion_order("speed"), Error);
}

TEST(Derived, GainIsThePowerOfTheAngularFrequency) {
  const double w = 2 * std::numbers::pi * 50;
  EXPECT_NEAR(derived_gain(50, 1), w, 1e-9);
  EXPECT_NEAR(derived_gain(50, 2), w * w, 1e-6);
  EXPECT_NEAR(derived_gain(50, -2), 1 / (w * w), 1e-15);
  EXPECT_DOUBLE_EQ(derived_gain(50, 0), 1);
}

TEST(Derived, UnitsOfAnIntegralAreWrittenAnew) {
  Channel a{"x", Unit::parse("m/s^2"), "acceleration"};
  EXPECT_DOUBLE_EQ(derive(a, -1), 1);
  EXPECT_EQ(a.unit.text(), "m/s");
  EXPECT_EQ(a.quantity, "velocity");
  Channel g{"x", Unit::parse("g"), "acceleration"};
  EXPECT_NEAR(derive(g, -2), 9.80665, 1e-9);
  EXPECT_EQ(g.unit.text(), "m");
  EXPECT_EQ(g.quantity, "displacement");
}

TEST(Derived, PowersOfASpectrumAreMultipliedBinByBin) {
  Spectrum s;
  s.plan.segment = s.transform = 16;
  s.plan.rate_hz = 16, s.plan.bin_hz = 1;
  s.power.assign(9, 1.0);
  s.first.assign(9, {1, 0});
  derive(s, 1, 1);
  for (std::size_t k = 0; k < 9; ++k)
    EXPECT_NEAR(s.power[k], std::pow(2 * std::numbers::pi * static_cast<double>(k), 2), 1e-9);
  // A derivative turns by a quarter.
  EXPECT_NEAR(s.first[3].imag(), 2 * std::numbers::pi * 3, 1e-9);
  derive(s, -1, 1);
  EXPECT_NEAR(s.power[4], 1, 1e-12);
  EXPECT_EQ(s.power[0], 0);
}

}  // namespace
}  // namespace vprism::scale_test
