// Recordings of other rates and with uneven steps side by side: a sine is the same sine in all of them, at
// the same times, whatever its steps were.
#include "condition/grid/common_grid.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>

#include "condition/stamped_road.h"
#include "signal/join.h"

namespace vprism::common_grid_test {
namespace {

double truth(double t) {
  return std::sin(2 * std::numbers::pi * 3 * t) + 0.3 * std::cos(2 * std::numbers::pi * 7 * t);
}

std::unique_ptr<SampleSource> even(const std::string& name, double rate, double start, std::size_t count) {
  Recording r;
  r.file = name;
  r.channels = {{name, Unit::parse("V")}};
  r.axis.interval = 1 / rate, r.axis.start = start;
  std::vector<double> x;
  for (std::size_t n = 0; n < count; ++n) x.push_back(truth(start + static_cast<double>(n) / rate));
  return std::make_unique<MemorySource>(std::move(r), std::vector<std::vector<double>>{std::move(x)});
}

std::unique_ptr<SampleSource> uneven(const std::string& name, double rate, double start, double end,
                                     unsigned seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> step(0.6 / rate, 1.4 / rate);
  std::vector<double> t;
  for (double at = start; at <= end; at += step(random)) t.push_back(at);
  Recording r;
  r.file = name;
  r.channels = {{name, Unit::parse("V")}};
  std::vector<double> x;
  for (const double at : t) x.push_back(truth(at));
  return std::make_unique<Stamped>(std::move(r), std::move(t), std::move(x));
}

struct Joined {
  Recording recording;
  std::vector<std::vector<double>> columns;
};

Joined joined(std::vector<std::unique_ptr<SampleSource>> sources) {
  const auto source = join_channels(on_common_grid(std::move(sources)));
  Joined out{source->recording(), std::vector<std::vector<double>>(source->recording().channels.size())};
  EXPECT_FALSE(source->carries_stamps());
  Block block = source->make_block();
  while (source->read(block) > 0)
    for (std::size_t c = 0; c < out.columns.size(); ++c)
      out.columns[c].insert(out.columns[c].end(), block.samples(c).begin(), block.samples(c).end());
  return out;
}

/// All columns hold the truth at the joined times, away from the ends of what was resampled.
void expect_truth(const Joined& j, double within) {
  for (std::size_t c = 0; c < j.columns.size(); ++c) {
    ASSERT_EQ(j.columns[c].size(), static_cast<std::size_t>(j.recording.samples));
    for (std::size_t n = 100; n + 100 < j.columns[c].size(); ++n)
      ASSERT_NEAR(j.columns[c][n],
                  truth(j.recording.axis.start + static_cast<double>(n) * j.recording.axis.interval), within)
          << c << " " << n;
  }
}

std::vector<std::unique_ptr<SampleSource>> list(std::unique_ptr<SampleSource> a,
                                                std::unique_ptr<SampleSource> b) {
  std::vector<std::unique_ptr<SampleSource>> out;
  out.push_back(std::move(a)), out.push_back(std::move(b));
  return out;
}

int cautions(const Joined& j, const std::string& code) {
  int out = 0;
  for (const Caution& c : j.recording.cautions) out += c.code == code ? 1 : 0;
  return out;
}

TEST(CommonGrid, OtherRatesComeToTheFastest) {
  const Joined j = joined(list(even("slow", 500, 0, 1500), even("fast", 1250, 0, 3700)));
  EXPECT_NEAR(j.recording.axis.rate_hz(), 1250, 1e-6);
  EXPECT_EQ(cautions(j, "rate-joined"), 1);
  expect_truth(j, 2e-4);
  // A clock that is off by 40 ppm.
  const Joined k = joined(list(even("a", 1000, 0, 5000), even("b", 1000.04, 0, 5000)));
  EXPECT_NEAR(k.recording.axis.rate_hz(), 1000.04, 1e-6);
  expect_truth(k, 2e-4);
}

TEST(CommonGrid, UnevenStepsMeetTheSamplesOfTheEvenOnes) {
  const Joined j = joined(list(uneven("solver", 900, -0.0437, 3, 3), even("recorder", 1000, 0.01234, 2900)));
  EXPECT_NEAR(j.recording.axis.rate_hz(), 1000, 1e-6);
  EXPECT_NEAR(j.recording.axis.start, 0.01234, 1e-9);
  EXPECT_EQ(cautions(j, "rate-joined"), 1);
  EXPECT_EQ(cautions(j, "start-differs"), 0);
  expect_truth(j, 2e-4);
}

TEST(CommonGrid, TwoThatAreUnevenShareAGridOfTheirOwn) {
  const Joined j = joined(list(uneven("a", 800, 0.0213, 3, 1), uneven("b", 700, 0.0071, 2.9, 2)));
  EXPECT_EQ(cautions(j, "rate-joined"), 2);
  EXPECT_EQ(cautions(j, "start-differs"), 0);
  EXPECT_GT(j.recording.axis.rate_hz(), 650);
  EXPECT_NEAR(j.recording.axis.start, 0.0213, 1e-9);
  expect_truth(j, 3e-4);
}

TEST(CommonGrid, WhatIsAlikeIsHandedOnUntouched) {
  auto sources = list(even("a", 1000, 0, 50), even("b", 1000 * (1 + 1e-8), 0, 50));
  const SampleSource* first = sources[0].get();
  const auto out = on_common_grid(std::move(sources));
  EXPECT_EQ(out[0].get(), first);
  EXPECT_TRUE(out[1]->recording().cautions.empty());
}

}  // namespace
}  // namespace vprism::common_grid_test
