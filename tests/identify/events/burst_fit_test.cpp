// burst_fit_test.cpp: short events of known shape in noise.
#include "identify/events/burst_fit.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::burst_fit_test {
namespace {

constexpr double pi = std::numbers::pi, rate = 2000;

struct Truth {
  BurstShape shape;
  double time, width, hz, amplitude;
};

std::vector<double> made(const Truth& truth, double noise, unsigned seed, std::size_t count = 2000) {
  std::mt19937 dice(seed);
  std::normal_distribution<double> normal(0, noise);
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate - truth.time;
    const double e = truth.shape == BurstShape::bell ? std::exp(-t * t / (2 * truth.width * truth.width))
                     : t < 0                         ? 0
                                                     : std::exp(-t / truth.width);
    x[n] = normal(dice) + 3 + 0.2 * t + truth.amplitude * e * std::cos(2 * pi * truth.hz * t + 0.7);
  }
  return x;
}

TEST(BurstFit, BellsAndDecaysAreToldApartAndCovered) {
  int within_two[4] = {}, all = 0;
  for (unsigned seed = 0; seed < 40; ++seed) {
    std::mt19937 dice(1000 + seed);
    std::uniform_real_distribution<double> u(0, 1);
    const BurstShape shape = seed % 2 == 0 ? BurstShape::bell : BurstShape::decay;
    const double hz = 60 + 200 * u(dice);
    const Truth truth{shape, 0.45 + 0.1 * u(dice), (2 + 6 * u(dice)) / hz, hz, 1};
    const std::vector<double> x = made(truth, 0.05, seed);
    const double middle = truth.time + (shape == BurstShape::decay ? 0.3 * truth.width : 0);
    const auto fit = fit_burst(x, rate, middle, 2 * truth.width, hz * 1.03);
    ASSERT_TRUE(fit) << seed;
    EXPECT_EQ(fit->shape, shape) << seed;
    within_two[0] += std::abs(fit->time_s - truth.time) < 2 * fit->time_std_s;
    within_two[1] += std::abs(fit->hz - truth.hz) < 2 * fit->hz_std;
    within_two[2] += std::abs(fit->width_s - truth.width) < 2 * fit->width_std_s;
    within_two[3] += std::abs(fit->amplitude - 1) < 2 * fit->amplitude_std;
    ++all;
    EXPECT_LT(fit->time_std_s, 2e-3);
    EXPECT_LT(fit->amplitude_std, 0.1);
  }
  for (const int within : within_two) EXPECT_GE(within, all * 85 / 100);
}

TEST(BurstFit, AClickHasATimeAndNoPitch) {
  std::vector<double> x = made({BurstShape::bell, 0.5, 0.01, 100, 0}, 0.02, 3);
  x[1100] += 2;
  const auto fit = fit_burst(x, rate, 0.549, 0.004, 500);
  ASSERT_TRUE(fit);
  EXPECT_EQ(fit->shape, BurstShape::click);
  EXPECT_NEAR(fit->time_s, 0.55, 1 / rate);
}

TEST(BurstFit, NoiseIsNoBurst) {
  for (unsigned seed = 0; seed < 5; ++seed)
    EXPECT_FALSE(fit_burst(made({BurstShape::bell, 0.5, 0.01, 100, 0}, 1, seed), rate, 0.5, 0.05, 120));
}

TEST(BurstFit, WhatIsOverWithinASampleIsKnownToASample) {
  std::vector<double> x(400, 0.0);
  x[200] = 1;
  const auto fit = fit_burst(x, 1000, 0.2, 0.01, 100);
  ASSERT_TRUE(fit);
  EXPECT_EQ(fit->shape, BurstShape::click);
  EXPECT_GE(fit->time_std_s, 0.99e-3 / std::sqrt(12.0));
  EXPECT_LT(std::abs(fit->time_s - 0.2), 3 * fit->time_std_s);
}

TEST(Stretches, AreFilledFromBlocksAndJoined) {
  Stretches stretches({{10, 20}, {15, 30}, {50, 60}});
  EXPECT_EQ(stretches.samples(), 30u);
  std::vector<double> x(7);
  for (std::int64_t first = 0; first < 70; first += 7) {
    for (std::size_t i = 0; i < 7; ++i) x[i] = static_cast<double>(first) + static_cast<double>(i);
    stretches.add(first, x);
  }
  const auto part = stretches.part(12, 28);
  ASSERT_EQ(part.size(), 16u);
  for (std::size_t i = 0; i < 16; ++i) EXPECT_EQ(part[i], 12 + static_cast<double>(i));
  EXPECT_TRUE(stretches.part(25, 55).empty());
  EXPECT_EQ(stretches.part(50, 60).size(), 10u);
}

}  // namespace
}  // namespace vprism::burst_fit_test
