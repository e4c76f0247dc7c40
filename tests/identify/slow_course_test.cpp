// Trends are taken off where they are most of a record, and lines are left alone.
#include "identify/slow_course.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "identify/sine_fit.h"

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
    const auto less = without_trend(x);
    ASSERT_TRUE(less);
    Sine first;
    first.frequency_hz = 60.4;
    const SineFit fit = fit_sines(*less, 6000, {first});
    EXPECT_NEAR(fit.sines[0].frequency_hz, 60.3, 2e-3);
    EXPECT_NEAR(fit.sines[0].amplitude, 0.05, 5e-5);
  }
  // A line of two periods is not taken for a bend.
  const auto two =
      without_trend(made([](double t) { return 30 * (t - 0.5) + 0.05 * std::cos(tau * 2 * t); }));
  double square = 0;
  for (const double v : *two) square += (v - 1e4) * (v - 1e4) / 6000;
  EXPECT_NEAR(std::sqrt(2 * square), 0.05, 1e-3);
}

TEST(SlowCourse, OneLineIsNoTrend) {
  for (const double periods : {1.0, 1.5, 7.0, 60.0}) {
    std::vector<double> x;
    for (int n = 0; n < 6000; ++n) x.push_back(std::sin(tau * periods * n / 6000));
    EXPECT_FALSE(without_trend(x)) << periods;
  }
  EXPECT_FALSE(without_trend(std::vector<double>(6000, 3.0)));
  EXPECT_FALSE(without_trend(std::vector<double>(5, 3.0)));
}

}  // namespace
}  // namespace vprism::slow_course_test
