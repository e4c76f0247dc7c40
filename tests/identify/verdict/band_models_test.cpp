// What a narrow band holds: each kind from samples in closed form, named and measured.
#include "identify/verdict/band_models.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/verdict/impulses.h"

namespace vprism::band_models_test {
namespace {

constexpr double band_pi = std::numbers::pi, band_rate = 1000;
constexpr std::size_t band_samples = 8192;

/// `shape(t)` times a cosine of 200 Hz, in noise of `noise` RMS.
template <typename Shape>
std::vector<double> shaped(const Shape& shape, double noise, std::uint64_t seed) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, noise);
  std::vector<double> x(band_samples);
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(n) / band_rate;
    x[n] = shape(t) * std::cos(2 * band_pi * 200 * t + 0.7) + normal(bits);
  }
  return x;
}

BandVerdict verdict_on(const std::vector<double>& x, double noise, double low = 190, double high = 210) {
  return judge_band(BandSource(x, band_rate).take(low, high, 2 * noise * noise / band_rate));
}

TEST(BandSignal, IsTheComplexAmplitudeWithinTheBand) {
  const auto x = shaped([](double) { return 0.8; }, 1e-9, 1);
  const BandSignal band = BandSource(x, band_rate).take(190, 210, 0);
  ASSERT_GT(band.values.size(), 100u);
  for (std::size_t m = 0; m < band.values.size(); ++m) {
    EXPECT_NEAR(std::abs(band.values[m]), 0.8, 0.01);
    const double phase =
        std::arg(band.values[m]) - 2 * band_pi * (200 - band.centre_hz) * band.time_s(m) - 0.7;
    EXPECT_NEAR(std::remainder(phase, 2 * band_pi), 0, 0.02);
  }
}

TEST(BandSignal, BandsAddUpToTheMeanSquare) {
  std::mt19937_64 bits(5);
  std::normal_distribution<double> normal(3, 1);
  std::vector<double> x(1000);
  double mean = 0, square = 0;
  for (double& v : x) v = normal(bits), mean += v / 1000;
  for (const double v : x) square += (v - mean) * (v - mean) / 1000;
  const BandSource source(x, 1000);
  EXPECT_NEAR(source.mean_square(0, 100.5) + source.mean_square(100.6, 499.5), square, 0.002 * square);
}

TEST(BandModels, ALineThatBreathesDeeplyIsNoNoise) {
  for (const double depth : {0.5, 0.7, 0.9})
    for (const double turn : {0.0, 2.0, 4.0}) {
      const auto x =
          shaped([&](double t) { return 1 + depth * std::sin(2 * band_pi * t / 6 + turn); }, 0.01, 9);
      // Three lines explain the one as well as a line that wanders the other.
      const auto kind = verdict_on(x, 0.01).kind;
      EXPECT_TRUE(kind == BandVerdict::Kind::wandering || kind == BandVerdict::Kind::steady)
          << depth << " " << turn;
    }
}

TEST(BandModels, ASteadyLineIsSteadyAndItsUncertaintyCovers) {
  int within = 0;
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    const BandVerdict v = verdict_on(shaped([](double) { return 1.0; }, 0.1, seed), 0.1);
    ASSERT_EQ(v.kind, BandVerdict::Kind::steady) << seed;
    ASSERT_EQ(v.lines.size(), 1u);
    within += std::abs(v.lines[0].frequency_hz - 200) < v.lines[0].frequency_std_hz ? 1 : 0;
    EXPECT_NEAR(v.lines[0].frequency_hz, 200, 4 * v.lines[0].frequency_std_hz);
    EXPECT_NEAR(v.lines[0].amplitude, 1, 4 * v.lines[0].amplitude_std);
    EXPECT_NEAR(v.fluctuation, 1, 0.05);
  }
  EXPECT_GE(within, 20);
  EXPECT_LE(within, 36);
}

TEST(BandModels, ADecayingLineIsToldWithItsDampingAndItsStart) {
  for (const double start : {0.0, 2.0}) {
    const auto x = shaped([=](double t) { return t < start ? 0 : std::exp(-8 * (t - start)); }, 1e-3, 3);
    const BandVerdict v = verdict_on(x, 1e-3, 160, 240);
    ASSERT_EQ(v.kind, BandVerdict::Kind::decaying) << start;
    EXPECT_NEAR(v.exponential.decay_per_s, 8, 0.08);
    EXPECT_NEAR(v.exponential.frequency_hz, 200, 0.01);
    EXPECT_NEAR(v.exponential.start_s, start, start > 0 ? 0.05 : 0.3);
  }
}

TEST(BandModels, ABreathingLineWandersAndABurstIsOne) {
  const BandVerdict breath =
      verdict_on(shaped([](double t) { return 1 + 0.5 * std::sin(2 * band_pi * t / 9); }, 0.01, 4), 0.01);
  EXPECT_EQ(breath.kind, BandVerdict::Kind::wandering);
  EXPECT_GT(breath.amplitude_wander, 0.2);
  EXPECT_LT(breath.frequency_wander_hz, 0.1);
  const BandVerdict burst =
      verdict_on(shaped([](double t) { return t > 3 && t < 4.5 ? 1.0 : 0.0; }, 0.01, 4), 0.01);
  EXPECT_EQ(burst.kind, BandVerdict::Kind::burst);
  EXPECT_NEAR(burst.from_s, 3, 0.25);
  EXPECT_NEAR(burst.to_s, 4.5, 0.25);
}

TEST(BandModels, TwoLinesAreTwoAndNoiseIsNoise) {
  const double apart = 1.6 * band_rate / band_samples;
  const BandVerdict two =
      verdict_on(shaped([=](double t) { return 2 * std::cos(band_pi * apart * t); }, 0.01, 6), 0.01);
  ASSERT_EQ(two.kind, BandVerdict::Kind::steady);
  ASSERT_EQ(two.lines.size(), 2u);
  EXPECT_NEAR(std::abs(two.lines[0].frequency_hz - two.lines[1].frequency_hz), apart, 0.01 * apart);
  // White noise in the band, twenty times what is said to be there.
  const BandVerdict noise = verdict_on(shaped([](double) { return 0.0; }, 1, 7), 0.05);
  EXPECT_EQ(noise.kind, BandVerdict::Kind::noise);
  EXPECT_NEAR(noise.fluctuation, 2, 0.6);
  EXPECT_EQ(verdict_on(shaped([](double) { return 0.0; }, 1, 8), 1).kind, BandVerdict::Kind::nothing);
}

TEST(BandModels, ALineBesideNoiseIsTakenApart) {
  auto x = shaped([](double) { return 1.0; }, 0.3, 9);
  BandSignal band = BandSource(x, band_rate).take(190, 210, 1e-6);
  const auto line = take_line_apart(band);
  ASSERT_TRUE(line);
  EXPECT_NEAR(line->frequency_hz, 200, 4 * line->frequency_std_hz);
  EXPECT_NEAR(line->amplitude, 1, 4 * line->amplitude_std);
  // One that breathes has its own sidebands around it.
  x = shaped([](double t) { return 1 + 0.5 * std::sin(2 * band_pi * t / 9); }, 0.01, 4);
  BandSignal breathing = BandSource(x, band_rate).take(190, 210, 1e-6);
  EXPECT_FALSE(take_line_apart(breathing));
}

TEST(Impulses, RepeatAtTheirRateThroughSlipAndNoiseHasNone) {
  std::mt19937_64 bits(11);
  std::normal_distribution<double> normal;
  std::vector<double> x(band_samples, 0.0), noise(band_samples);
  for (double t = 0.01; t < 8.15; t += (1 + 0.01 * normal(bits)) / 9)
    for (std::size_t n = static_cast<std::size_t>(t * band_rate); n < x.size(); ++n) {
      const double since = static_cast<double>(n) / band_rate - t;
      if (since > 0.3) break;
      x[n] += std::exp(-40 * since) * std::sin(2 * band_pi * 300 * since);
    }
  for (double& v : noise) v = normal(bits);
  const auto train = find_impulses(BandSource(x, band_rate).take(240, 360, 0));
  ASSERT_TRUE(train);
  EXPECT_NEAR(train->rate_hz, 9, 0.15);
  EXPECT_FALSE(find_impulses(BandSource(noise, band_rate).take(240, 360, 0)));
}

}  // namespace
}  // namespace vprism::band_models_test
