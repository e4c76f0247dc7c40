// sweeps_test.cpp: one line that moves through the band, against closed forms; and what is none.
#include "identify/verdict/sweeps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <vector>

namespace vprism::sweeps_test {
namespace {

constexpr double rate = 1000;
constexpr double two_pi = 2 * std::numbers::pi;

std::vector<double> noise(std::size_t n, double rms, unsigned seed) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, rms);
  std::vector<double> x(n);
  for (double& v : x) v = normal(bits);
  return x;
}

/// From a to b hertz over `n` samples, the first at sample `at`.
void add_sweep(std::vector<double>& x, double a, double b, bool exponential, std::size_t at, std::size_t n) {
  const double all = static_cast<double>(n) / rate;
  for (std::size_t k = 0; k < n && at + k < x.size(); ++k) {
    const double t = static_cast<double>(k) / rate;
    const double phase = exponential ? a * all / std::log(b / a) * (std::pow(b / a, t / all) - 1)
                                     : a * t + (b - a) / (2 * all) * t * t;
    x[at + k] += std::sin(two_pi * phase);
  }
}

TEST(Sweeps, EndsAndRateLieWithinWhatIsStated) {
  std::mt19937_64 bits(11);
  int known = 0, within_one = 0, within_three = 0;
  for (unsigned i = 0; i < 40; ++i) {
    std::uniform_real_distribution<double> low(8, 300), high(8, 450), exponent(-3, -0.5);
    const double a = low(bits), b = high(bits);
    if (std::abs(a - b) < 6) continue;
    const bool exponential = i % 2 == 0;
    std::vector<double> x = noise(8192, std::pow(10, exponent(bits)), i);
    add_sweep(x, a, b, exponential, 0, x.size());
    const auto found = find_sweep(x, rate);
    ASSERT_TRUE(found) << a << " to " << b;
    EXPECT_EQ(found->exponential, exponential) << a << " to " << b;
    const double all = 8.192, law = exponential ? std::log2(b / a) / all : (b - a) / all;
    for (const double off : {(found->from_hz - a) / found->from_std_hz, (found->to_hz - b) / found->to_std_hz,
                             (found->rate - law) / found->rate_std}) {
      ++known;
      within_one += std::abs(off) < 1 ? 1 : 0, within_three += std::abs(off) < 3 ? 1 : 0;
    }
    EXPECT_NEAR(found->level_rms, std::sqrt(0.5), 0.02);
  }
  EXPECT_GE(within_three, known * 98 / 100) << known;
  EXPECT_GE(within_one, known * 60 / 100) << known;
}

TEST(Sweeps, InAPartOfTheRecord) {
  std::vector<double> x = noise(8192, 0.01, 3);
  add_sweep(x, 60, 140, false, 2000, 4000);
  const auto found = find_sweep(x, rate);
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->from_s, 2, 0.15);
  EXPECT_NEAR(found->to_s, 6, 0.15);
  EXPECT_NEAR(found->from_hz, 60, 3 * found->from_std_hz);
  EXPECT_NEAR(found->to_hz, 140, 3 * found->to_std_hz);
  EXPECT_NEAR(found->level_rms, std::sqrt(0.5 * 4000 / 8192), 0.02);
}

TEST(Sweeps, NothingElseIsOne) {
  std::vector<std::vector<double>> records;
  for (unsigned seed = 0; seed < 20; ++seed) records.push_back(noise(4096, 1, seed));
  for (unsigned seed = 0; seed < 5; ++seed) {
    // A walk; a steady line; two lines; a line that wanders to and fro; one that dies away.
    std::vector<double> walk = noise(4096, 1, 100 + seed);
    for (std::size_t k = 1; k < walk.size(); ++k) walk[k] += walk[k - 1];
    records.push_back(walk);
    for (int kind = 0; kind < 4; ++kind) {
      std::vector<double> x = noise(4096, 0.05, 200 + seed);
      for (std::size_t k = 0; k < x.size(); ++k) {
        const double t = static_cast<double>(k) / rate, hz = 40 + 31 * seed;
        x[k] += kind == 0   ? std::sin(two_pi * hz * t)
                : kind == 1 ? std::sin(two_pi * hz * t) + 0.6 * std::sin(two_pi * (hz + 20) * t)
                : kind == 2 ? std::sin(two_pi * hz * t + 8 * std::sin(two_pi * 1.3 * t))
                            : 3 * std::exp(-2 * t) * std::sin(two_pi * hz * t);
      }
      records.push_back(x);
    }
  }
  for (std::size_t i = 0; i < records.size(); ++i) EXPECT_FALSE(find_sweep(records[i], rate)) << i;
}

}  // namespace
}  // namespace vprism::sweeps_test
