// Modulation against closed forms: FM, AM, shapes, drift, jumps, and noise alone.
#include "identify/swings/modulation.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "transform/bands/band_shift.h"
#include "transform/bands/carrier_band.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::modulation_test {
namespace {

using std::numbers::pi;

constexpr double rate = 20000;

/// A carrier at 3 kHz (above a shift of that) whose frequency and amplitude are functions of time.
template <typename F, typename A>
Demodulated demodulated(F frequency, A amplitude, double noise = 0, std::size_t count = 20000) {
  std::mt19937_64 bits(11);
  std::normal_distribution<double> dice(0, noise > 0 ? noise : 1);
  std::vector<double> re, im;
  double phase = 0.4;
  constexpr int steps = 8;
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate;
    re.push_back(amplitude(t) * std::cos(phase) + (noise > 0 ? dice(bits) : 0));
    im.push_back(amplitude(t) * std::sin(phase) + (noise > 0 ? dice(bits) : 0));
    for (int s = 0; s < steps; ++s) phase += 2 * pi * frequency(t + (s + 0.5) / steps / rate) / rate / steps;
  }
  return demodulate(re, im, rate, 3000, 1);
}
double one(double) { return 1; }

TEST(Modulation, SineFmGivesCarrierDeviationAndRate) {
  const auto f = [](double t) { return 12.5 + 140 * std::sin(2 * pi * 23.7 * t + 0.3); };
  const Modulation m = measure_modulation(demodulated(f, one));
  EXPECT_NEAR(m.carrier_hz, 3012.5, 1e-3);
  ASSERT_GE(m.frequency.size(), 1u);
  EXPECT_NEAR(m.frequency[0].peak, 140, 0.01);
  EXPECT_NEAR(m.frequency[0].rate_hz, 23.7, 1e-4);
  EXPECT_EQ(m.frequency[0].shape, "sine");
  EXPECT_TRUE(m.jumps.empty());
  EXPECT_NEAR(m.level, 1, 1e-6);
  EXPECT_LT(m.depth(), 1e-3);
  EXPECT_NEAR(m.highest_hz - m.lowest_hz, 280, 1);
}

// Longer than what is fitted at once: means of a few samples made 3.3 kHz one of 0.7 kHz.
TEST(Modulation, SwingsOfALongSeriesAreWhereTheyAreHoweverQuick) {
  const auto triangle = [](double x) { return 1 - 4 * std::abs(x - std::floor(x) - 0.5); };
  const auto f = [&](double t) {
    return 140 * std::cos(2 * pi * 37.3 * t + 1) + 90 * triangle(617.3 * t) +
           40 * std::cos(2 * pi * 3300 * t);
  };
  const Modulation m = measure_modulation(demodulated(
      f, [](double t) { return 1 + 0.2 * std::cos(2 * pi * 7100 * t); }, 1e-3, 700'000));
  ASSERT_EQ(m.frequency.size(), 3u);
  EXPECT_NEAR(m.carrier_hz, 3000, 4 * m.carrier_std_hz);
  const double hz[] = {37.3, 617.3, 3300}, peak[] = {140, 90, 40};
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_NEAR(m.frequency[i].rate_hz, hz[i], 4 * m.frequency[i].rate_std_hz);
    EXPECT_NEAR(m.frequency[i].peak, peak[i], 4 * m.frequency[i].peak_std + 1e-4 * peak[i]);
    EXPECT_LT(m.frequency[i].peak_std, 0.2);
  }
  EXPECT_EQ(m.frequency[1].shape, "triangle");
  // Of a cosine at the first sample; the first value of the course lies a sample on.
  EXPECT_NEAR(m.frequency[0].phase_deg, 180 / pi, 1);
  ASSERT_EQ(m.amplitude.size(), 1u);
  EXPECT_NEAR(m.amplitude[0].rate_hz, 7100, 1e-3);
  EXPECT_NEAR(m.depth(), 0.2, 1e-4);
}

// Of index 1/6, the second sidebands cut off: atan(2 J1 / J0) and so on, 0.35% less.
TEST(Modulation, ASpanThatCutsSidebandsOffIsInTheUncertainty) {
  const double level = std::cyl_bessel_j(0, 1.0 / 6), side = std::cyl_bessel_j(1, 1.0 / 6);
  std::vector<double> re, im;
  for (int n = 0; n < 20000; ++n) {
    const double turn = 2 * pi * 1500 * n / rate;
    re.push_back(level), im.push_back(2 * side * std::sin(turn));
  }
  Modulation m = measure_modulation(demodulate(re, im, rate, 3000, 1));
  // atan(a sin x) = 2 (q sin x + q^3 / 3 sin 3x + ...), q = (sqrt(1 + a^2) - 1) / a.
  const double a = 2 * side / level, q = (std::sqrt(1 + a * a) - 1) / a;
  EXPECT_NEAR(m.frequency[0].peak, 2 * q * 1500, 1e-2);
  const double off = 250 - 2 * q * 1500;
  EXPECT_GT(off, 10 * m.frequency[0].peak_std);
  EXPECT_NEAR(allow_for_cut_sidebands(m, 500, 5500), off / 250, 3e-4);
  ASSERT_EQ(m.frequency.size(), 1u);
  EXPECT_NEAR(m.frequency[0].peak_std, off, 0.1 * off);
  EXPECT_TRUE(m.amplitude.empty());
  // With room for them there is nothing to allow for.
  m = measure_modulation(demodulated([](double t) { return 250 * std::cos(2 * pi * 1500 * t); }, one));
  EXPECT_LT(allow_for_cut_sidebands(m, -7000, 13000), 1e-6);
}

TEST(Modulation, SineAmGivesDepth) {
  const Modulation m = measure_modulation(demodulated(
      [](double) { return 7.0; }, [](double t) { return 2 * (1 + 0.35 * std::cos(2 * pi * 50 * t)); }));
  EXPECT_NEAR(m.depth(), 0.35, 1e-5);
  ASSERT_EQ(m.amplitude.size(), 1u);
  EXPECT_NEAR(m.amplitude[0].rate_hz, 50, 1e-6);
  EXPECT_NEAR(m.level, 2, 1e-5);
  EXPECT_TRUE(m.frequency.empty());
}

TEST(Modulation, TriangleWithDriftAsSpreadSpectrumClocksHave) {
  const auto triangle = [](double x) { return 1 - 4 * std::abs(x - std::floor(x) - 0.5); };
  const Modulation m =
      measure_modulation(demodulated([&](double t) { return 200 * triangle(31 * t) + 5 * t; }, one, 1e-3));
  ASSERT_GE(m.frequency.size(), 1u);
  EXPECT_EQ(m.frequency[0].shape, "triangle");
  EXPECT_NEAR(m.frequency[0].peak, 200, 1);
  EXPECT_NEAR(m.frequency[0].rate_hz, 31, 2e-3);
  EXPECT_NEAR(m.drift_hz_per_s, 5, 0.3);
}

TEST(Modulation, AJumpIsToldWithItsTimeAndSize) {
  const auto f = [](double t) { return 60 * std::sin(2 * pi * 13 * t) + (t >= 0.4321 ? -333 : 0); };
  const Modulation m = measure_modulation(demodulated(f, one, 2e-3));
  ASSERT_EQ(m.jumps.size(), 1u);
  EXPECT_NEAR(m.jumps[0].time_s, 0.4321, 1.1 / rate);
  EXPECT_NEAR(m.jumps[0].step_hz, -333, 5 * m.jumps[0].step_std_hz + 0.5);
  EXPECT_NEAR(m.carrier_hz, 3000, 0.5);
  ASSERT_GE(m.frequency.size(), 1u);
  EXPECT_NEAR(m.frequency[0].peak, 60, 0.5);
}

TEST(Modulation, ASteadyCarrierInNoiseHasNoSwingsAndNoJumps) {
  const Modulation m = measure_modulation(demodulated([](double) { return 0.0; }, one, 0.02));
  EXPECT_NEAR(m.carrier_hz, 3000, 5 * m.carrier_std_hz);
  EXPECT_TRUE(m.jumps.empty());
  EXPECT_LE(m.frequency.size() + m.amplitude.size(), 1u);
}

TEST(Modulation, WhatFiltersMakeOfTheEndsIsNoJump) {
  // A steady carrier; near the end of the series, what is left of a harmonic beats with it.
  for (const double from : {0.9, 0.97, 0.985}) {
    const auto f = [&](double t) { return t > from && t < from + 0.002 ? 1e-4 : 0.0; };
    const Modulation m = measure_modulation(demodulated(f, one, 0, 460 * 40));
    for (const Jump& jump : m.jumps) EXPECT_GT(std::abs(jump.step_hz), 4 * jump.step_std_hz);
    EXPECT_TRUE(m.jumps.empty() || from == 0.9);
  }
}

TEST(Modulation, AStepAtTheVeryEndIsNotedButNotListed) {
  const auto f = [](double t) { return t > 0.995 ? 40.0 : 0.0; };
  const Modulation m = measure_modulation(demodulated(f, one, 1e-3));
  EXPECT_TRUE(m.jumps.empty());
  ASSERT_EQ(m.edge_jumps.size(), 1u);
  EXPECT_NEAR(m.edge_jumps[0].time_s, 0.995, 0.003);
  EXPECT_TRUE(measure_modulation(demodulated([](double) { return 0.0; }, one, 1e-3)).edge_jumps.empty());
}

TEST(Modulation, WhatStillRingsAtTheEndsIsMeasured) {
  // A straight line with ripple in its first and last values.
  Demodulated series;
  series.rate_hz = 100;
  std::mt19937_64 bits(2);
  std::normal_distribution<double> noise(0, 1e-3);
  for (int n = 0; n < 800; ++n) {
    const double from_end = std::min(n, 799 - n);
    series.frequency.push_back(50 + 0.01 * n + noise(bits) +
                               (from_end < 20 ? std::exp(-from_end / 4) * (n % 2 == 0 ? 1 : -1) : 0));
  }
  series.amplitude.assign(800, 1.0), series.phase.assign(800, 0.0);
  const std::size_t rings = ringing_at_ends(series);
  EXPECT_GE(rings, 12u);
  EXPECT_LE(rings, 50u);
  trim(series, rings);
  EXPECT_EQ(ringing_at_ends(series), 0u);
  EXPECT_NEAR(series.start_s, static_cast<double>(rings) / 100, 1e-12);
  // Noise alone rings nowhere.
  Demodulated plain;
  plain.rate_hz = 100;
  for (int n = 0; n < 800; ++n) plain.frequency.push_back(noise(bits));
  EXPECT_LE(ringing_at_ends(plain), 50u);
}

TEST(Modulation, TheCarrierMovesWithItsDrift) {
  Modulation m;
  m.carrier_hz = 1000, m.carrier_std_hz = 0.3, m.drift_hz_per_s = -2, m.drift_std_hz_per_s = 0.1,
  m.middle_s = 5;
  m.move_carrier(4);
  EXPECT_NEAR(m.carrier_hz, 992, 1e-12);
  EXPECT_NEAR(m.carrier_std_hz, 0.5, 1e-12);
  EXPECT_NEAR(m.middle_s, 9, 1e-12);
}

TEST(Modulation, ShapesAreNamedWhateverTheirPhase) {
  struct Case {
    const char* name;
    double (*wave)(double);
    double peak;
  };
  const Case cases[] = {{"sine", [](double x) { return std::sin(2 * pi * x); }, 1},
                        {"triangle", [](double x) { return 1 - 4 * std::abs(x - std::floor(x) - 0.5); }, 1},
                        {"sawtooth up", [](double x) { return 2 * (x - std::floor(x)) - 1; }, 1},
                        {"sawtooth down", [](double x) { return 1 - 2 * (x - std::floor(x)); }, 1},
                        {"square", [](double x) { return x - std::floor(x) < 0.5 ? 1.0 : -1.0; }, 1},
                        {"irregular", [](double x) { return std::pow(std::sin(pi * x), 16); }, 0.5}};
  for (const Case& c : cases)
    for (const double shift : {0.0, 0.13, 0.71}) {
      std::vector<std::complex<double>> orders(9);
      constexpr int points = 5000;
      for (int i = 0; i < points; ++i)
        for (int n = 1; n <= 9; ++n)
          orders[static_cast<std::size_t>(n - 1)] += 2.0 / points * c.wave((i + 0.5) / points + shift) *
                                                     std::polar(1.0, -2 * pi * n * (i + 0.5) / points);
      const Swing s = name_shape(orders);
      EXPECT_EQ(s.shape, c.name) << shift;
      EXPECT_NEAR(s.peak, c.peak, 0.02) << c.name;
    }
}

TEST(Modulation, ASwingOfHighRateDoesNotDroop) {
  // 20 samples a period of a series at 20 kHz: differences over two samples alone would take 1.6% of it.
  const Modulation m =
      measure_modulation(demodulated([](double t) { return 321 * std::sin(2 * pi * 1000 * t + 1); },
                                     [](double t) { return 1 + 0.2 * std::cos(2 * pi * 1000 * t); }, 1e-3));
  ASSERT_GE(m.frequency.size(), 1u);
  EXPECT_NEAR(m.frequency[0].peak, 321, 4 * m.frequency[0].peak_std + 0.05);
  EXPECT_NEAR(m.depth(), 0.2, 1e-3);
}

TEST(Modulation, AFewFrequenciesInTurnAreStates) {
  // 7 stays of 20 ms at 60 Hz above the rest.
  const auto f = [](double t) { return std::fmod(t, 0.137) > 0.117 ? 60.0 : 0.0; };
  const Modulation m = measure_modulation(demodulated(f, one, 1e-3));
  ASSERT_EQ(m.states.size(), 2u);
  EXPECT_NEAR(m.states[0].frequency_hz, 3000, 0.5);
  EXPECT_NEAR(m.states[1].frequency_hz, 3060, 0.5);
  EXPECT_EQ(m.states[1].visits, 7u);
  EXPECT_EQ(m.transitions, 14u);
  EXPECT_NEAR(m.states[1].dwell_s, 0.02, 1e-3);
  EXPECT_NEAR(m.states[1].share, 0.14, 0.01);
  EXPECT_TRUE(m.jumps.empty());
}

TEST(Modulation, AStepOnceIsNoStateAndItsSidesAreNotBent) {
  const Modulation m =
      measure_modulation(demodulated([](double t) { return t < 0.61 ? 0.0 : 25.0; }, one, 1e-3));
  EXPECT_TRUE(m.states.empty());
  ASSERT_EQ(m.jumps.size(), 1u);
  EXPECT_NEAR(m.jumps[0].step_hz, 25, 4 * m.jumps[0].step_std_hz + 1e-3);
  EXPECT_NEAR(m.carrier_hz, 3000, 4 * m.carrier_std_hz + 1e-3);
}

TEST(Modulation, ASuppressedCarrierIsThatOfTheSquares) {
  std::vector<double> re, im;
  for (int n = 0; n < 20000; ++n) {
    const double t = n / rate, a = std::cos(2 * pi * 37 * t + 0.2);
    re.push_back(a * std::cos(2 * pi * 3.3 * t + 1)), im.push_back(a * std::sin(2 * pi * 3.3 * t + 1));
  }
  const Demodulated series = demodulate(re, im, rate, 3000, 1);
  EXPECT_TRUE(series.suppressed);
  const Modulation m = measure_modulation(series);
  EXPECT_NEAR(m.carrier_hz, 3003.3, 1e-3);
  EXPECT_NEAR(m.level, std::sqrt(0.5), 1e-3);
  ASSERT_EQ(m.amplitude.size(), 1u);
  EXPECT_NEAR(m.amplitude[0].rate_hz, 37, 1e-4);
  EXPECT_NEAR(m.amplitude[0].peak, 1, 1e-3);
  EXPECT_TRUE(m.jumps.empty() && m.states.empty());
}

TEST(BandShift, KeepsTheLinesOfTheBandAndTheirPhases) {
  for (const std::size_t factor : {1u, 5u}) {
    Block block(1, 20000);
    for (std::size_t n = 0; n < 20000; ++n)
      block.room(0)[n] = 2 * std::cos(2 * pi * 3050 * static_cast<double>(n) / rate + 0.7) +
                         std::cos(2 * pi * 7000 * static_cast<double>(n) / rate);
    block.set(0, 20000);
    BandShift shift(rate, 3000, factor, {}, 400);
    shift.add(block);
    shift.finish();
    const std::vector<double>&re = shift.ready()[0], &im = shift.ready()[1];
    ASSERT_EQ(re.size(), 20000 / factor);
    for (std::size_t m = re.size() / 4; m < re.size() / 2; m += 37) {
      const double turn = 2 * pi * 50 * static_cast<double>(m * factor) / rate + 0.7;
      EXPECT_NEAR(re[m], std::cos(turn), 2e-4) << factor;
      EXPECT_NEAR(im[m], std::sin(turn), 2e-4) << factor;
    }
  }
}

TEST(CarrierBand, HoldsAWideCarrierAndItsSidebands) {
  std::mt19937_64 bits(3);
  std::normal_distribution<double> dice(0, 0.01);
  Block block(1, 60000);
  for (std::size_t n = 0; n < 60000; ++n) {
    const double t = static_cast<double>(n) / rate;
    block.room(0)[n] = std::cos(2 * pi * 5000 * t + 300 / 20.0 * std::sin(2 * pi * 20 * t)) + dice(bits);
  }
  block.set(0, 60000);
  SpectrumSettings settings;
  SpectrumEstimator estimator(plan_spectrum(settings, 60000, rate), settings);
  estimator.add(block);
  const Spectrum spectrum = estimator.result().front();
  const auto band = find_carrier(spectrum, {}, {});
  ASSERT_TRUE(band.has_value());
  EXPECT_NEAR(band->carrier_hz, 5000, 10);
  EXPECT_GT(band->half_hz, 340);
  // 99% of the power of FM lies within about +-(deviation) for a large index.
  EXPECT_NEAR(band->occupied_hz, 640, 60);
  EXPECT_FALSE(find_carrier(spectrum, 1000.0, 2000.0).has_value());
}

}  // namespace
}  // namespace vprism::modulation_test
