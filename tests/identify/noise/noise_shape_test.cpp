// The noise between lines: its law and the bands above it.
#include "identify/noise/noise_shape.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::noise_shape_test {
namespace {

Spectrum grid() {
  Spectrum s;
  s.plan.rate_hz = 8192;
  s.plan.segment = 16384;
  s.plan.bin_hz = 0.5;
  s.plan.rbw_hz = 0.75;
  s.enbw_bins = 1.5;
  s.transform = 16384;
  s.power.assign(8193, 0.0);
  return s;
}

std::vector<double> floor_of(double (*density)(double)) {
  std::vector<double> floor;
  for (int k = 0; k <= 8192; ++k) floor.push_back(0.75 * density(std::max(0.5, 0.5 * k)));
  return floor;
}

TEST(NoiseShape, WhitePinkAndSteeperAreNamed) {
  const NoiseShape white = noise_shape(grid(), floor_of([](double) { return 2e-6; }));
  EXPECT_NEAR(white.slope, 0, 1e-9);
  EXPECT_NEAR(white.density(100), 2e-6, 1e-12);
  EXPECT_EQ(white.word(), "white");
  EXPECT_NEAR(white.rms, std::sqrt(2e-6 * 4096), 1e-4);
  EXPECT_EQ(noise_shape(grid(), floor_of([](double f) { return 1e-3 / f; })).word(), "pink (1/f)");
  const NoiseShape steep = noise_shape(grid(), floor_of([](double f) { return std::pow(f, -1.5); }));
  EXPECT_NEAR(steep.slope, 1.5, 0.01);
  EXPECT_EQ(steep.word(), "falling as 1/f^1.5");
}

TEST(NoiseShape, ABandAboveTheLawIsMeasuredByItsEdgesAndPower) {
  const NoiseShape shape =
      noise_shape(grid(), floor_of([](double f) { return f >= 600 && f <= 800 ? 1e-4 : 1e-6; }));
  ASSERT_EQ(shape.bands.size(), 1u);
  EXPECT_NEAR(shape.bands[0].low_hz, 600, 1);
  EXPECT_NEAR(shape.bands[0].high_hz, 800, 1);
  EXPECT_NEAR(shape.bands[0].above_db, 20, 0.1);
  EXPECT_NEAR(shape.bands[0].rms, std::sqrt(200 * 0.99e-4), 2e-3);
  EXPECT_EQ(shape.word(), "white");
}

// What an amplifier or a random walk in white noise makes: no band at the top.
TEST(NoiseShape, ALawThatEndsInWhiteNoiseIsBoth) {
  const NoiseShape walk = noise_shape(grid(), floor_of([](double f) { return 0.09 / (f * f) + 1e-6; }));
  EXPECT_NEAR(walk.slope, 2, 0.02);
  EXPECT_NEAR(walk.white_density, 1e-6, 3e-9);
  EXPECT_NEAR(walk.density(1000), 1.09e-6, 3e-9);
  EXPECT_EQ(walk.word(), "brown (1/f^2), white above 300 Hz");
  EXPECT_TRUE(walk.bands.empty());
  const NoiseShape flicker = noise_shape(grid(), floor_of([](double f) { return 5e-5 / f + 1e-6; }));
  EXPECT_NEAR(flicker.slope, 1, 0.05);
  EXPECT_TRUE(flicker.bands.empty());
  // A hump is none the less one.
  const NoiseShape hump = noise_shape(
      grid(), floor_of([](double f) { return 0.09 / (f * f) + (f >= 900 && f <= 1300 ? 1e-5 : 1e-6); }));
  ASSERT_EQ(hump.bands.size(), 1u);
  EXPECT_NEAR(hump.bands[0].low_hz, 900, 1);
}

TEST(NoiseShape, AFloorThatWandersHasNoLaw) {
  EXPECT_EQ(
      noise_shape(grid(), floor_of([](double f) { return 1e-6 * std::exp(2 * std::sin(3 * std::log(f))); }))
          .word(),
      "of no single slope");
}

}  // namespace
}  // namespace vprism::noise_shape_test
