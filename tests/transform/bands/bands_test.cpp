// Bands, derived quantities and occupancy against the standard's figures and closed forms.
#include "transform/bands/bands.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "signal/feed.h"
#include "signal/turn.h"
#include "transform/maps/occupancy.h"
#include "transform/spectra/spectrum_estimator.h"
#include "transform/time/derived.h"

namespace vprism::bands_test {
namespace {

Spectrum of(const std::vector<double>& x, double rate, std::size_t segment) {
  SpectrumSettings settings;
  settings.segment = segment;
  SpectrumEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate), settings);
  feed(estimator, {x});
  return estimator.result()[0];
}

std::vector<double> sine(std::size_t count, double rate, double hz, double amplitude) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n)
    x[n] = amplitude * std::sin(turn * hz * static_cast<double>(n) / rate);
  return x;
}

TEST(Bands, OctavesAndThirdsAreThoseOfTheStandard) {
  const auto octaves = octave_bands(1, 20, 20000);
  ASSERT_EQ(octaves.size(), 9u);  // 31.5 Hz (22.4 to 44.7) to 8 kHz; 16 kHz reaches beyond 20 kHz.
  EXPECT_EQ(octaves[0].name, "31.5 Hz");
  EXPECT_NEAR(octaves[0].middle_hz, 31.623, 1e-3);
  EXPECT_EQ(octaves[5].name, "1 kHz");
  EXPECT_NEAR(octaves[5].low_hz, 707.95, 0.01);
  EXPECT_NEAR(octaves[5].high_hz, 1412.54, 0.01);
  const auto thirds = octave_bands(3, 20, 20000);
  EXPECT_EQ(thirds.front().name, "25 Hz");
  EXPECT_EQ(thirds.back().name, "16 kHz");
  EXPECT_NEAR(thirds.front().middle_hz, 25.119, 1e-3);
  // Even fractions lie beside 1 kHz: the next middle is G^(1/24) above it.
  bool found = false;
  for (const BandEdges& band : octave_bands(12, 900, 1200))
    found = found || std::abs(band.middle_hz - 1000 * std::pow(10, 0.3 / 24)) < 1e-6;
  EXPECT_TRUE(found);
}

TEST(Bands, HoldThePowerOfTheirTonesAndShareOutTheNoise) {
  auto x = sine(100000, 10000, 1000, 2);
  const auto other = sine(100000, 10000, 250, 1);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] += other[n];
  const auto levels = band_levels(of(x, 10000, 8192), octave_bands(1, 40, 5000));
  for (const BandLevel& band : levels) {
    if (band.edges.name == "1 kHz") {
      EXPECT_NEAR(band.mean_square, 2, 2e-4);
      EXPECT_NEAR(band.share, 0.8, 1e-3);
    }
    if (band.edges.name == "250 Hz") {
      EXPECT_NEAR(band.mean_square, 0.5, 1e-4);
    }
    if (band.edges.name == "500 Hz") {
      EXPECT_LT(band.mean_square, 1e-6);
    }
  }
  std::mt19937_64 dice(2);
  std::normal_distribution<double> noise;
  for (double& v : x) v = noise(dice);
  const Spectrum s = of(x, 10000, 8192);
  const auto own = band_levels(s, {{1000, 1500, 2000, ""}, {0, 2500, 5000, ""}});
  EXPECT_NEAR(own[0].mean_square, 0.2, 0.01);
  EXPECT_NEAR(own[1].mean_square, 1, 0.03);
}

TEST(Bands, AreOfTheClassThatTheirBinsAllow) {
  const Spectrum fine = of(sine(200000, 10000, 1000, 1), 10000, 16384),
                 coarse = of(sine(20000, 10000, 1000, 1), 10000, 64);
  for (const BandEdges& band : octave_bands(3, 500, 2000)) {
    EXPECT_EQ(octave_class(fine, band, 3), 1) << band.name;
    EXPECT_EQ(octave_class(coarse, band, 3), 0) << band.name;
  }
}

TEST(Bands, WeightingIsThatOfTheStandard) {
  // IEC 61672-1: A is -19.1 dB at 100 Hz, 0 at 1 kHz; C -0.3 dB at 100 Hz.
  const Spectrum low = of(sine(100000, 10000, 100, 1), 10000, 10000);
  EXPECT_NEAR(10 * std::log10(weighted_mean_square(low, 'A') / 0.5), -19.1, 0.1);
  EXPECT_NEAR(10 * std::log10(weighted_mean_square(low, 'C') / 0.5), -0.3, 0.05);
  EXPECT_NEAR(weighted_mean_square(of(sine(100000, 10000, 1000, 1), 10000, 10000), 'A'), 0.5, 1e-3);
}

TEST(Derived, AccelerationOfASineIsItsVelocityTimesOmega) {
  const double omega = turn * 50;
  Spectrum s = of(sine(10000, 1000, 50, 3), 1000, 1000);
  Channel channel{"a", Unit::parse("m/s^2"), "acceleration"};
  EXPECT_EQ(motion_order(channel), 2);
  derive(s, -2, derive(channel, -2));
  EXPECT_EQ(channel.unit.text(), "m");
  EXPECT_EQ(channel.quantity, "displacement");
  EXPECT_NEAR(s.level(50, Scale::peak), 3 / (omega * omega), 1e-9);
  EXPECT_EQ(s.power[0], 0);
  derive(s, 1, derive(channel, 1));
  EXPECT_EQ(channel.unit.text(), "m/s");
  EXPECT_NEAR(s.level(50, Scale::peak), 3 / omega, 1e-9);
  // Displacement is opposite to acceleration; velocity lags it by a quarter.
  EXPECT_NEAR(std::remainder(std::arg(s.first[50]) * 360 / turn - (-90 - 90), 360), 0, 1e-6);
  Channel gravity{"g", Unit::parse("g"), "acceleration"};
  EXPECT_NEAR(derive(gravity, -1), 9.80665, 1e-12);
  EXPECT_THROW(motion_order(Channel{"u", Unit::parse("V"), "voltage"}), Error);
}

TEST(Occupancy, CountsEverySegmentOnceAndFindsTheShortEvent) {
  std::mt19937_64 dice(4);
  std::normal_distribution<double> noise;
  std::vector<double> x(200000);
  for (std::size_t n = 0; n < x.size(); ++n) {
    x[n] = 0.01 * noise(dice) + std::sin(turn * 0.125 * static_cast<double>(n));
    if (n >= 120000 && n < 120300) x[n] += 0.5 * std::sin(turn * 0.3 * static_cast<double>(n));
  }
  SpectrumSettings settings;
  settings.segment = 256;
  OccupancyEstimator estimator(plan_spectrum(settings, 200000, 1000), settings);
  feed(estimator, {x}, 10007);
  const Occupancy map = estimator.result()[0];
  for (std::size_t k = 0; k < map.grid.bins(); ++k) {
    double sum = 0;
    for (std::size_t i = 0; i < map.levels; ++i) sum += map.share(k, i);
    EXPECT_NEAR(sum, 1, 1e-12);
  }
  // The tone stands at -3 dB (mean square 0.5) all the time.
  EXPECT_NEAR(map.percentile_db(32, 0.1), 10 * std::log10(0.5), 0.3);
  EXPECT_NEAR(map.percentile_db(32, 0.99), 10 * std::log10(0.5), 0.3);
  // Noise is exponential: its median and 90% level lie 10 log10(ln 2) and 10 log10(ln 10) from the mean.
  const double mean_db = 10 * std::log10(map.grid.power[60]);
  EXPECT_NEAR(map.percentile_db(60, 0.5) - mean_db, 10 * std::log10(std::log(2)), 0.5);
  EXPECT_NEAR(map.percentile_db(60, 0.9) - mean_db, 10 * std::log10(std::log(10)), 0.5);
  const auto rare = rare_events(map);
  ASSERT_GE(rare.size(), 1u);
  for (const RareEvent& event : rare)
    EXPECT_NEAR(event.time_s, 120, 0.4);  // Its sudden ends may stand apart.
  EXPECT_NEAR(rare[0].peak_hz, 300, 4);
  EXPECT_NEAR(rare[0].time_s, 120, 0.3);
  EXPECT_LT(rare[0].share, 0.01);
}

}  // namespace
}  // namespace vprism::bands_test
