// A shaft's angle from pulses: closed forms of a run-up, quantised edges, lost and doubled pulses.
#include "identify/rotating/shaft.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"

namespace vprism::shaft_test {
namespace {

/// At rest until 1 s, then evenly up to 25 rev/s at 47 s, and on at that.
double turns_at(double t) {
  const double ramp = std::min(t, 47.0) - 1;
  return t < 1 ? 0 : 25 * ramp * ramp / 92 + 25 * std::max(0.0, t - 47);
}
std::vector<double> pulse_times(double last_s, double rate) {
  std::vector<double> out;
  for (int k = 1;; ++k) {
    const double t = k <= 575 ? 1 + std::sqrt(k * 92 / 25.0) : 47 + (k - 575) / 25.0;
    if (t > last_s) return out;
    // The first sample after it; half a sample before that is the best guess.
    out.push_back(rate > 0 ? (std::ceil(t * rate) - 0.5) / rate : t);
  }
}

TEST(Shaft, ExactPulsesGiveAngleAndSpeedOfARunUp) {
  const ShaftAngle shaft = angle_of_pulses(mend_pulses(pulse_times(46, 0)), 1);
  for (double t = 8; t < 45; t += 0.37) {
    EXPECT_NEAR(shaft.revolutions(t) + 1, turns_at(t), 2e-5) << t;
    EXPECT_NEAR(shaft.speed(t), 25 * (t - 1) / 46, 2e-3) << t;
    EXPECT_NEAR(shaft.time_of(shaft.revolutions(t)), t, 1e-8) << t;
  }
}

TEST(Shaft, SmoothsTheJitterOfSampledEdgesAndFollowsAKink) {
  const double rate = 2048;
  const ShaftAngle rough = angle_of_pulses(mend_pulses(pulse_times(48, rate)), 1),
                   smooth =
                       angle_of_pulses(mend_pulses(pulse_times(48, rate)), 1, 1 / rate / std::sqrt(12.0));
  double worst = 0, worst_rough = 0;
  for (double t = 10; t < 47.9; t += 0.0131) {
    worst = std::max(worst, std::abs(smooth.revolutions(t) + 1 - turns_at(t)));
    worst_rough = std::max(worst_rough, std::abs(rough.revolutions(t) + 1 - turns_at(t)));
  }
  // A quarter of a sample at 25 rev/s is 0.003 revolutions.
  EXPECT_LT(worst, 0.005);
  EXPECT_GT(worst_rough, 0.005);
}

TEST(Shaft, PutsInPulsesThatAreMissingAndTakesOutBounces) {
  std::vector<double> times = pulse_times(40, 0);
  const std::vector<double> whole = times;
  times.erase(times.begin() + 200, times.begin() + 202);
  times.erase(times.begin() + 300);
  times.insert(times.begin() + 100, times[99] + 0.1 * (times[100] - times[99]));
  const PulseTrain mended = mend_pulses(times);
  EXPECT_EQ(mended.missing, 3u);
  EXPECT_EQ(mended.extra, 1u);
  ASSERT_EQ(mended.gaps.size(), 2u);
  EXPECT_DOUBLE_EQ(mended.gaps[0].first, whole[199]);
  ASSERT_EQ(mended.time_s.size(), whole.size());
  for (std::size_t n = 0; n < whole.size(); ++n) EXPECT_NEAR(mended.time_s[n], whole[n], 2e-4) << n;
}

TEST(Shaft, AWholeRidgeIsIntegrated) {
  Ridge ridge;
  for (int n = 0; n < 400; ++n) ridge.points.push_back({0.1 * n, 2 * (5 + 0.02 * n), 1});
  const ShaftAngle shaft = angle_of_ridge(ridge, 2);
  EXPECT_NEAR(shaft.revolutions(30), 5 * 30.0 + 0.2 * 30 * 30 / 2, 1e-6);
  EXPECT_NEAR(shaft.speed(30), 5 + 0.2 * 30, 1e-6);
  EXPECT_THROW(angle_of_pulses(mend_pulses({1, 2}), 1), Error);
}

}  // namespace
}  // namespace vprism::shaft_test
