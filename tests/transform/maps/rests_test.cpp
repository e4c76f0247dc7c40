// rests_test.cpp: runs of samples that are alike, against counting them one by one.
#include "transform/maps/rests.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "signal/feed.h"

namespace vprism::rests_test {
namespace {

Rests counted(const std::vector<double>& x) {
  Rests out;
  out.samples = static_cast<std::int64_t>(x.size());
  for (std::size_t n = 0, end = 0; n < x.size(); n = std::max(end, n + 1)) {
    end = n;
    while (end < x.size() && x[end] == x[n]) ++end;
    const auto run = static_cast<std::int64_t>(end - n);
    if (run < least_rest) {
      out.alike += std::max<std::int64_t>(0, run - 1);
      continue;
    }
    ++out.runs, out.resting += run;
    if (run > out.longest) out.longest = run, out.from = static_cast<std::int64_t>(n), out.value = x[n];
  }
  return out;
}

TEST(Rests, AreThoseOfCountingOneByOne) {
  std::mt19937 random(11);
  std::normal_distribution<double> normal;
  for (int trial = 0; trial < 60; ++trial) {
    std::vector<double> x(1 + random() % 9000);
    for (double& v : x) v = trial % 3 == 0 ? std::round(normal(random)) : normal(random);
    for (int k = 0; k < trial % 5; ++k) {
      const std::size_t from = random() % x.size(), length = random() % 5000;
      std::fill(x.begin() + static_cast<std::ptrdiff_t>(from),
                x.begin() + static_cast<std::ptrdiff_t>(std::min(x.size(), from + length)), normal(random));
    }
    if (trial % 4 == 1) x[random() % x.size()] = std::nan("");
    const Rests truth = counted(x);
    for (const std::size_t block : {1u, 7u, 2047u, 2048u, 4096u, 10000u}) {
      RestEstimator estimator(1);
      feed(estimator, {x}, block);
      const Rests found = estimator.result()[0];
      EXPECT_EQ(found.samples, truth.samples) << trial;
      EXPECT_EQ(found.runs, truth.runs) << trial << " " << block;
      EXPECT_EQ(found.resting, truth.resting) << trial << " " << block;
      EXPECT_EQ(found.alike, truth.alike) << trial << " " << block;
      EXPECT_EQ(found.longest, truth.longest) << trial << " " << block;
      EXPECT_EQ(found.from, truth.from) << trial << " " << block;
      EXPECT_EQ(found.value, truth.value) << trial << " " << block;
    }
  }
}

}  // namespace
}  // namespace vprism::rests_test
