// Lines that come and go together: frequencies, levels, times and rate; what beats or rings is none.
#include "identify/courses/gated_lines.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::gated_lines_test {
namespace {

constexpr double tau = 2 * std::numbers::pi, rate = 5000;

std::vector<double> noise(std::mt19937_64& bits, std::size_t count, double rms) {
  std::normal_distribution<double> dice(0, rms);
  std::vector<double> x(count);
  for (double& v : x) v = dice(bits);
  return x;
}
double between(std::mt19937_64& bits, double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(bits);
}

TEST(GatedLines, AreMeasuredWhileTheyAreThere) {
  std::mt19937_64 bits(8);
  int known = 0, within_one = 0, within_three = 0;
  for (int trial = 0; trial < 5; ++trial) {
    const std::size_t count = 4000 + bits() % 3000;
    const double gate = between(bits, 7, 20), duty = between(bits, 0.2, 0.8), late = between(bits, 0, 1);
    const std::vector<double> hz = {between(bits, 300, 700), between(bits, 900, 1500),
                                    between(bits, 1700, 2300)};
    std::vector<double> x = noise(bits, count, 0.01);
    for (std::size_t n = 0; n < count; ++n) {
      const double t = static_cast<double>(n) / rate;
      if (std::fmod(gate * t + late, 1) >= duty) continue;
      for (std::size_t l = 0; l < 3; ++l)
        x[n] += std::cos(tau * hz[l] * t + static_cast<double>(l)) / static_cast<double>(l + 1);
    }
    const GatedLines found = find_gated_lines(x, rate);
    ASSERT_EQ(found.lines.size(), 3u) << trial;
    for (std::size_t l = 0; l < 3; ++l) {
      const LineStates& line = found.lines[l];  // The strongest first.
      const double off = std::abs(line.states[0].frequency_hz - hz[l]),
                   std_hz = line.states[0].frequency_std_hz;
      ++known, within_one += off <= std_hz ? 1 : 0, within_three += off <= 3 * std_hz ? 1 : 0;
      EXPECT_NEAR(line.states[0].amplitude, 1.0 / static_cast<double>(l + 1), 2e-3);
      EXPECT_NEAR(line.states[0].share, duty, 0.06);
      EXPECT_NEAR(line.gate_hz, gate, 4 * line.gate_std_hz) << trial;
      EXPECT_LT(line.gate_std_hz, 0.01 * gate);
    }
    double square = 0;
    for (const double v : found.rest) square += v * v / static_cast<double>(count);
    EXPECT_NEAR(std::sqrt(square), 0.01, 5e-4) << trial;
  }
  EXPECT_GE(within_three, known - 1);
  EXPECT_GE(within_one, known / 2);
}

TEST(GatedLines, WhatBeatsBreathesOrRingsAtARateIsNone) {
  std::mt19937_64 bits(9);
  for (int trial = 0; trial < 12; ++trial) {
    std::vector<double> x = noise(bits, 4000, trial % 2 == 0 ? 0.01 : 0.1);
    const double hz = between(bits, 300, 2000), slow = between(bits, 9, 30);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / rate;
      switch (trial % 4) {
        case 0:
          x[n] += std::cos(tau * hz * t) + std::cos(tau * (hz + slow) * t);
          break;
        case 1:
          x[n] += (1 + std::cos(tau * slow * t)) * std::cos(tau * hz * t);
          break;
        case 2:
          x[n] += std::exp(-12 * std::fmod(slow * t, 1)) * std::cos(tau * hz * std::fmod(slow * t, 1) / slow);
          break;
        default:
          if (t > 0.2 && t < 0.5) x[n] += std::cos(tau * hz * t);
      }
    }
    EXPECT_TRUE(find_gated_lines(x, rate).lines.empty()) << trial;
  }
  EXPECT_TRUE(find_gated_lines({}, rate).lines.empty());
  EXPECT_TRUE(find_gated_lines(std::vector<double>(5000, 2.0), rate).lines.empty());
}

TEST(GatedLines, WhatRingsAtARateIsNoneThoughOneInFourIsWeaker) {
  std::mt19937_64 bits(4);
  for (const std::size_t every : {81u, 82u})
    for (const double weak : {0.22, 0.3, 0.5}) {
      std::vector<double> x = noise(bits, 8192, 0.01);
      for (std::size_t from = 0, blow = 0; from < x.size(); from += every, ++blow)
        for (std::size_t n = from; n < x.size(); ++n) {
          const double t = static_cast<double>(n - from) / 1000;
          x[n] +=
              (blow % 4 == 2 ? weak : 1) * std::exp(-tau * 132.36 * 0.034 * t) * std::sin(tau * 132.36 * t);
        }
      EXPECT_TRUE(find_gated_lines(x, 1000).lines.empty()) << every << " " << weak;
    }
}

TEST(GatedLines, OneOffTheOrdersOfTheGateSaysThatTheyAreLines) {
  std::mt19937_64 bits(6);
  std::vector<double> x = noise(bits, 8192, 0.003);
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(n) / 1000;
    if (std::fmod(t * 4, 1) < 0.5)
      x[n] += std::cos(tau * 100 * t) + 0.7 * std::cos(tau * 152 * t) + 0.2 * std::cos(tau * 237.6 * t);
  }
  EXPECT_EQ(find_gated_lines(x, 1000).lines.size(), 3u);
}

}  // namespace
}  // namespace vprism::gated_lines_test
