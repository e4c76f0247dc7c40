// backcast_test.cpp: filters begin on the signal's own course.
#include "condition/filters/backcast.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "condition/filters/sections.h"

namespace vprism::backcast_test {
namespace {

constexpr double pi = std::numbers::pi;

double wave(double n) { return 0.3 + std::sin(0.21 * n + 1) + 0.4 * std::cos(0.67 * n); }

TEST(Backcast, TonesGoOnBackwards) {
  std::vector<double> x;
  for (int n = 0; n < 400; ++n) x.push_back(wave(n));
  const std::vector<double> before = backcast(x, 100);
  for (int n = 0; n < 100; ++n) EXPECT_NEAR(before[static_cast<std::size_t>(n)], wave(n - 100), 0.05) << n;
}

TEST(Backcast, NoiseDiesAwayToItsMeanAndALevelStays) {
  std::mt19937 random(1);
  std::normal_distribution<double> normal(5, 1);
  std::vector<double> x(300);
  for (double& v : x) v = normal(random);
  x[0] = 12;  // One sample says nothing of the time before.
  const std::vector<double> before = backcast(x, 2000);
  EXPECT_NEAR(before[0], 5, 0.5);
  for (const double v : before) EXPECT_LT(std::abs(v - 5), 4);
  for (const double v : backcast(std::vector<double>(50, 7.0), 10)) EXPECT_DOUBLE_EQ(v, 7);
  EXPECT_DOUBLE_EQ(backcast({1, 3}, 4)[0], 2);
}

/// A tone through a causal filter is from the first sample what it is later.
TEST(CausalFilter, ATonesFirstSamplesAreInStep) {
  FilterDesign design;
  design.band = FilterBand::lowpass, design.order = 4, design.high = 0.02;
  for (const double phase : {0.0, 0.8, pi / 2}) {
    std::vector<double> x, y, whole, later;
    for (int n = -4000; n < 1000; ++n) {
      whole.push_back(std::cos(2 * pi * 0.015 * n + phase));
      if (n >= 0) x.push_back(whole.back());
    }
    const auto filter = make_causal_filter(design.sections());
    filter->add(x, y), filter->finish(y);
    const auto settled = make_causal_filter(design.sections());
    settled->add(whole, later), settled->finish(later);
    ASSERT_EQ(y.size(), x.size());
    for (std::size_t n = 0; n < 200; ++n) EXPECT_NEAR(y[n], later[4000 + n], 0.05) << phase << " " << n;
  }
}

}  // namespace
}  // namespace vprism::backcast_test
