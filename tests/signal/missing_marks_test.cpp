// Numbers that stand for missing: which may, when they do, and what is left of the rest.
#include "signal/missing_marks.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace vprism::missing_marks_test {
namespace {

using ::testing::HasSubstr;
using ::testing::IsEmpty;

struct Seen {
  std::vector<std::vector<double>> columns;
  std::vector<Caution> cautions;
  std::size_t missing(std::size_t c = 0) const {
    return static_cast<std::size_t>(
        std::ranges::count_if(columns[c], [](double x) { return std::isnan(x); }));
  }
};

Seen seen(std::vector<std::vector<double>> columns, const MissingMarks& marks = {}) {
  Recording recording;
  recording.file = "made";
  for (std::size_t c = 0; c < columns.size(); ++c)
    recording.channels.push_back({"c" + std::to_string(c), {}});
  recording.axis.interval = 0.01;
  const std::size_t count = columns.size();
  const auto source =
      with_missing_marks(std::make_unique<MemorySource>(std::move(recording), std::move(columns)), marks);
  Seen out;
  out.columns.resize(count);
  Block block(count, 1000);
  while (source->read(block) > 0)
    for (std::size_t c = 0; c < count; ++c)
      out.columns[c].insert(out.columns[c].end(), block.samples(c).begin(), block.samples(c).end());
  out.cautions = source->recording().cautions;
  return out;
}

std::vector<double> noise(double mean, double spread, std::size_t samples = 5000) {
  std::mt19937 random(1);
  std::normal_distribution<double> normal(mean, spread);
  std::vector<double> out(samples);
  for (double& x : out) x = normal(random);
  return out;
}

TEST(MissingMarks, AreNinesFillsAndEndsOfTypes) {
  for (const double mark :
       {-99.0, -99.9, -99.99, 999.0, -999.25, 9999.0, -9999.9, 99999.0, -9999999.0, 1e20, -1e30,
        9.9692099683868690e36, 3.4028235e38, -1.7976931348623157e308, -32768.0, 65535.0})
    EXPECT_TRUE(may_stand_for_missing(mark)) << mark;
  for (const double plain : {0.0, 1.0, -1.0, 9.9, 99.0, 90.0, 998.0, 1000.0, 99.5, 255.0, -273.15, 1e6, 1e10,
                             999.5, 10000.0, 9990.0, 32766.0, 1.5e30})
    EXPECT_FALSE(may_stand_for_missing(plain)) << plain;
  EXPECT_FALSE(may_stand_for_missing(std::nan("")));
}

TEST(MissingMarks, FarFromAllElseTheyAreGaps) {
  for (const double mark : {-9999.0, 999.25, -99.9, 1e30, -32768.0}) {
    std::vector<double> x = noise(2, 0.3);
    for (const std::size_t n : {700u, 701u, 3500u, 4999u}) x[n] = mark;
    const Seen out = seen({x, noise(0, 1)});
    EXPECT_EQ(out.missing(0), 4u) << mark;
    EXPECT_EQ(out.missing(1), 0u);
    ASSERT_EQ(out.cautions.size(), 1u) << mark;
    EXPECT_EQ(out.cautions[0].code, "missing-marks");
    EXPECT_EQ(out.cautions[0].channel, "c0");
    EXPECT_THAT(out.cautions[0].text, HasSubstr("stands 4 times, first at sample 701 (7 s)"));
    EXPECT_THAT(out.cautions[0].remedy, HasSubstr("--missing-value none"));
    EXPECT_EQ(out.columns[0][699], x[699]);
    EXPECT_EQ(out.columns[0].size(), x.size());
  }
}

// A sensor that is not ready for the first blocks, and one that dies.
TEST(MissingMarks, WholeBlocksOfThemAreGapsToo) {
  std::vector<double> late = noise(20, 1, 9000), early = late;
  std::fill_n(late.begin(), 3500, -999.0);
  std::fill(early.begin() + 5100, early.end(), 9999.0);
  const Seen out = seen({late, early});
  EXPECT_EQ(out.missing(0), 3500u);
  EXPECT_EQ(out.missing(1), 3900u);
}

TEST(MissingMarks, OrdinaryNumbersStay) {
  // A counter passes through 999; a signal of thousands reaches 9999; a switch between the ends of a type; a
  // constant; a single step.
  std::vector<double> counter(5000), large = noise(9000, 400), ends(5000), flat(5000, 999.0), step(5000, 0.0);
  for (std::size_t n = 0; n < counter.size(); ++n) {
    counter[n] = static_cast<double>(n);
    ends[n] = n % 50 < 25 ? -32768 : 32767;
    if (n > 2500) step[n] = 9999;
  }
  large[17] = 9999;
  const Seen out = seen({counter, large, ends, flat, step});
  for (std::size_t c = 0; c < 5; ++c) EXPECT_EQ(out.missing(c), 0u) << c;
  EXPECT_THAT(out.cautions, IsEmpty());
}

TEST(MissingMarks, OnesThatMayBeMeantArePointedOut) {
  std::vector<double> x = noise(0, 400);
  x[10] = x[4000] = 9999;
  const Seen out = seen({x});
  EXPECT_EQ(out.missing(), 0u);
  ASSERT_EQ(out.cautions.size(), 1u);
  EXPECT_EQ(out.cautions[0].code, "missing-marks-possible");
  EXPECT_THAT(out.cautions[0].remedy, HasSubstr("--missing-value 9999"));
}

TEST(MissingMarks, WhatIsGivenIsMissingAndNoneFindsNothing) {
  std::vector<double> x = noise(2, 0.3);
  x[5] = x[6] = 0;
  x[7] = -9999;
  const Seen given = seen({x}, {true, {0}});
  EXPECT_EQ(given.missing(), 3u);
  EXPECT_EQ(given.cautions.size(), 2u);
  EXPECT_EQ(seen({x}, {false, {}}).missing(), 0u);
  EXPECT_EQ(seen({x}, {false, {0}}).missing(), 2u);
  // As a caution prints it, or as single precision keeps it.
  x[8] = 9.9692099683868690e36;
  EXPECT_EQ(seen({x}, {false, {9.96921e36}}).missing(), 1u);
  x[9] = static_cast<double>(-999.9F);
  EXPECT_EQ(seen({x}, {false, {-999.9}}).missing(), 1u);
  Recording spectrum;
  spectrum.channels.push_back({"level", {}});
  spectrum.axis.domain = Axis::Domain::frequency;
  const auto levels = with_missing_marks(
      std::make_unique<MemorySource>(spectrum, std::vector<std::vector<double>>{{1, -999, 2}}),
      {true, {-999}});
  Block block(1, 10);
  while (levels->read(block) > 0) EXPECT_EQ(block.samples(0)[1], -999);
  ASSERT_EQ(levels->recording().cautions.size(), 1u);
  EXPECT_EQ(levels->recording().cautions[0].code, "missing-value-unused");
  const Seen absent = seen({x}, {false, {-1}});
  ASSERT_EQ(absent.cautions.size(), 1u);
  EXPECT_EQ(absent.cautions[0].code, "missing-value-absent");
}

}  // namespace
}  // namespace vprism::missing_marks_test
