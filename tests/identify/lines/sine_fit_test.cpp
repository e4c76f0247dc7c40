// Sines fitted to samples: exact without noise, at the Cramer-Rao bound with it.
#include "identify/lines/sine_fit.h"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "signal/turn.h"

namespace vprism::sine_fit_test {
namespace {

std::vector<double> made(std::size_t count, double rate, const std::vector<Sine>& sines, double mean = 0) {
  std::vector<double> x(count, mean);
  for (const Sine& s : sines)
    for (std::size_t n = 0; n < count; ++n) {
      const double t = static_cast<double>(n) / rate;
      x[n] += s.amplitude * std::exp(-s.decay_per_s * t) *
              std::cos(turn * s.frequency_hz * t + s.phase_deg * turn / 360);
    }
  return x;
}

Sine sine(double hz, double amplitude, double phase_deg, double decay = 0) {
  Sine s;
  s.frequency_hz = hz;
  s.amplitude = amplitude;
  s.phase_deg = phase_deg;
  s.decay_per_s = decay;
  s.decays = decay != 0;
  return s;
}

TEST(SineFit, CloseSinesWithoutNoiseAreExact) {
  // 1.2 and 0.8 bins apart, a far one, and a mean.
  const std::vector<Sine> truth = {sine(50, 1, 30), sine(51.2, 0.5, -100), sine(52, 0.01, 170),
                                   sine(301.7, 3, 5)};
  std::vector<Sine> first = truth;
  for (Sine& s : first) s.frequency_hz += 0.1, s.amplitude *= 0.9, s.phase_deg += 10;
  const SineFit fit = fit_sines(made(1000, 1000, truth, 0.7), 1000, first);
  EXPECT_NEAR(fit.mean, 0.7, 1e-9);
  EXPECT_LT(fit.residual_rms, 1e-9);
  for (std::size_t k = 0; k < truth.size(); ++k) {
    EXPECT_NEAR(fit.sines[k].frequency_hz, truth[k].frequency_hz, 1e-7);
    EXPECT_NEAR(fit.sines[k].amplitude, truth[k].amplitude, 1e-7);
    EXPECT_NEAR(std::remainder(fit.sines[k].phase_deg - truth[k].phase_deg, 360), 0, 1e-4);
  }
}

TEST(SineFit, ADecayIsFittedBesideASteadyNeighbour) {
  const std::vector<Sine> truth = {sine(20, 1, 40, 1.5), sine(21.5, 0.3, 0)};
  std::vector<Sine> first = {sine(20.1, 0.8, 30, 0.8), sine(21.4, 0.3, 5)};
  const SineFit fit = fit_sines(made(2048, 512, truth), 512, first);
  EXPECT_NEAR(fit.sines[0].decay_per_s, 1.5, 1e-6);
  EXPECT_NEAR(fit.sines[0].amplitude, 1, 1e-6);
  EXPECT_NEAR(fit.sines[1].amplitude, 0.3, 1e-6);
}

TEST(SineFit, AHeldFrequencyGivesAmplitudeAndPhaseAlone) {
  Sine first = sine(50, 0.5, 0);
  first.fixed = true;
  const SineFit fit = fit_sines(made(777, 1000, {sine(50, 2, 33)}), 1000, {first});
  EXPECT_EQ(fit.sines[0].frequency_std_hz, 0);
  EXPECT_NEAR(fit.sines[0].frequency_hz, 50, 1e-12);
  EXPECT_NEAR(fit.sines[0].amplitude, 2, 1e-9);
  EXPECT_NEAR(fit.sines[0].phase_deg, 33, 1e-7);
}

TEST(SineFit, ReachesTheCramerRaoBoundAndItsUncertaintiesCover) {
  // A at 20 dB SNR: A^2 / 2 = 100 s^2. Bounds (Rife & Boorstyn 1974): var f = 24 s^2 (fs / 2 pi)^2 /
  // (A^2 N (N^2 - 1)), var A = 2 s^2 / N.
  const std::size_t count = 512, runs = 400;
  const double rate = 1000, amplitude = 1, sigma = amplitude / std::sqrt(200);
  const double n = count;
  const double bound_hz = std::sqrt(24 * sigma * sigma / (n * (n * n - 1))) / amplitude * rate / turn;
  const double bound_amplitude = sigma * std::sqrt(2 / n);
  std::mt19937_64 bits(11);
  std::normal_distribution<double> normal(0, sigma);
  std::uniform_real_distribution<double> anywhere(0, 1);
  double hz2 = 0, amplitude2 = 0;
  int hz_in = 0, amplitude_in = 0, phase_in = 0;
  for (std::size_t run = 0; run < runs; ++run) {
    const Sine truth = sine(100 + 50 * anywhere(bits), amplitude, 360 * anywhere(bits) - 180);
    std::vector<double> x = made(count, rate, {truth});
    for (double& v : x) v += normal(bits);
    Sine first = truth;
    first.frequency_hz += 0.3;
    const Sine got = fit_sines(x, rate, {first}).sines[0];
    hz2 += std::pow(got.frequency_hz - truth.frequency_hz, 2);
    amplitude2 += std::pow(got.amplitude - truth.amplitude, 2);
    hz_in += std::abs(got.frequency_hz - truth.frequency_hz) < got.frequency_std_hz ? 1 : 0;
    amplitude_in += std::abs(got.amplitude - truth.amplitude) < got.amplitude_std ? 1 : 0;
    phase_in += std::abs(std::remainder(got.phase_deg - truth.phase_deg, 360)) < got.phase_std_deg ? 1 : 0;
  }
  EXPECT_LT(std::sqrt(hz2 / runs), 1.1 * bound_hz);
  EXPECT_GT(std::sqrt(hz2 / runs), 0.9 * bound_hz);
  EXPECT_LT(std::sqrt(amplitude2 / runs), 1.1 * bound_amplitude);
  for (const int in : {hz_in, amplitude_in, phase_in}) {
    EXPECT_GE(in, static_cast<int>(0.60 * runs));
    EXPECT_LE(in, static_cast<int>(0.76 * runs));
  }
}

TEST(SineFit, TheResidualIsWhatWasNotASine) {
  // A square at half the rate, which sums to nothing, is left as it is.
  std::vector<double> x = made(4096, 1000, {sine(123.4, 1, 10)}, 5);
  std::vector<double> extra(x.size());
  for (std::size_t n = 0; n < x.size(); ++n) {
    extra[n] = 1e-3 * (n % 2 == 0 ? 1 : -1);
    x[n] += extra[n];
  }
  const SineFit fit = fit_sines(x, 1000, {sine(123.45, 0.9, 0)});
  ASSERT_EQ(fit.residual.size(), x.size());
  for (std::size_t n = 0; n < x.size(); ++n) EXPECT_NEAR(fit.residual[n], extra[n], 2e-5);
  EXPECT_NEAR(fit.residual_rms, 1e-3, 1e-6);
  EXPECT_NEAR(fit.mean, 5, 1e-6);
}

TEST(SineFit, LinesThatTheRecordHardlyTellsApartLeaveNoMoreThanThereWas) {
  std::mt19937_64 bits(4);
  std::normal_distribution<double> dice;
  for (const double apart_bins : {0.25, 0.5, 0.8}) {
    std::vector<double> x(6000);
    double square = 0;
    for (double& v : x) v = dice(bits), square += v * v / 6000;
    std::vector<Sine> first;
    for (int k = 0; k < 40; ++k) first.push_back(sine(100 + k * apart_bins / 6, 0.3, 40.0 * k));
    const SineFit fit = fit_sines(x, 1000, first, 8, 1e-6);
    double left = 0, largest = 0;
    for (const double v : fit.residual) left += v * v / 6000, largest = std::max(largest, std::abs(v));
    EXPECT_LT(left, 1.5 * square) << apart_bins;  // The first guess may be worse than nothing.
    EXPECT_LT(largest, 8) << apart_bins;
  }
}

TEST(SineFit, TooFewSamplesAreRefused) {
  EXPECT_THROW(fit_sines(std::vector<double>(6, 1.0), 10, {sine(1, 1, 0), sine(2, 1, 0)}), Error);
}

}  // namespace
}  // namespace vprism::sine_fit_test
