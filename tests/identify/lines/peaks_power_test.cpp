// Peaks of records that are no steady lines: power adds up, floors are steep, trends are no lines.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/lines/peaks.h"
#include "identify/noise/noise_floor.h"
#include "signal/feed.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::peaks_power_test {
namespace {

constexpr double power_pi = std::numbers::pi;

Spectrum hann_spectrum(const std::vector<double>& x, double rate, std::size_t segment) {
  SpectrumSettings settings;
  settings.window = parse_window("hann");
  settings.segment = segment;
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate);
  SpectrumEstimator estimator(plan, settings);
  feed(estimator, {x});
  return estimator.result()[0];
}

double variance_of(const std::vector<double>& x) {
  double mean = 0, square = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) square += (v - mean) * (v - mean) / static_cast<double>(x.size());
  return square;
}

double squares_of(const std::vector<Peak>& peaks) {
  double sum = 0;
  for (const Peak& p : peaks) sum += p.rms * p.rms;
  return sum;
}

std::vector<double> normal_noise(std::size_t count, double rms, std::uint64_t seed) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, rms);
  std::vector<double> x(count);
  for (double& v : x) v = normal(bits);
  return x;
}

TEST(PeaksPower, SamplesKnowTheirMeanSquareAboutTheMean) {
  std::vector<double> x = normal_noise(5000, 0.3, 1);
  for (double& v : x) v += 1e4;
  const Spectrum s = hann_spectrum(x, 1, 5000);
  EXPECT_NEAR(s.variance, variance_of(x), 1e-9 * variance_of(x));
  EXPECT_NEAR(s.mean, 1e4, 0.05);
}

TEST(PeaksPower, PartsOfALineThatBreathesOnceOrTwiceAreNoSurerThanTheirSum) {
  int over = 0;
  for (int turn = 0; turn < 12; ++turn) {
    // Swings of 66% that come 1.6 times: carrier and two parts of a third of it.
    std::vector<double> x = normal_noise(8192, 0.01, 40 + static_cast<std::uint64_t>(turn));
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / 8192;
      x[n] += std::cos(2 * power_pi * 0.2724 * static_cast<double>(n)) *
              (1 + 0.66 * std::sin(2 * power_pi * 1.6 * t + 0.5 * turn));
    }
    const std::vector<Peak> peaks = find_peaks(hann_spectrum(x, 1000, 8192)).peaks;
    double spread = 0;
    for (const Peak& p : peaks) spread += std::pow(2 * p.rms * p.rms_std, 2);
    EXPECT_LE(squares_of(peaks), 1.02 * variance_of(x) + 3 * std::sqrt(spread) + 1e-9) << turn;
    over += squares_of(peaks) > 1.02 * variance_of(x);
  }
  EXPECT_GT(over, 0);  // As lines they do hold more.
}

TEST(PeaksPower, NeverHoldsMoreThanTheSamplesWhereverABurstLies) {
  for (const double at : {0.1, 0.3, 0.5, 0.7, 0.9})
    for (const std::size_t segment : {8192u, 2048u}) {
      std::vector<double> x = normal_noise(8192, 0.01, 3);
      for (std::size_t n = 0; n < 1200; ++n) {
        const auto k = static_cast<std::size_t>(at * 6900) + n;
        x[k] += std::sin(power_pi * static_cast<double>(n) / 1200) *
                std::cos(2 * power_pi * 0.123 * static_cast<double>(k));
      }
      const std::vector<Peak> peaks = find_peaks(hann_spectrum(x, 1, segment)).peaks;
      ASSERT_FALSE(peaks.empty());
      EXPECT_LE(squares_of(peaks), variance_of(x) * (1 + 1e-9)) << at << " " << segment;
    }
}

TEST(PeaksPower, ABreathingLineIsOneWhoseUncertaintyHoldsIt) {
  for (const double depth : {0.2, 0.5, 0.8}) {
    std::vector<double> x = normal_noise(8192, 0.01, 5);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / 1000;
      x[n] += std::cos(2 * power_pi * 100.3 * t) * (1 + depth * std::sin(2 * power_pi * t / 8));
    }
    const std::vector<Peak> peaks = find_peaks(hann_spectrum(x, 1000, 8192)).peaks;
    ASSERT_GE(peaks.size(), 1u);
    EXPECT_LE(squares_of(peaks), variance_of(x) * (1 + 1e-9));
    // The carrier's RMS is 1 / sqrt(2), however deep it is modulated.
    EXPECT_NEAR(peaks[0].rms, std::sqrt(0.5), 3 * peaks[0].rms_std);
    EXPECT_NEAR(peaks[0].frequency_hz, 100.3, 3 * peaks[0].frequency_std_hz);
    EXPECT_GT(peaks[0].misfit, 3);
  }
}

TEST(PeaksPower, ATrendAndAWalkAreNoLines) {
  std::vector<double> trend = normal_noise(20000, 0.1, 7);
  for (std::size_t n = 0; n < trend.size(); ++n) trend[n] += 10 * static_cast<double>(n) / 20000;
  EXPECT_TRUE(find_peaks(hann_spectrum(trend, 100, 20000)).peaks.empty());
  int lines = 0;
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    std::vector<double> walk = normal_noise(8192, 1, 100 + seed);
    for (std::size_t n = 1; n < walk.size(); ++n) walk[n] += walk[n - 1];
    lines += find_peaks(hann_spectrum(walk, 1000, 8192)).peaks.empty() ? 0 : 1;
  }
  EXPECT_LE(lines, 3);
}

TEST(PeaksPower, OnePeriodThatIsKnownWellIsALine) {
  std::vector<double> x = normal_noise(1000, 1e-4, 9);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] += std::cos(2 * power_pi * 1.05e-3 * static_cast<double>(n) + 0.4);
  const std::vector<Peak> peaks = find_peaks(hann_spectrum(x, 1, 1000)).peaks;
  ASSERT_GE(peaks.size(), 1u);
  EXPECT_NEAR(peaks[0].frequency_hz, 1.05e-3, 2e-5);
}

TEST(PeaksPower, SkirtsOfAStrongToneAreNoNoise) {
  // 80 dB between the tone and the noise of the whole band; density of the noise: 2 variance / rate.
  std::vector<double> x = normal_noise(200'000, 0.01, 11);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] += 100 * std::sqrt(2.0) * std::cos(2 * power_pi * 0.12345 * static_cast<double>(n));
  const Spectrum s = hann_spectrum(x, 1, 8192);
  const std::vector<double> floor = find_peaks(s).floor;
  double mean = 0, count = 0;
  for (std::size_t k = 64; k < floor.size(); ++k)
    if (std::abs(static_cast<double>(k) - 0.12345 * 8192) > 2000) mean += floor[k], ++count;
  EXPECT_NEAR(mean / count / s.plan.rbw_hz, 2 * 1e-4, 0.3 * 2e-4);
}

}  // namespace
}  // namespace vprism::peaks_power_test
