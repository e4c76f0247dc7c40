// Lines from segment to segment and between channels, against closed forms.
#include "identify/courses/line_watch.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "signal/feed.h"
#include "signal/turn.h"

namespace vprism::line_watch_test {
namespace {

constexpr double rate = 1000;
constexpr std::size_t count = 200'000;

std::vector<double> noise(std::uint64_t seed, double sigma = 1) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, sigma);
  std::vector<double> x(count);
  for (double& v : x) v = normal(bits);
  return x;
}

std::vector<WatchResult> watched(const std::vector<std::vector<double>>& channels,
                                 std::vector<Watch> watches) {
  SpectrumSettings settings;
  settings.segment = 1000;
  LineWatch watch(plan_spectrum(settings, count, rate), {}, std::move(watches));
  feed(watch, channels, 7001);
  return watch.result();
}

TEST(LineWatch, ASteadyToneScattersLittleAndNoiseByItsMean) {
  std::vector<double> tone = noise(1, 0.01);
  for (std::size_t n = 0; n < count; ++n) tone[n] += std::cos(turn * 100.37 * static_cast<double>(n) / rate);
  const auto r = watched({tone, noise(2)}, {{100.37, 5, 0}, {200, 5, 1}});
  EXPECT_LT(r[0].spread[0], 0.02);
  EXPECT_GT(r[0].steadiness[0], 0.999);
  EXPECT_NEAR(r[0].power[0],
              0.5 * std::pow(std::sin(turn / 2 * 0.37) / (turn / 2 * 0.37 * (1 - 0.37 * 0.37)), 2),
              2e-3);                               // The Hann lobe 0.37 bins off.
  EXPECT_NEAR(r[1].spread[1], 1, 0.15);            // An exponential's deviation is its mean.
  EXPECT_NEAR(r[1].steadiness[1], 1.0 / 6, 0.08);  // What half-overlapping Hann segments share.
}

TEST(LineWatch, CoherenceAndItsPartsFollowFromTheMixture) {
  // y = 2 a + b + n: with equal variances coherence with a is 4/6, with a and b together 5/6; with b when a
  // is taken off, 1/2.
  const auto a = noise(3), b = noise(4), n = noise(5);
  std::vector<double> y(count);
  for (std::size_t i = 0; i < count; ++i) y[i] = 2 * a[i] + b[i] + n[i];
  const auto r = watched({y, a, b}, {{150, 5, 0}});
  EXPECT_NEAR(r[0].coherence(0, 1), 4.0 / 6, 0.06);
  EXPECT_NEAR(r[0].explained(0, {1, 2}), 5.0 / 6, 0.05);
  EXPECT_NEAR(r[0].partial(0, 2, {1}), 0.5, 0.08);
  EXPECT_LT(r[0].coherence(1, 2), r[0].chance_coherence(1e-4));
  EXPECT_NEAR(r[0].explained(0, {}), 0, 1e-12);
}

TEST(LineWatch, AHumpIsWatchedOverItsWidth) {
  const auto a = noise(7), n = noise(8);
  std::vector<double> y(count);
  for (std::size_t i = 0; i < count; ++i) y[i] = a[i] + n[i];
  const auto r = watched({y, a}, {{150, 5, 0, 40}, {150, 5, 0, 0}});
  EXPECT_GT(r[0].noise_averages, 15 * r[1].noise_averages);
  EXPECT_NEAR(r[0].coherence(0, 1), 0.5, 0.02);
  EXPECT_NEAR(r[0].power[1], r[1].power[1], 0.2 * r[1].power[1]);
}

TEST(LineWatch, AResonanceTurnsThePhaseAgainstWhatDrivesIt) {
  // x" + 2 z w x' + w^2 x = a by its impulse-invariant recursion: from a quarter below its width to a quarter
  // above, the response falls back by about 2 atan(1/2) of phase on each side.
  const auto a = noise(9);
  const double f0 = 150, z = 0.02, w = turn * f0 / rate, r = std::exp(-z * w),
               c = std::cos(w * std::sqrt(1 - z * z));
  std::vector<double> x(count, 0.0);
  for (std::size_t i = 2; i < count; ++i) x[i] = a[i - 1] + 2 * r * c * x[i - 1] - r * r * x[i - 2];
  const auto result = watched({x, a}, {{f0, 5, 0, 2 * z * f0}, {f0, 5, 0, 0}});
  ASSERT_TRUE(result[0].phase_turn_deg(0, 1));
  EXPECT_LT(*result[0].phase_turn_deg(0, 1), -30);
  EXPECT_NEAR(*result[0].phase_turn_deg(1, 0), -*result[0].phase_turn_deg(0, 1), 1e-9);
  EXPECT_FALSE(result[1].phase_turn_deg(0, 1));
}

TEST(LineWatch, ADelayTurnsThePhase) {
  const auto a = noise(6);
  std::vector<double> late(count, 0.0);
  for (std::size_t i = 2; i < count; ++i) late[i] = a[i - 2];
  const auto r = watched({late, a}, {{50, 5, 0}});
  EXPECT_NEAR(r[0].phase_deg(0, 1), -360 * 50 * 2 / rate, 1.5);
  EXPECT_GT(r[0].coherence(0, 1), 0.98);
}

TEST(LineWatch, ADriftingToneIsFollowed) {
  std::vector<double> x(count);
  for (std::size_t i = 0; i < count; ++i) {
    const double t = static_cast<double>(i) / rate;
    x[i] = std::cos(turn * (100 * t + 0.5 * 0.05 * t * t));  // 100 to 110 Hz in 200 s
  }
  const auto r = watched({x}, {{105, 10, 0}});
  ASSERT_GT(r[0].time_s.size(), 100u);
  for (std::size_t i = 0; i < r[0].time_s.size(); ++i)
    EXPECT_NEAR(r[0].frequency_hz[i], 100 + 0.05 * r[0].time_s[i], 0.1);
}

TEST(LineWatch, ShorterSegmentsAreTakenWhereThereAreFew) {
  SpectrumSettings settings;
  settings.segment = 8000;
  const SpectrumPlan few = plan_spectrum(settings, 20'000, rate);
  EXPECT_GE(plan_watch(few, settings, 20'000).averages, 16);
  const SpectrumPlan many = plan_spectrum(settings, 2'000'000, rate);
  EXPECT_EQ(plan_watch(many, settings, 2'000'000).segment, 8000u);
  LineWatch nothing(few, {}, {{100, 1, 0}});
  EXPECT_THROW(nothing.result(), Error);
}

}  // namespace
}  // namespace vprism::line_watch_test
