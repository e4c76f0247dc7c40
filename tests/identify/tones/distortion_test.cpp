// Distortion against closed forms: known harmonics, noise, products, folding.
#include "identify/tones/distortion.h"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "signal/turn.h"

namespace vprism::distortion_test {
namespace {

struct Part {
  double hz, amplitude, phase_deg = 0;
};

std::vector<double> made(std::size_t count, double rate, const std::vector<Part>& parts, double noise = 0) {
  std::mt19937_64 bits(21);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) {
    for (const Part& p : parts)
      x[n] += p.amplitude * std::cos(turn * std::fmod(p.hz / rate * static_cast<double>(n), 1.0) +
                                     p.phase_deg * turn / 360);
    if (noise > 0) x[n] += noise * normal(bits);
  }
  return x;
}

class AnyNumberOfPeriods : public ::testing::TestWithParam<double> {};

TEST_P(AnyNumberOfPeriods, HarmonicsAtMinus140DecibelsAreReadWithinHalfADecibel) {
  const double f = GetParam();
  const auto x =
      made(65536, 48000, {{f, 1, 20}, {2 * f, 1e-7, -50}, {3 * f, 3e-7, 100}, {5 * f, 1e-5}}, 1e-8);
  const Distortion d = measure_distortion(x, 48000);
  EXPECT_NEAR(d.fundamental.frequency_hz, f, 1e-8 * f);
  EXPECT_NEAR(d.fundamental.rms, std::sqrt(0.5), 1e-9);
  ASSERT_EQ(d.harmonics.size(), 9u);
  const auto relative_db = [&](std::size_t i) {
    return 20 * std::log10(d.harmonics[i].rms / d.fundamental.rms);
  };
  EXPECT_NEAR(relative_db(0), -140, 0.5);
  EXPECT_NEAR(relative_db(1), 20 * std::log10(3e-7), 0.2);
  EXPECT_NEAR(relative_db(3), -100, 0.01);
  EXPECT_NEAR(d.harmonics[0].phase_deg, -50, 3);
  EXPECT_NEAR(d.harmonics[0].phase_to_first_deg, -90, 3);
  EXPECT_TRUE(d.harmonics[2].below_noise());
  EXPECT_NEAR(d.thd, std::sqrt(1e-14 + 9e-14 + 1e-10), 1e-8);
  EXPECT_NEAR(d.sfdr_db(), 100, 0.01);
  EXPECT_EQ(d.coherent(), f == 997.55859375);
}

// 1362 whole periods, and a number between.
INSTANTIATE_TEST_SUITE_P(Fundamentals, AnyNumberOfPeriods, ::testing::Values(997.55859375, 1000.123));

TEST(Distortion, NoiseAloneGivesTheTextbookRatios) {
  // A = 1, s = 1e-3: SNR = SINAD = 20 log10(0.7071 / 1e-3) = 56.99 dB.
  const Distortion d = measure_distortion(made(100'000, 50'000, {{3000.3, 1}}, 1e-3), 50'000);
  EXPECT_NEAR(d.snr_db(), 56.99, 0.05);
  EXPECT_NEAR(d.sinad_db(), 56.99, 0.05);
  EXPECT_NEAR(d.enob(), (56.99 - 1.7609) / 6.0206, 0.01);
  EXPECT_NEAR(d.sine_fit_sinad_db, d.sinad_db(), 0.01);
  EXPECT_NEAR(d.spectrum_rms, d.fundamental.rms, 1e-3);
  EXPECT_NEAR(d.noise_density, 1e-3 / std::sqrt(25'000), 3e-7);
}

TEST(Distortion, AnIdealQuantiserHasItsNumberOfBits) {
  // Full scale +-1 in 2^12 steps: SINAD 6.02 n + 1.76 dB.
  auto x = made(65536, 1e6, {{12'345.6789, 0.9999}});
  const double step = 2.0 / 4096;
  for (double& v : x) v = step * std::round(v / step);
  const Distortion d = measure_distortion(x, 1e6);
  EXPECT_NEAR(d.enob(), 12, 0.1);  // The rule takes errors as spread evenly, which they nearly are.
}

TEST(Distortion, FullScaleRaisesTheBitsOfASmallSine) {
  DistortionSettings settings;
  settings.full_scale = 10;
  const auto x = made(32768, 1e5, {{1234.5, 1}}, 1e-3);
  EXPECT_NEAR(measure_distortion(x, 1e5, settings).enob() - measure_distortion(x, 1e5).enob(), 20 / 6.0206,
              1e-4);  // The sine is 1 only up to its noise.
}

TEST(Distortion, HarmonicsBeyondHalfTheRateAreFoundWhereTheyFold) {
  // Third harmonic of 18.1 kHz at 48 kHz: 54.3 kHz folds to 6.3 kHz; the second, 36.2 kHz, to 11.8 kHz.
  const auto x = made(48'000, 48'000, {{18'100, 1}, {6'300, 1e-3}, {11'800, 2e-3}});
  const Distortion d = measure_distortion(x, 48'000);
  EXPECT_TRUE(d.harmonics[1].folded);
  EXPECT_NEAR(d.harmonics[1].frequency_hz, 6300, 1e-3);
  EXPECT_NEAR(d.harmonics[1].rms, 1e-3 / std::sqrt(2), 1e-9);
  EXPECT_NEAR(d.thd, std::sqrt(5e-6), 1e-8);
}

TEST(Distortion, ASpuriousLineCountsAsNoiseAndSetsTheFreeRange) {
  const auto x = made(50'000, 50'000, {{1000, 1}, {2000, 1e-4}, {7311.3, 1e-3}});
  const Distortion d = measure_distortion(x, 50'000);
  EXPECT_NEAR(d.sfdr_db(), 60, 0.05);
  EXPECT_NEAR(d.largest_spur_hz, 7311.3, 0.1);
  EXPECT_NEAR(d.thd_db(), -80, 0.01);
  EXPECT_NEAR(d.snr_db(), 60, 0.05);
}

TEST(Distortion, TheSpanLimitsNoiseAndHarmonics) {
  DistortionSettings settings;
  settings.span_hz = Range{20, 10'000};
  const auto x = made(100'000, 100'000, {{1000, 1}, {2000, 1e-3}, {20'000, 1e-2}}, 1e-3);
  settings.harmonics = 20;
  const Distortion d = measure_distortion(x, 100'000, settings);
  EXPECT_NEAR(d.thd, 1e-3, 5e-5);
  EXPECT_NEAR(d.noise_rms, 1e-3 * std::sqrt(0.2), 2e-5);
}

TEST(Distortion, TwoTonesHaveTheProductsOfACubic) {
  // y = x + e x^3 with x = a (cos u + cos v): third-order products 2u - v and 2v - u of 3/4 e a^3.
  const double a = 0.5, e = 1e-3;
  auto x = made(96'000, 96'000, {{9000, a}, {10'100.5, a}});
  for (double& v : x) v += e * v * v * v;
  DistortionSettings settings;
  settings.two_tone = true;
  const Distortion d = measure_distortion(x, 96'000, settings);
  ASSERT_TRUE(d.second);
  int seen = 0;
  for (const DistortionLine& l : d.harmonics)
    if ((l.order == 2 && l.second == -1) || (l.order == 1 && l.second == -2)) {
      ++seen;
      EXPECT_NEAR(l.rms, 0.75 * e * a * a * a / std::sqrt(2), 1e-9) << l.frequency_hz;
    }
  EXPECT_EQ(seen, 2);
}

TEST(Distortion, WhatCanNotBeMeasuredIsRefused) {
  EXPECT_THROW(measure_distortion(made(1000, 1000, {{1.5, 1}}), 1000), Error);
  EXPECT_THROW(measure_distortion(made(1000, 1000, {}, 1), 1000), Error);
  DistortionSettings settings;
  settings.fundamental_hz = 200;
  EXPECT_THROW(measure_distortion(made(1000, 1000, {{100, 1}}, 1e-3), 1000, settings), Error);
}

TEST(Distortion, HarmonicsUnderTheNoiseAreBoundedAndNotReported) {
  // -100 dB each, in noise of which every harmonic's bin holds more.
  const auto x = made(8192, 48'000, {{997, 1}, {1994, 1e-5}, {2991, 1e-5}}, 0.03);
  const Distortion d = measure_distortion(x, 48'000);
  EXPECT_FALSE(d.thd_known());
  EXPECT_LT(d.thd_upper, 4e-3);
  EXPECT_GT(d.thd_upper, 1.5e-5);
  // Well above it they are a number with an uncertainty.
  const Distortion strong = measure_distortion(made(8192, 48'000, {{997, 1}, {1994, 2e-2}}, 0.03), 48'000);
  EXPECT_TRUE(strong.thd_known());
  EXPECT_NEAR(strong.thd, 2e-2, 4 * strong.thd_std);
  EXPECT_LT(strong.thd_std, 2e-3);
}

TEST(Distortion, PeriodsALittleOffAWholeNumberAreNotCoherent) {
  const auto x = made(48'000, 48'000, {{200.007, 1}});
  EXPECT_FALSE(measure_distortion(x, 48'000).coherent());
  EXPECT_TRUE(measure_distortion(made(48'000, 48'000, {{200, 1}}), 48'000).coherent());
}

TEST(Distortion, EveryOrderThatStandsIsFittedOverAPartOfAPeriod) {
  // A pulse train of duty 0.3: forty orders, of which ten are asked for, over 60.37 periods.
  std::vector<Part> orders;
  double square = 0;
  for (int n = 1; n <= 40; ++n) {
    const double u = n * 0.3, size = 2 * std::abs(std::sin(turn / 2 * u) / (turn / 2 * u));
    const double sign = std::sin(turn / 2 * u) < 0 ? 180 : 0;
    orders.push_back({1000.0 * n, size, sign});
    if (n >= 2 && n <= 10) square += size * size;
  }
  const Distortion d = measure_distortion(made(6037, 100'000, orders, 1e-6), 100'000);
  EXPECT_NEAR(d.fundamental.frequency_hz, 1000, 1e-4);
  EXPECT_NEAR(d.fundamental.rms, orders[0].amplitude / std::sqrt(2.0), 1e-6);
  EXPECT_NEAR(d.thd, std::sqrt(square) / orders[0].amplitude, 1e-5);
  EXPECT_LT(d.fundamental_std_hz, 1e-5);
  double rest = 0;
  for (std::size_t n = 10; n < 40; ++n) rest += orders[n].amplitude * orders[n].amplitude;
  EXPECT_NEAR(d.noise_rms, std::sqrt(rest / 2), 1e-4);
}

}  // namespace
}  // namespace vprism::distortion_test
