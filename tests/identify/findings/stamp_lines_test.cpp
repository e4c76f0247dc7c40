// Sines at uneven times against those that made the samples; noise alone; uncertainties that cover.
#include "identify/findings/stamp_lines.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "signal/turn.h"

namespace vprism::stamp_lines_test {
namespace {

/// Times with steps that swing between a fifth and nine fifths of their mean, 1 ms.
StampedSamples uneven(std::size_t count, unsigned seed) {
  std::mt19937_64 dice(seed);
  std::uniform_real_distribution<double> part(0.2e-3, 1.8e-3);
  StampedSamples out;
  double t = 5;
  for (std::size_t n = 0; n < count; ++n, t += part(dice)) out.time_s.push_back(t), out.value.push_back(0);
  return out;
}

PeakSearch lines_of(const StampedSamples& samples, std::size_t most = 10) {
  const Window window{};
  const StampPlan plan = plan_stamps(samples.time_s, {}, {}, window);
  return stamp_lines(samples, plan, stamp_spectrum(samples, plan, window), most);
}

TEST(StampLines, AreThoseThatWerePutIn) {
  StampedSamples x = uneven(4000, 1);
  for (std::size_t n = 0; n < x.value.size(); ++n) {
    const double t = x.time_s[n] - x.time_s[0];
    x.value[n] = 7 + 2 * std::cos(turn * 60.3 * t + 0.5) + 0.02 * std::cos(turn * 171.9 * t - 1);
  }
  const auto found = lines_of(x).peaks;
  ASSERT_GE(found.size(), 2u);
  EXPECT_NEAR(found[0].frequency_hz, 60.3, 1e-6);
  EXPECT_NEAR(found[0].rms, std::numbers::sqrt2, 1e-6);
  EXPECT_NEAR(found[0].phase_deg, 0.5 * 360 / turn, 1e-4);
  EXPECT_NEAR(found[1].frequency_hz, 171.9, 1e-5);
  EXPECT_NEAR(found[1].rms, 0.01 * std::numbers::sqrt2, 1e-8);
  EXPECT_NEAR(found[1].phase_deg, -360 / turn, 1e-3);
}

TEST(StampLines, OfEvenSamplesHaveTheLevelOfTheTransform) {
  StampedSamples x;
  for (int n = 0; n < 1000; ++n) {
    x.time_s.push_back(n * 1e-3);
    x.value.push_back(3 * std::sin(turn * 100 * n * 1e-3));
  }
  const Window window{};
  const StampPlan plan = plan_stamps(x.time_s, {}, {}, window);
  const Spectrum s = stamp_spectrum(x, plan, window);
  const auto bin = static_cast<std::size_t>(std::lround(s.bins_at(100)));
  EXPECT_NEAR(s.level(bin, Scale::peak), 3, 1e-3);
  EXPECT_NEAR(s.plan.rbw_hz, 1.5, 0.01);  // Hann: 1.5 bins of 1 Hz.
}

TEST(StampLines, AreNotFoundInNoise) {
  int found = 0;
  for (unsigned seed = 0; seed < 20; ++seed) {
    StampedSamples x = uneven(600, seed);
    std::mt19937_64 dice(seed + 100);
    std::normal_distribution<double> noise;
    for (double& v : x.value) v = noise(dice);
    found += static_cast<int>(lines_of(x).peaks.size());
  }
  EXPECT_LE(found, 1);
}

TEST(StampLines, UncertaintiesCover) {
  int hz = 0, level = 0;
  constexpr int runs = 100;
  for (unsigned seed = 0; seed < runs; ++seed) {
    StampedSamples x = uneven(400, seed);
    std::mt19937_64 dice(seed + 500);
    std::normal_distribution<double> noise;
    for (std::size_t n = 0; n < x.value.size(); ++n)
      x.value[n] = std::cos(turn * 80.2 * (x.time_s[n] - x.time_s[0])) + 0.3 * noise(dice);
    const auto peaks = lines_of(x, 1).peaks;
    ASSERT_EQ(peaks.size(), 1u);
    hz += std::abs(peaks[0].frequency_hz - 80.2) < peaks[0].frequency_std_hz ? 1 : 0;
    level += std::abs(peaks[0].rms - std::numbers::sqrt2 / 2) < peaks[0].rms_std ? 1 : 0;
  }
  // 68 expected; three standard deviations of the count are 14.
  EXPECT_NEAR(hz, 68, 14);
  EXPECT_NEAR(level, 68, 14);
}

TEST(StampLines, TooFewSamplesOrTooMuchWorkIsSaid) {
  StampedSamples few = uneven(5, 1);
  EXPECT_THROW(plan_stamps(few.time_s, {}, {}, {}), Error);
  StampedSamples many = uneven(5000, 1);
  EXPECT_THROW(plan_stamps(many.time_s, {}, 1e9, {}), Error);
  EXPECT_THROW(plan_stamps(many.time_s, {}, 1e-3, {}), Error);
}

}  // namespace
}  // namespace vprism::stamp_lines_test
