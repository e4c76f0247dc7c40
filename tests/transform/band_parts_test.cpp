// Parts of a band: shifted down, found around a carrier, sampled at other places.
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "transform/bands/band_shift.h"
#include "transform/bands/carrier_band.h"
#include "transform/spectra/spectrum_estimator.h"
#include "transform/time/angle_samples.h"

namespace vprism::band_parts_test {
namespace {

using std::numbers::pi;

/// A channel through a shift, in blocks of an awkward size; real and imaginary part.
std::vector<std::vector<double>> shifted(const std::vector<double>& x, double rate, double hz,
                                         std::size_t factor, double cutoff = 0) {
  BandShift shift(rate, hz, factor, {}, cutoff);
  Block block(1, 617);
  std::vector<std::vector<double>> out(2);
  const auto take = [&] {
    for (std::size_t p = 0; p < 2; ++p) {
      std::vector<double>& ready = shift.ready()[p];
      out[p].insert(out[p].end(), ready.begin(), ready.end());
      ready.clear();
    }
  };
  for (std::size_t at = 0; at < x.size(); at += 617) {
    const std::size_t count = std::min<std::size_t>(617, x.size() - at);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), count, block.room(0).begin());
    block.set(static_cast<std::int64_t>(at), count);
    shift.add(block);
    take();
  }
  shift.finish();
  take();
  return out;
}

std::vector<double> tone(std::size_t count, double rate, double hz, double amplitude, double phase_deg) {
  std::vector<double> x;
  for (std::size_t n = 0; n < count; ++n)
    x.push_back(amplitude * std::cos(2 * pi * hz * static_cast<double>(n) / rate + phase_deg * pi / 180));
  return x;
}

TEST(BandShift, ALineKeepsAmplitudeAndPhaseAtItsDifference) {
  const double rate = 10000;
  const auto z = shifted(tone(40000, rate, 2510, 3, 40), rate, 2500, 20);
  ASSERT_NEAR(static_cast<double>(z[0].size()), 2000, 3);
  for (std::size_t m = 200; m < 1800; m += 13) {
    const double t = static_cast<double>(m) * 20 / rate;
    const std::complex<double> expected = std::polar(1.5, 2 * pi * 10 * t + 40 * pi / 180);
    EXPECT_NEAR(z[0][m], expected.real(), 1e-4);
    EXPECT_NEAR(z[1][m], expected.imag(), 1e-4);
  }
}

TEST(BandShift, WhatWouldFoldIsGone) {
  // 2500 + 650 Hz is beyond half the new rate of 500 Hz and would fold to 150 Hz.
  const auto z = shifted(tone(40000, 10000, 3150, 1, 0), 10000, 2500, 20);
  for (std::size_t m = 200; m < 1800; ++m) EXPECT_LT(std::hypot(z[0][m], z[1][m]), 1e-5);
}

TEST(BandShift, ACutoffTakesOffWhatLiesFarther) {
  const auto wide = shifted(tone(40000, 10000, 2560, 1, 0), 10000, 2500, 20),
             narrow = shifted(tone(40000, 10000, 2560, 1, 0), 10000, 2500, 20, 20);
  EXPECT_NEAR(std::hypot(wide[0][1000], wide[1][1000]), 0.5, 1e-4);
  EXPECT_LT(std::hypot(narrow[0][1000], narrow[1][1000]), 5e-3);
}

TEST(CarrierBand, AModulatedCarrierIsFoundWithItsWidth) {
  // Frequency modulated by +-200 Hz at 20 Hz: Carson's band is 440 Hz; in noise 60 dB below.
  const double rate = 20000;
  std::mt19937_64 dice(3);
  std::normal_distribution<double> noise(0, 1e-2);
  std::vector<double> x;
  for (std::size_t n = 0; n < 200000; ++n) {
    const double t = static_cast<double>(n) / rate;
    x.push_back(std::cos(2 * pi * 5000 * t + 10 * std::sin(2 * pi * 20 * t)) + noise(dice));
  }
  SpectrumSettings settings;
  settings.segment = 8192;
  const SpectrumPlan plan = plan_spectrum(settings, 200000, rate);
  SpectrumEstimator estimator(plan, settings);
  Block block(1, 65536);
  for (std::size_t at = 0; at < x.size(); at += 50000) {
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), 50000, block.room(0).begin());
    block.set(static_cast<std::int64_t>(at), 50000);
    estimator.add(block);
  }
  const Spectrum spectrum = estimator.result().front();
  const auto found = find_carrier(spectrum, {}, {});
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->carrier_hz, 5000, 25);
  EXPECT_GT(found->half_hz, 220);
  EXPECT_LT(found->half_hz, 1500);
  EXPECT_GT(found->occupied_hz, 380);
  EXPECT_LT(found->occupied_hz, 500);
  // Where nothing stands out there is none.
  EXPECT_FALSE(find_carrier(spectrum, 7000.0, 9000.0));
}

TEST(AngleSamples, BetweenTheSamplesASineIsItself) {
  const std::vector<double> x = tone(4000, 1000, 83, 1.7, 25);
  const auto at = [](std::size_t i) { return 500 + 1.37 * static_cast<double>(i); };
  const auto y = sampled_at(x, 2000, at, [](std::size_t) { return 0.7; });
  for (std::size_t i = 0; i < y.size(); ++i)
    EXPECT_NEAR(y[i], 1.7 * std::cos(2 * pi * 83 * at(i) / 1000 + 25 * pi / 180), 1e-3);
}

TEST(AngleSamples, WhatLiesBeyondTheShareIsGone) {
  // 400 Hz, where only 0.3 of 500 Hz may pass.
  const std::vector<double> x = tone(4000, 1000, 400, 1, 0);
  const auto y = sampled_at(
      x, 500, [](std::size_t i) { return 500 + 5 * static_cast<double>(i); },
      [](std::size_t) { return 0.3; });
  for (const double v : y) EXPECT_LT(std::abs(v), 1e-3);
}

TEST(AngleSamples, BeyondTheEndsIsNothing) {
  const auto y = sampled_at(
      std::vector<double>(100, 1.0), 3, [](std::size_t i) { return -500.0 + 550 * static_cast<double>(i); },
      [](std::size_t) { return 1.0; });
  EXPECT_NEAR(y[0], 0, 1e-12);
  EXPECT_NEAR(y[1], 1, 0.02);
  EXPECT_NEAR(y[2], 0, 1e-12);
}

}  // namespace
}  // namespace vprism::band_parts_test
