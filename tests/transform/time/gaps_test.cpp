// gaps_test.cpp: stretches between gaps and how segments are laid into them.
#include "transform/time/gaps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "base/error.h"

namespace vprism::gaps_test {
namespace {

constexpr double nan = std::numeric_limits<double>::quiet_NaN();

Block block_of(const std::vector<std::vector<double>>& columns, std::int64_t first = 0) {
  Block block(columns.size(), columns.front().size());
  bool gaps = false;
  for (std::size_t c = 0; c < columns.size(); ++c)
    for (std::size_t n = 0; n < columns[c].size(); ++n) {
      block.room(c)[n] = columns[c][n];
      gaps = gaps || std::isnan(columns[c][n]);
    }
  block.set(first, columns.front().size());
  block.set_gaps(gaps);
  return block;
}

TEST(GapWatch, CountsStretchesOfEachChannelAndOfAllTogetherAcrossBlocks) {
  GapWatch watch(2);
  watch.add(block_of({{1, 1, nan, 1, 1}, {1, 1, 1, 1, 1}}));
  watch.add(block_of({{1, 1, 1, 1, 1}, {1, nan, nan, 1, 1}}, 5));
  const std::vector<GapPattern> p = watch.result();
  ASSERT_EQ(p.size(), 3u);
  EXPECT_EQ(p[0].stretches, (std::map<std::int64_t, std::int64_t>{{2, 1}, {7, 1}}));
  EXPECT_EQ(p[1].stretches, (std::map<std::int64_t, std::int64_t>{{2, 1}, {6, 1}}));
  EXPECT_EQ(p[2].stretches, (std::map<std::int64_t, std::int64_t>{{2, 2}, {3, 1}}));
  EXPECT_EQ(p[0].gaps, 1);
  EXPECT_EQ(p[1].valid, 8);
  EXPECT_EQ(p[2].samples, 10);
}

TEST(GapWatch, TellsPatternsOfTheSameLengthsApart) {
  GapWatch watch(2);
  watch.add(block_of({{1, nan, 1, 1, 1}, {1, 1, 1, nan, 1}}));
  const auto p = watch.result();
  EXPECT_EQ(p[0].stretches, p[1].stretches);
  EXPECT_FALSE(p[0] == p[1]);
}

TEST(PlanBetweenGaps, TakesSegmentsThatMostOfTheRecordHasRoomFor) {
  GapPattern pattern;
  pattern.samples = 20001, pattern.gaps = 1, pattern.valid = 20000;
  pattern.stretches = {{10000, 2}};
  SpectrumPlan plan = plan_between_gaps({}, pattern, 1000);
  EXPECT_EQ(plan.segment, 10000u);
  EXPECT_EQ(plan.averages, 2);
  // A short stretch beside a long one does not shorten the segments.
  pattern.stretches = {{1000, 1}, {19000, 1}};
  EXPECT_EQ(plan_between_gaps({}, pattern, 1000).segment, 19000u);
  SpectrumSettings asked;
  asked.segment = 500;
  plan = plan_between_gaps(asked, pattern, 1000);
  EXPECT_EQ(plan.segment, 500u);
  EXPECT_EQ(plan.averages, 3 + 75);
  asked.segment = 19001;
  EXPECT_THROW(plan_between_gaps(asked, pattern, 1000), Error);
  pattern.stretches = {{3, 1000}};
  EXPECT_THROW(plan_between_gaps({}, pattern, 1000), Error);
}

}  // namespace
}  // namespace vprism::gaps_test
