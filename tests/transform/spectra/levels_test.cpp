// Median, levels in use, spikes and statistics with gaps, against direct computation.
#include "transform/spectra/levels.h"

#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "transform/spectra/spectrum_estimator.h"
#include "transform/time/spikes.h"
#include "transform/time/statistics.h"

namespace vprism::levels_test {
namespace {

/// Hands `x` on in blocks of uneven sizes.
template <typename Estimator>
void feed_growing(Estimator& estimator, const std::vector<double>& x, bool gaps = false) {
  std::size_t at = 0, size = 1;
  while (at < x.size()) {
    const std::size_t count = std::min(size, x.size() - at);
    Block block(1, count);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), count, block.room(0).begin());
    block.set(static_cast<std::int64_t>(at), count);
    block.set_gaps(gaps);
    estimator.add(block);
    at += count;
    size = size * 3 % 4001 + 1;
  }
}

std::vector<double> noise(std::size_t count, unsigned seed = 3) {
  std::mt19937 bits(seed);
  std::normal_distribution<double> normal;
  std::vector<double> x(count);
  for (double& v : x) v = normal(bits);
  return x;
}

double median_of(std::vector<double> x) {
  std::sort(x.begin(), x.end());
  return (x[(x.size() - 1) / 2] + x[x.size() / 2]) / 2;
}

TEST(Levels, MedianOfAShortRecordIsExact) {
  for (const std::size_t count : {1u, 2u, 7u, 1000u, 65535u}) {
    std::vector<double> x = noise(count);
    LevelsEstimator levels(1);
    feed_growing(levels, x);
    EXPECT_EQ(levels.result()[0].median, median_of(x)) << count;
    EXPECT_TRUE(levels.result()[0].exact);
  }
}

TEST(Levels, MedianOfALongRecordIsWithinItsRankError) {
  // A period of 4096 samples, so that keeping every Nth would meet it in step.
  std::vector<double> x = noise(1500000);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] = 0.1 * x[n] + std::sin(2 * M_PI * static_cast<double>(n % 4096) / 4096) + 5;
  LevelsEstimator levels(1);
  feed_growing(levels, x);
  const Levels result = levels.result()[0];
  EXPECT_FALSE(result.exact);
  const auto below = std::count_if(x.begin(), x.end(), [&](double v) { return v < result.median; });
  const double rank = static_cast<double>(below) / static_cast<double>(x.size());
  EXPECT_NEAR(rank, 0.5, 4 * 0.5 / std::sqrt(static_cast<double>(result.kept)));
}

TEST(Levels, StepsOfAConverterAreCounted) {
  std::vector<double> x = noise(20000);
  for (double& v : x) v = 0.25 * std::round(4 * v);
  LevelsEstimator levels(1);
  feed_growing(levels, x);
  const auto [low, high] = std::minmax_element(x.begin(), x.end());
  EXPECT_DOUBLE_EQ(levels.result()[0].step, 0.25);
  EXPECT_LE(levels.result()[0].distinct, static_cast<std::int64_t>((*high - *low) / 0.25) + 1);
  EXPECT_GE(levels.result()[0].distinct, 25);
}

TEST(Spikes, LoneSamplesAreFoundWhereverBlocksEnd) {
  std::vector<double> x = noise(50000);
  for (double& v : x) v *= 0.01;
  const std::vector<std::size_t> places = {100, 4001, 4002 + 4001, 20000, 49990};
  for (const std::size_t at : places) x[at] += at == 20000 ? -3 : 2;
  SpikeCounter spikes(1);
  feed_growing(spikes, x);
  const Spikes result = spikes.result()[0];
  EXPECT_EQ(result.count, 5);
  EXPECT_EQ(result.first, 100);
  EXPECT_EQ(result.largest, 20000);
  EXPECT_NEAR(result.height, 3, 0.1);
}

TEST(Spikes, NoiseEdgesPulsesAndSinesAreNone) {
  std::vector<double> square, pulse, sine;
  for (int n = 0; n < 20000; ++n) {
    square.push_back(n / 500 % 2);
    pulse.push_back(n % 2000 < 5 ? std::sin(0.6 * (n % 2000)) : 0);
    sine.push_back(std::sin(0.3 * n));
  }
  for (const auto& x : {noise(20000), square, pulse, sine}) {
    SpikeCounter spikes(1);
    feed_growing(spikes, x);
    EXPECT_EQ(spikes.result()[0].count, 0);
  }
}

TEST(StatisticsWithGaps, LeaveMissingSamplesOut) {
  std::vector<double> x = noise(5000), there;
  for (std::size_t n = 0; n < x.size(); ++n) {
    if (n % 7 == 3)
      x[n] = std::nan("");
    else
      there.push_back(x[n]);
  }
  StatisticsEstimator with(1), without(1);
  feed_growing(with, x, true);
  feed_growing(without, there);
  const Statistics a = with.result()[0], b = without.result()[0];
  EXPECT_EQ(a.missing, 714);
  EXPECT_EQ(a.samples, b.samples);
  EXPECT_NEAR(a.mean, b.mean, 1e-12);
  EXPECT_NEAR(a.kurtosis, b.kurtosis, 1e-9);
  EXPECT_EQ(a.max, b.max);
}

TEST(StatisticsWithGaps, SkewnessOfAnExponentialSpreadIsTwo) {
  std::mt19937 bits(5);
  std::exponential_distribution<double> spread(3);
  std::vector<double> x(400000);
  for (double& v : x) v = spread(bits);
  StatisticsEstimator statistics(1);
  feed_growing(statistics, x);
  EXPECT_NEAR(statistics.result()[0].skewness, 2, 0.05);
  EXPECT_NEAR(statistics.result()[0].kurtosis, 9, 0.5);
}

TEST(SpectrumWithGaps, AveragesBetweenThem) {
  const double rate = 1000;
  SpectrumPlan plan;
  std::vector<double> x(4000);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] = std::sqrt(2.0) * std::sin(2 * M_PI * 100 * static_cast<double>(n) / rate);
  x[1500] = x[1501] = std::nan("");
  SpectrumSettings settings;
  settings.segment = 500;
  settings.overlap = 0;
  plan = plan_spectrum(settings, 4000, rate);
  SpectrumEstimator estimator(plan, settings);
  feed_growing(estimator, x, true);
  const Spectrum spectrum = estimator.result()[0];
  EXPECT_EQ(spectrum.plan.averages, 7);  // Three before the gap, four of the 2498 samples behind it.
  EXPECT_NEAR(spectrum.level(50, Scale::rms), 1, 1e-9);
}

TEST(Levels, FewPrintedValuesTellTheirDigitsAndAConvertersItsSteps) {
  const auto step_of = [](double unit) {
    LevelsEstimator levels(1);
    Block block(1, 2000, false);
    for (int n = 0; n < 2000; ++n)
      block.room(0)[static_cast<std::size_t>(n)] =
          std::round(std::sin(6.2831853071795865 * (n % 200) / 200) / unit) * unit;
    block.set(0, 2000);
    levels.add(block);
    return levels.result()[0].step;
  };
  // 101 values, no two of them a step apart.
  EXPECT_NEAR(step_of(1e-5), 1e-5, 1e-15);
  EXPECT_NEAR(step_of(1e-7), 1e-7, 1e-17);
  // 2^-5, of which neighbours are there.
  EXPECT_NEAR(step_of(0.03125), 0.03125, 1e-12);
}

}  // namespace
}  // namespace vprism::levels_test
