// Running means and root mean squares beside their definition, and the gain of the mean.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "condition/road_over.h"

namespace vprism::running_test {
namespace {

/// Over the samples within `half` of each that are numbers.
std::vector<double> by_definition(const std::vector<double>& x, std::ptrdiff_t half, bool squares) {
  std::vector<double> out;
  const auto count = static_cast<std::ptrdiff_t>(x.size());
  for (std::ptrdiff_t n = 0; n < count; ++n) {
    long double sum = 0;
    int present = 0;
    for (std::ptrdiff_t k = std::max<std::ptrdiff_t>(0, n - half); k < std::min(count, n + half + 1); ++k) {
      const long double v = x[static_cast<std::size_t>(k)];
      if (!std::isnan(x[static_cast<std::size_t>(k)])) sum += squares ? v * v : v, ++present;
    }
    const auto mean = static_cast<double>(present > 0 ? sum / present : std::nan(""));
    out.push_back(squares ? std::sqrt(mean) : mean);
  }
  return out;
}

TEST(Running, FollowsItsDefinitionBesideGapsAndASpike) {
  std::mt19937_64 bits(4);
  std::normal_distribution<double> normal;
  std::vector<double> x(3000);
  for (double& v : x) v = 1e-4 * normal(bits);
  x[100] = 1e8;  // Twelve decades above the rest: no trace of it may stay behind.
  for (std::size_t n = 1000; n < 1200; ++n) x[n] = std::nan("");
  for (const bool squares : {false, true})
    for (const std::size_t most : {std::size_t{7}, std::size_t{2999}}) {
      const std::vector<double> made = through(squares ? "rms 21ms" : "mean 21ms", x, 1000, most),
                                truth = by_definition(x, 10, squares);
      ASSERT_EQ(made.size(), truth.size());
      for (std::size_t n = 0; n < truth.size(); ++n) {
        if (std::isnan(truth[n])) {
          EXPECT_TRUE(std::isnan(made[n])) << n;
          continue;
        }
        EXPECT_NEAR(made[n], truth[n],
                    1e-12 * std::abs(truth[n]) + (squares ? 0 : 1e-18) + (n >= 90 && n <= 110 ? 1e-8 : 0))
            << n;
      }
    }
}

TEST(Running, TheMeansGainIsThatOfItsSamples) {
  const std::vector<double> x = sampled(4000, [](double n) { return std::sin(2 * M_PI * 0.03 * n); });
  Chain chain = parse_chain("mean 9ms");
  const double amplitude = amplitude_at(through("mean 9ms", x), 0.03, 1000, 3000);
  Road road = road_over({x}, std::move(chain));
  road.resolve();
  const double stated = std::abs(std::sin(9 * M_PI * 0.03) /
                                 (9 * std::sin(M_PI * 0.03)));  // Nine equal taps, by the sum of a series.
  EXPECT_NEAR(amplitude, stated, 1e-9);
  Recording recording = road.recording();
  Chain again = parse_chain("mean 9ms");
  again[0]->start(recording);
  EXPECT_NEAR(std::abs(*again[0]->response(30)), stated, 1e-12);
  EXPECT_NEAR(std::abs(*again[0]->response(0)), 1, 1e-12);
}

}  // namespace
}  // namespace vprism::running_test
