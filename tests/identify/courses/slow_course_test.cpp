// Trends are taken off where they are most of a record, and lines are left alone.
#include "identify/courses/slow_course.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/lines/sine_fit.h"

namespace vprism::slow_course_test {
namespace {

constexpr double tau = 2 * std::numbers::pi;

std::vector<double> made(double (*of)(double)) {
  std::vector<double> x;
  for (int n = 0; n < 6000; ++n) x.push_back(1e4 + of(n / 6000.0));
  return x;
}

TEST(SlowCourse, WhatIsMostlyTrendLosesItAndKeepsItsLines) {
  for (const auto& x :
       {made([](double t) { return 30 * t + 0.05 * std::cos(tau * 60.3 * t); }),
        made([](double t) { return 2 * t + t * t - 1.5 * t * t * t + 0.05 * std::cos(tau * 60.3 * t); })}) {
    const auto less = slow_course_of(x);
    ASSERT_TRUE(less);
    Sine first;
    first.frequency_hz = 60.4;
    const SineFit fit = fit_sines(less->rest, 6000, {first});
    EXPECT_NEAR(fit.sines[0].frequency_hz, 60.3, 2e-3);
    EXPECT_NEAR(fit.sines[0].amplitude, 0.05, 5e-5);
  }
  // A line of two periods is not taken for a bend.
  const auto two =
      slow_course_of(made([](double t) { return 30 * (t - 0.5) + 0.05 * std::cos(tau * 2 * t); }));
  double square = 0;
  for (const double v : two->rest) square += (v - 1e4) * (v - 1e4) / 6000;
  EXPECT_NEAR(std::sqrt(2 * square), 0.05, 1e-3);
}

TEST(SlowCourse, OneLineIsNoTrend) {
  for (const double periods : {1.0, 1.5, 7.0, 60.0}) {
    std::vector<double> x;
    for (int n = 0; n < 6000; ++n) x.push_back(std::sin(tau * periods * n / 6000));
    EXPECT_FALSE(slow_course_of(x)) << periods;
  }
  EXPECT_FALSE(slow_course_of(std::vector<double>(6000, 3.0)));
  EXPECT_FALSE(slow_course_of(std::vector<double>(5, 3.0)));
}

TEST(SlowCourse, AStepIsMeasuredAndTakenOffBesideALine) {
  for (const double size : {1.0, -0.2}) {
    std::vector<double> x;
    for (int n = 0; n < 8192; ++n)
      x.push_back((n >= 3001 ? size : 0) + 0.1 * std::cos(tau * 0.0773 * n) + 0.01 * std::cos(2.1 * n * n));
    const auto course = slow_course_of(x);
    ASSERT_TRUE(course && course->shift) << size;
    EXPECT_NEAR(static_cast<double>(course->shift->at), 3001, 3);
    EXPECT_NEAR(course->shift->size, size, 3 * course->shift->size_std);
    EXPECT_LT(course->shift->size_std, 0.002);
    double before = 0, behind = 0;
    for (int n = 0; n < 8192; ++n) (n < 3000 ? before : behind) += course->rest[static_cast<std::size_t>(n)];
    EXPECT_NEAR(before / 3000, behind / 5192, 2e-3);
  }
}

TEST(SlowCourse, NoiseWalksAndSlowLinesAreNoSteps) {
  std::mt19937_64 bits(5);
  std::normal_distribution<double> dice;
  int steps = 0;
  for (int trial = 0; trial < 60; ++trial) {
    std::vector<double> x;
    double walk = 0;
    for (int n = 0; n < 4096; ++n)
      x.push_back(trial % 3 == 0   ? dice(bits)
                  : trial % 3 == 1 ? (walk += dice(bits))
                                   : std::sin(tau * (0.3 + 0.1 * trial) * n / 4096 + trial));
    const auto course = slow_course_of(x);
    steps += course && course->shift ? 1 : 0;
  }
  EXPECT_EQ(steps, 0);
}

TEST(SlowCourse, AClickOrABurstIsNoStep) {
  for (const int length : {1, 30, 400}) {
    std::vector<double> x(4096, 0.0);
    for (int n = 2000; n < 2000 + length; ++n) x[static_cast<std::size_t>(n)] = 3;
    const auto course = slow_course_of(x);
    EXPECT_FALSE(course && course->shift) << length;
  }
}

// A walk of 10 ends elsewhere than it began: a sum without a window sees 10 / (pi f T) of it at every f.
TEST(SlowCourse, WhatWandersBelowLinesNoLongerMovesThem) {
  std::vector<double> x;
  for (int n = 0; n < 8192; ++n)
    x.push_back(5 * std::exp(-n / 3000.0) + 0.1 * std::cos(tau * 211.3 * n / 8192));
  Sine first;
  first.frequency_hz = 211.4;
  EXPECT_GT(std::abs(fit_sines(x, 8192, {first}).sines[0].frequency_hz - 211.3), 5e-3);
  EXPECT_NEAR(fit_sines_beside_wander(x, 8192, {first}, 8, 1e-9).sines[0].frequency_hz, 211.3, 2e-4);
  // A line alone is as exact as before.
  for (int n = 0; n < 8192; ++n) x[static_cast<std::size_t>(n)] = std::cos(tau * 17.2 * n / 8192 + 1);
  first.frequency_hz = 17.1;
  EXPECT_NEAR(fit_sines_beside_wander(x, 8192, {first}, 8, 1e-9).sines[0].frequency_hz, 17.2, 1e-9);
}

// A few periods lean, and a trend swings: each is as it was put in, and without noise to rounding.
TEST(SlowCourse, LinesOfFewPeriodsStandBesideATrend) {
  constexpr double n = 720;
  for (const double periods : {2.3, 3.0, 4.7, 8.9}) {
    std::vector<double> x;
    for (int i = 0; i < 720; ++i)
      x.push_back(15 + 5 * std::cos(tau * periods * i / n + 0.7) +
                  1.2 * std::cos(tau * 2.3 * periods * i / n) + 0.004 * i);
    Sine low, high;
    low.frequency_hz = periods + 0.1, high.frequency_hz = 2.3 * periods - 0.1;
    EXPECT_GT(std::abs(fit_sines(x, n, {low, high}).sines[0].amplitude - 5), 0.02) << periods;
    const SineFit fit = fit_sines_beside_wander(x, n, {low, high}, 8, 1e-9);
    EXPECT_TRUE(fit.beside_line);
    EXPECT_NEAR(fit.slope, 0.004, 4e-6) << periods;
    EXPECT_NEAR(fit.sines[0].amplitude, 5, 2e-3) << periods;
    EXPECT_NEAR(fit.sines[0].frequency_hz, periods, 1e-3) << periods;
    EXPECT_NEAR(fit.sines[1].amplitude, 1.2, 2e-3) << periods;
  }
  // A line alone has none.
  std::vector<double> x;
  for (int i = 0; i < 720; ++i) x.push_back(5 * std::cos(tau * 3.3 * i / n));
  Sine one;
  one.frequency_hz = 3.2;
  const SineFit fit = fit_sines_beside_wander(x, n, {one}, 8, 1e-9);
  EXPECT_NEAR(fit.slope, 0, 1e-12);
  EXPECT_NEAR(fit.sines[0].amplitude, 5, 1e-9);
}

}  // namespace
}  // namespace vprism::slow_course_test
