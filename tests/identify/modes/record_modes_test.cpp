// record_modes_test.cpp: poles from whole records, on systems whose poles are known in closed form.
#include "identify/modes/record_modes.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/responses/excitation.h"

namespace vprism::record_modes_test {
namespace {

constexpr double pi = std::numbers::pi, rate = 1000;

struct Truth {
  double hz, damping, gain;
};

/// Exact for inputs that are held from sample to sample: each pole by its own recursion.
std::vector<double> driven(const std::vector<double>& x, const std::vector<Truth>& modes) {
  std::vector<double> y(x.size(), 0.0);
  for (const Truth& m : modes) {
    const double w = 2 * pi * m.hz;
    const std::complex<double> s(-m.damping * w, w * std::sqrt(1 - m.damping * m.damping));
    const std::complex<double> z = std::exp(s / rate),
                               b = m.gain * w * w / (s - std::conj(s)) / s * (z - 1.0);
    std::complex<double> state = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
      y[n] += 2 * state.real();
      state = z * state + b * x[n];
    }
  }
  return y;
}

std::vector<double> noise(std::size_t size, unsigned seed, double rms) {
  std::mt19937 random(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> out(size);
  for (double& v : out) v = rms * normal(random);
  return out;
}

std::vector<double> sweep(std::size_t size, double from, double to) {
  std::vector<double> out(size);
  const double time = static_cast<double>(size) / rate;
  for (std::size_t n = 0; n < size; ++n) {
    const double t = static_cast<double>(n) / rate;
    out[n] = std::sin(2 * pi * (from * t + (to - from) * t * t / (2 * time)));
  }
  return out;
}

std::vector<Mode> near(const std::vector<Truth>& modes, std::size_t curves) {
  std::vector<Mode> out;
  for (const Truth& m : modes) {
    Mode mode;
    mode.frequency_hz = m.hz * (1 + 0.1 * m.damping), mode.damping = 1.3 * m.damping;
    mode.residue.assign(curves, 1.0), mode.residue_std.assign(curves, 0.1);
    out.push_back(mode);
  }
  return out;
}

/// A record cut out of one that went on before and goes on after, so that its ends ring.
std::vector<std::vector<double>> cut(const std::vector<double>& x, std::vector<double> y, double noise_rms,
                                     unsigned seed) {
  const std::size_t before = 2000;
  const std::vector<double> hum = noise(y.size(), seed, noise_rms);
  for (std::size_t n = 0; n < y.size(); ++n) y[n] += hum[n];
  return {{x.begin() + before, x.end() - 100}, {y.begin() + before, y.end() - 100}};
}

TEST(RecordModes, AreExactWithoutNoiseThoughTheRecordEndsRinging) {
  const std::vector<Truth> truth = {{61.3, 0.004, 1}, {144.8, 0.03, -0.7}};
  const std::vector<double> x = noise(12000, 1, 1);
  const auto record = record_spectra(cut(x, driven(x, truth), 0, 2), {0}, rate, false);
  const auto found = refine_on_record(record, near(truth, 1), 5, 450);
  ASSERT_EQ(found.size(), 2u);
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_NEAR(std::abs(found[i].pole) / (2 * pi * truth[i].hz), 1, 1e-5);
    EXPECT_NEAR(-found[i].pole.real() / std::abs(found[i].pole) / truth[i].damping, 1, 1e-3);
  }
}

TEST(RecordModes, UncertaintiesCoverUnderNoiseAndSweeps) {
  int within_one = 0, within_three = 0, all = 0;
  for (unsigned seed = 0; seed < 24; ++seed) {
    const std::vector<Truth> truth = {{40.0 + 7 * (seed % 8), 0.004 + 0.002 * (seed % 9), 1},
                                      {260, 0.02, 0.5}};
    const std::vector<double> x = seed % 2 == 0 ? noise(14000, seed, 1) : sweep(14000, 5, 420);
    const std::vector<double> y = driven(x, truth);
    double squares = 0;
    for (const double v : y) squares += v * v;
    const double rms = std::sqrt(squares / static_cast<double>(y.size()));
    const auto record = record_spectra(cut(x, y, 0.01 * rms, 100 + seed), {0}, rate, false);
    const auto found = refine_on_record(record, near(truth, 1), 5, 420);
    ASSERT_EQ(found.size(), 2u) << seed;
    for (std::size_t i = 0; i < 2; ++i) {
      const double off_hz =
          std::abs(std::abs(found[i].pole) / (2 * pi) - truth[i].hz) / found[i].frequency_std_hz;
      const double off =
          std::abs(-found[i].pole.real() / std::abs(found[i].pole) - truth[i].damping) / found[i].damping_std;
      for (const double u : {off_hz, off}) within_one += u < 1, within_three += u < 3, ++all;
    }
  }
  EXPECT_GE(within_one, all * 55 / 100);
  EXPECT_LE(within_one, all * 85 / 100);
  EXPECT_GE(within_three, all * 96 / 100);
}

TEST(RecordModes, UncertaintiesCoverNoiseOfWhatDrives) {
  // A step and its answer, both in noise: that of the step comes through the resonance, in a few bins.
  int within_one = 0, within_three = 0, all = 0;
  for (unsigned seed = 0; seed < 40; ++seed) {
    const std::vector<Truth> truth = {{70.0 + 4.1 * (seed % 12), 0.03 + 0.01 * (seed % 7), 1}};
    std::vector<double> x(700 + 13 * (seed % 40), 0.0);
    for (std::size_t n = 100 + seed; n < x.size(); ++n) x[n] = 5;
    std::vector<double> y = driven(x, truth);
    const double rms = std::pow(10, -4 + 0.06 * seed);
    const std::vector<double> of_x = noise(x.size(), seed, rms), of_y = noise(x.size(), 100 + seed, rms);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] += of_x[n], y[n] += of_y[n];
    const auto record = record_spectra({x, y}, {0}, rate, true);
    const auto found = refine_on_record(record, near(truth, 1), 10, 450);
    ASSERT_EQ(found.size(), 1u) << seed;
    const double off_hz =
        std::abs(std::abs(found[0].pole) / (2 * pi) - truth[0].hz) / found[0].frequency_std_hz;
    const double off =
        std::abs(-found[0].pole.real() / std::abs(found[0].pole) - truth[0].damping) / found[0].damping_std;
    for (const double u : {off_hz, off}) within_one += u < 1, within_three += u < 3, ++all;
  }
  EXPECT_GE(within_one, all * 55 / 100);
  EXPECT_LE(within_one, all * 85 / 100);
  EXPECT_GE(within_three, all * 95 / 100);
}

TEST(RecordModes, OneThatIsTwoIsPartedAndTwoThatAreOneAreJoined) {
  const std::vector<Truth> two = {{120, 0.01, 1}, {122.4, 0.012, 0.8}};
  const std::vector<double> x = noise(30000, 3, 1);
  const auto pair = record_spectra(cut(x, driven(x, two), 0.05, 4), {0}, rate, false);
  const auto parted = refine_on_record(pair, near({{121, 0.02, 1}}, 1), 5, 420);
  ASSERT_EQ(parted.size(), 2u);
  EXPECT_NEAR(std::abs(parted[0].pole) / (2 * pi), 120, 0.1);
  EXPECT_NEAR(std::abs(parted[1].pole) / (2 * pi), 122.4, 0.1);
  const auto single = record_spectra(cut(x, driven(x, {two[0]}), 0.05, 5), {0}, rate, false);
  EXPECT_EQ(refine_on_record(single, near(two, 1), 5, 420).size(), 1u);
}

TEST(RecordModes, WhatIsNotThereIsDropped) {
  const std::vector<double> x = noise(20000, 6, 1);
  std::vector<double> y(x.size(), 0.0);
  for (std::size_t n = 1; n < x.size(); ++n) y[n] = 0.7 * y[n - 1] + x[n];  // First order: no resonance.
  const auto record = record_spectra(cut(x, y, 0.02, 7), {0}, rate, false);
  EXPECT_TRUE(refine_on_record(record, near({{100, 0.05, 1}, {300, 0.01, 1}}, 1), 5, 420).empty());
}

TEST(LocalRatios, AreExactForAParabolaAndStateTheirError) {
  const std::vector<Truth> truth = {{90, 0.05, 1}};
  const std::vector<double> x = sweep(20000, 2, 450);
  const auto columns = cut(x, driven(x, truth), 0.02, 8);
  CrossSpectra spectra;
  const ResponseSet set =
      local_ratios(record_spectra(columns, {0}, rate, false), ResponseEstimator::h1, -60, spectra);
  int within = 0, all = 0;
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k) {
    const double hz = set.frequency_hz[k];
    if (hz < 20 || hz > 300) continue;
    // The held input's transfer, in closed form.
    const double w = 2 * pi * 90;
    const std::complex<double> s(-0.05 * w, w * std::sqrt(1 - 0.05 * 0.05)),
        z = std::exp(s / rate), b = w * w / (s - std::conj(s)) / s * (z - 1.0),
        turn = std::polar(1.0, 2 * pi * hz / rate);
    const std::complex<double> h = b / (turn - z) + std::conj(b) / (turn - std::conj(z));
    const double std = set.curves[0].error[k] * std::abs(set.curves[0].ratio[k]);
    within += std::abs(set.curves[0].ratio[k] - h) < 2.45 * std, ++all;
  }
  // Of a complex number within 2.45 standard errors of each part: 95 in 100, less what few degrees of freedom
  // cost.
  EXPECT_GE(within, all * 85 / 100);
}

TEST(Excitations, AreRecognised) {
  const std::vector<double> random = noise(16384, 9, 1);
  EXPECT_EQ(recognise_excitation(random, rate).kind, Excitation::noise);
  const Recognised chirp = recognise_excitation(sweep(16384, 5, 400), rate);
  EXPECT_EQ(chirp.kind, Excitation::sweep);
  EXPECT_LT(chirp.from_hz, 20);
  EXPECT_GT(chirp.to_hz, 380);
  std::vector<double> repeated;
  for (std::size_t n = 0; n < 16384; ++n) repeated.push_back(random[n % 2001]);
  const Recognised periods = recognise_excitation(repeated, rate);
  EXPECT_EQ(periods.kind, Excitation::multi_sine);
  EXPECT_EQ(periods.period, 2001u);
  std::vector<double> pulse(16384, 0.0), step(16384, 0.0), bursts(16384, 0.0), slow(16384);
  for (std::size_t n = 2000; n < 5000; ++n) pulse[n] = 1;
  for (std::size_t n = 2000; n < step.size(); ++n) step[n] = 1;
  for (std::size_t n = 0; n < bursts.size(); ++n) bursts[n] = n % 4096 < 2000 ? random[n] : 0;
  for (std::size_t n = 1; n < slow.size(); ++n) slow[n] = 0.98 * slow[n - 1] + random[n];
  EXPECT_EQ(recognise_excitation(pulse, rate).kind, Excitation::transient);
  EXPECT_EQ(recognise_excitation(step, rate).kind, Excitation::step);
  EXPECT_EQ(recognise_excitation(bursts, rate).kind, Excitation::noise);
  EXPECT_EQ(recognise_excitation(slow, rate).kind, Excitation::noise);
}

}  // namespace
}  // namespace vprism::record_modes_test
