// Statistics and outlines against closed forms, block by block.
#include "transform/time/statistics.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "signal/feed.h"

namespace vprism::statistics_test {
namespace {

TEST(Statistics, SineOnAnOffset) {
  std::vector<double> x;
  for (int n = 0; n < 10000; ++n) x.push_back(1e6 + 2 * std::sin(2 * std::numbers::pi * n / 100));
  StatisticsEstimator estimator(1);
  feed(estimator, {x}, 333);
  const Statistics s = estimator.result()[0];
  EXPECT_NEAR(s.mean, 1e6, 1e-6);
  EXPECT_NEAR(s.std, std::sqrt(2.0) * std::sqrt(10000.0 / 9999), 1e-9);  // Not lost beside the offset.
  EXPECT_NEAR(s.kurtosis, 1.5, 1e-9);
  EXPECT_DOUBLE_EQ(s.max, 1e6 + 2);
  EXPECT_NEAR(s.crest, (1e6 + 2) / std::sqrt(1e12 + 2), 1e-12);
}

TEST(Statistics, RunsAtARailAreCounted) {
  std::vector<double> x(1000);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] = std::clamp(1.3 * std::sin(0.05 * static_cast<double>(n)), -1.0, 1.0);
  StatisticsEstimator estimator(1);
  feed(estimator, {x}, 64);
  const Statistics s = estimator.result()[0];
  EXPECT_EQ(s.at_max, std::count(x.begin(), x.end(), 1.0));
  EXPECT_EQ(s.at_min, std::count(x.begin(), x.end(), -1.0));
  std::int64_t longest = 0, run = 0;
  for (const double v : x) {
    run = std::abs(v) == 1.0 ? run + 1 : 0;
    longest = std::max(longest, run);
  }
  EXPECT_EQ(s.longest_rail, longest);
}

TEST(Statistics, OfStampedSamplesAreThoseOfTheLinesBetweenThemOverTime) {
  // 5 V for 0.4 s, 0 V for 0.6 s, and thirty samples on the edge of a microsecond.
  std::vector<double> t = {0, 0.4}, x = {5, 5};
  for (int i = 1; i <= 30; ++i) t.push_back(0.4 + 1e-6 * i / 30), x.push_back(5 - 5.0 * i / 30);
  t.push_back(1), x.push_back(0);
  StatisticsEstimator estimator(1);
  for (std::size_t from = 0; from < t.size(); from += 7) {
    Block block(1, 7, true);
    const std::size_t count = std::min<std::size_t>(7, t.size() - from);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(from), count, block.room(0).begin());
    std::copy_n(t.begin() + static_cast<std::ptrdiff_t>(from), count, block.stamp_room().begin());
    block.set(static_cast<std::int64_t>(from), count);
    estimator.add(block);
  }
  const Statistics s = estimator.result()[0];
  EXPECT_NEAR(s.mean, 2, 1e-5);
  EXPECT_NEAR(s.rms, std::sqrt(10.0), 1e-5);
  EXPECT_NEAR(s.std, std::sqrt(6.0), 1e-5);
  EXPECT_EQ(s.max, 5);
  // A two-valued spread of share p: kurtosis 1 / (p (1 - p)) - 3.
  EXPECT_NEAR(s.kurtosis, 1 / 0.24 - 3, 1e-4);
}

TEST(Outline, KeepsEveryExtremeHoweverLongTheRecord) {
  std::vector<double> x(100000, 0.0);
  x[77777] = 5;
  x[12] = -3;
  OutlineEstimator estimator(1);
  feed(estimator, {x}, 4096);
  const Outline& o = estimator.result()[0];
  EXPECT_LE(o.low.size(), 2048u);
  EXPECT_GE(o.low.size(), 1024u);
  EXPECT_EQ(o.high[static_cast<std::size_t>(77777 / o.samples_per_stretch)], 5);
  EXPECT_EQ(o.low[static_cast<std::size_t>(12 / o.samples_per_stretch)], -3);
  const Outline coarse = coarser(o, 300);
  EXPECT_LE(coarse.low.size(), 300u);
  EXPECT_EQ(coarse.high[static_cast<std::size_t>(77777 / coarse.samples_per_stretch)], 5);
}

TEST(Outline, ShortRecordsAreKeptSampleBySample) {
  OutlineEstimator estimator(1);
  feed(estimator, {{1, 2, 3}}, 2);
  EXPECT_EQ(estimator.result()[0].low, (std::vector<double>{1, 2, 3}));
  EXPECT_EQ(estimator.result()[0].samples_per_stretch, 1);
}

/// Statistics of x in blocks of one size.
Statistics statistics_of(const std::vector<double>& x, std::size_t block_size) {
  StatisticsEstimator estimator(1);
  feed(estimator, {x}, block_size);
  return estimator.result()[0];
}

TEST(Statistics, AreTheSameHoweverTheRecordIsCut) {
  // Lengths around the stretches that moments are taken over, and around whole lanes.
  for (const std::size_t length : {1u, 7u, 8u, 9u, 2047u, 2048u, 2049u, 4099u, 10000u}) {
    std::vector<double> x(length);
    for (std::size_t n = 0; n < length; ++n)
      x[n] = 5 + std::sin(0.7 * static_cast<double>(n)) + 0.001 * static_cast<double>(n % 91);
    double sum = 0, low = x[0], high = x[0];
    for (const double v : x) sum += v, low = std::min(low, v), high = std::max(high, v);
    const double mean = sum / static_cast<double>(length);
    double m2 = 0, m3 = 0, m4 = 0;
    for (const double v : x) {
      const double d = v - mean;
      m2 += d * d, m3 += d * d * d, m4 += d * d * d * d;
    }
    const auto n = static_cast<double>(length);
    for (const std::size_t block : {5u, 100u, 2048u, 65536u}) {
      const Statistics s = statistics_of(x, block);
      EXPECT_EQ(s.samples, static_cast<std::int64_t>(length));
      EXPECT_EQ(s.min, low);
      EXPECT_EQ(s.max, high);
      EXPECT_NEAR(s.mean, mean, 1e-12);
      if (length < 3) continue;
      EXPECT_NEAR(s.std, std::sqrt(m2 / (n - 1)), 1e-12);
      EXPECT_NEAR(s.skewness, std::sqrt(n) * m3 / std::pow(m2, 1.5), 1e-10);
      EXPECT_NEAR(s.kurtosis, n * m4 / (m2 * m2), 1e-10);
    }
  }
}

TEST(Statistics, ARunAtARailIsCountedAcrossStretchesAndBlocks) {
  std::vector<double> x(9000);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] = std::sin(0.01 * static_cast<double>(n));
  for (std::size_t n = 2040; n < 2060; ++n) x[n] = 2;   // Over the end of a stretch.
  for (std::size_t n = 6000; n < 6003; ++n) x[n] = -3;  // Too short for a run.
  for (const std::size_t block : {50u, 2048u, 3000u, 9000u}) {
    const Statistics s = statistics_of(x, block);
    EXPECT_EQ(s.at_max, 20) << block;
    EXPECT_EQ(s.at_min, 3) << block;
    EXPECT_EQ(s.longest_rail, 20) << block;
    EXPECT_EQ(s.rail_runs, 1) << block;
  }
}

TEST(Statistics, RunsOfGatesAreThoseOfCountingSampleBySample) {
  std::mt19937 random(5);
  for (int trial = 0; trial < 40; ++trial) {
    // Gates that rest for 1 to 40 samples at one of 1, 2 or 3 values.
    std::vector<double> x;
    const unsigned levels = 1 + static_cast<unsigned>(trial) % 3;
    const std::size_t length = 1 + random() % 7000;
    while (x.size() < length) x.insert(x.end(), 1 + random() % 40, static_cast<double>(random() % levels));
    const double low = *std::min_element(x.begin(), x.end()), high = *std::max_element(x.begin(), x.end());
    std::int64_t at_min = 0, at_max = 0, longest = 0, runs = 0;
    for (std::size_t n = 0, end = 0; n < x.size(); n = end) {
      while (end < x.size() && x[end] == x[n]) ++end;
      const auto count = static_cast<std::int64_t>(end - n);
      if (x[n] == low) at_min += count;
      if (x[n] == high) at_max += count;
      if (x[n] != low && x[n] != high) continue;
      longest = std::max(longest, count);
      runs += count >= 4 && n > 0 && end < x.size();
    }
    for (const std::size_t block : {1u, 3u, 500u, 2048u, 10000u}) {
      const Statistics s = statistics_of(x, block);
      EXPECT_EQ(s.at_min, at_min) << trial;
      EXPECT_EQ(s.at_max, at_max) << trial;
      if (levels == 3) continue;  // Rails beside a value as usual as they are no rails.
      EXPECT_EQ(s.longest_rail, longest) << trial;
      EXPECT_EQ(s.rail_runs, runs) << trial;
    }
  }
}

}  // namespace
}  // namespace vprism::statistics_test
