// Lines that stand are found beside what happens between, as exactly as without it.
#include "identify/lines/steady_lines.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::steady_lines_test {
namespace {

constexpr double turn = 2 * std::numbers::pi;

struct MadeLines {
  std::vector<double> x, without;  ///< With the lines, and what is left when they are taken off.
};

/// Two lines of 0.0613 and 0.1771 cycles a sample, noise, and what `event` adds.
template <typename Event>
MadeLines made(std::size_t count, double noise, const Event& event) {
  std::mt19937_64 bits(7);
  std::normal_distribution<double> normal(0, noise);
  MadeLines out;
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n);
    out.without.push_back(normal(bits) + event(t));
    out.x.push_back(out.without.back() + 2 * std::cos(turn * 0.0613 * t + 1) +
                    0.3 * std::cos(turn * 0.1771 * t - 2));
  }
  return out;
}

double rms_apart(const std::vector<double>& a, const std::vector<double>& b) {
  double sum = 0;
  for (std::size_t n = 0; n < a.size(); ++n) sum += (a[n] - b[n]) * (a[n] - b[n]);
  return std::sqrt(sum / static_cast<double>(a.size()));
}

TEST(SteadyLines, AreTakenOffBesideAnEventOfAnyKind) {
  const auto bell = [](double t) {
    return 3 * std::exp(-std::pow((t - 1500) / 60, 2) / 2) * std::cos(turn * 0.08 * t);
  };
  const auto blow = [](double t) {
    return t < 1500 ? 0 : 5 * std::exp(-(t - 1500) / 80) * std::cos(turn * 0.11 * t);
  };
  for (int kind = 0; kind < 2; ++kind) {
    MadeLines m = kind == 0 ? made(3000, 0.01, bell) : made(3000, 0.01, blow);
    const auto lines = steady_lines(m.x, {{1200, 2000}});
    ASSERT_EQ(lines.size(), 2u) << kind;
    EXPECT_NEAR(lines[0].cycles, 0.0613, 1e-6);
    EXPECT_NEAR(lines[1].cycles, 0.1771, 1e-6);
    take_off(m.x, lines);
    // Seven unknowns from 2,200 samples: the lines are known to a twentieth of the noise.
    EXPECT_LT(rms_apart(m.x, m.without), 0.002) << kind;
  }
}

TEST(SteadyLines, WhatComesOrGoesIsNone) {
  // A tone over half of the stretch, one that dies away, and noise alone.
  EXPECT_EQ(
      steady_lines(made(4000, 0.02, [](double t) { return t < 2000 ? std::cos(turn * 0.3 * t) : 0; }).x, {})
          .size(),
      2u);
  EXPECT_EQ(
      steady_lines(made(4000, 0.02, [](double t) { return std::exp(-t / 600) * std::cos(turn * 0.3 * t); }).x,
                   {})
          .size(),
      2u);
  int found = 0;
  for (int i = 0; i < 40; ++i) {
    std::mt19937_64 bits(static_cast<unsigned>(i));
    std::normal_distribution<double> normal(0, 1);
    std::vector<double> x(2000);
    for (double& v : x) v = normal(bits);
    found += static_cast<int>(steady_lines(x, {}).size());
  }
  EXPECT_LE(found, 1);
}

TEST(SteadyLines, NothingIsSaidOfTooLittle) {
  EXPECT_TRUE(steady_lines(std::vector<double>(40, 1.0), {}).empty());
  const MadeLines m = made(1000, 0.01, [](double) { return 0.0; });
  EXPECT_TRUE(steady_lines(m.x, {{100, 900}}).empty());
  // A gap is set aside too.
  std::vector<double> gap = m.x;
  gap[500] = std::nan("");
  EXPECT_EQ(steady_lines(gap, {{600, 650}}).size(), 2u);
}

}  // namespace
}  // namespace vprism::steady_lines_test
