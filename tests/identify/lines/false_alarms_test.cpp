// What noise alone gives: lines at the stated rate, over a thousand records; and what stands close together.
#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "identify/lines/peaks.h"
#include "signal/feed.h"
#include "signal/turn.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::false_alarms_test {
namespace {

Spectrum spectrum_of(const std::vector<double>& x, std::size_t segment) {
  SpectrumSettings settings;
  settings.segment = segment;
  SpectrumEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(x.size()), 1.0), settings);
  feed(estimator, {x});
  return estimator.result()[0];
}

std::size_t alarms(std::size_t samples, std::size_t segment, double asked, unsigned runs) {
  PeakSettings settings;
  settings.false_alarms = asked;
  std::size_t count = 0;
  for (unsigned run = 0; run < runs; ++run) {
    std::mt19937_64 bits(run + 1);
    std::normal_distribution<double> normal(0, 1);
    std::vector<double> x(samples);
    for (double& v : x) v = normal(bits);
    count += find_peaks(spectrum_of(x, segment), settings).peaks.size();
  }
  return count;
}

TEST(FalseAlarms, AThousandRecordsOfNoiseGiveNoMoreThanStated) {
  // 0.05 a spectrum: 50 in a thousand, and no more than chance (three standard deviations) and the estimate
  // of the floor from few bins add.
  EXPECT_LE(alarms(1024, 1024, 0.05, 1000), 50u + 3 * 7 + 15);
  EXPECT_LE(alarms(4096, 512, 0.05, 1000), 50u + 3 * 7 + 15);
}

TEST(FalseAlarms, TheStatedRateIsAsked) {
  // Ten times the rate, about ten times the alarms: the threshold is no mere habit.
  const std::size_t few = alarms(1024, 1024, 0.02, 500), many = alarms(1024, 1024, 1, 500);
  EXPECT_GT(many, 10 * few);
  EXPECT_GT(many, 50u);
}

TEST(CloseTones, OneAndAHalfResolutionBandwidthsApartAreParted) {
  // Hann: RBW 1.5 bins; the tones stand 2.25 bins apart in one segment.
  const std::size_t count = 8192;
  std::mt19937_64 bits(4);
  std::normal_distribution<double> normal(0, 1e-3);
  for (const double phase : {0.0, 1.0, 2.5, 4.0}) {
    std::vector<double> x(count);
    const double bin = 1.0 / static_cast<double>(count), f1 = 700.3 * bin, f2 = f1 + 2.25 * bin;
    for (std::size_t n = 0; n < count; ++n)
      x[n] = std::cos(turn * f1 * static_cast<double>(n)) +
             0.7 * std::cos(turn * f2 * static_cast<double>(n) + phase) + normal(bits);
    const auto peaks = find_peaks(spectrum_of(x, count)).peaks;
    ASSERT_EQ(peaks.size(), 2u) << phase;
    EXPECT_NEAR(peaks[0].frequency_hz, f1, 0.02 * bin);
    EXPECT_NEAR(peaks[1].frequency_hz, f2, 0.02 * bin);
    EXPECT_NEAR(peaks[1].rms, 0.7 / std::sqrt(2), 5e-3);
  }
}

}  // namespace
}  // namespace vprism::false_alarms_test
