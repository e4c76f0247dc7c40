// missing_test.cpp: samples that are no numbers are counted, with their first place.
#include "condition/missing.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

namespace vprism::missing_test {
namespace {

Recording pair_of_channels() {
  Recording r;
  r.channels = {{"a", {}}, {"b", {}}};
  r.axis.interval = 0.5;
  r.axis.start = 10;
  return r;
}

TEST(MissingCount, CountsEachChannelWithItsFirstPlace) {
  const double inf = std::numeric_limits<double>::infinity(), nan = std::nan("");
  Block block(2, 4);
  const double values[2][4] = {{1, 2, 3, 4}, {1, nan, -inf, 1e61}};
  for (std::size_t c = 0; c < 2; ++c) std::copy_n(values[c], 4, block.room(c).begin());
  block.set(100, 4);
  MissingCount count;
  count.begin(2);
  count.look(block, false);
  count.end();
  EXPECT_TRUE(block.gaps());
  for (std::size_t n = 1; n < 4; ++n) EXPECT_TRUE(std::isnan(block.samples(1)[n]));
  const auto cautions = count.cautions(pair_of_channels(), {}, "");
  ASSERT_EQ(cautions.size(), 1u);
  EXPECT_EQ(cautions[0].channel, "b");
  EXPECT_NE(cautions[0].text.find("3 of 4 samples"), std::string::npos) << cautions[0].text;
  EXPECT_NE(cautions[0].text.find("1 of them larger than"), std::string::npos) << cautions[0].text;
  EXPECT_NE(cautions[0].text.find("sample 102 at 60.5 s"), std::string::npos) << cautions[0].text;
  // The reader has said so itself.
  EXPECT_TRUE(count.cautions(pair_of_channels(), {{"gaps", Severity::warning, "b", "", ""}}, "").empty());
}

TEST(MissingCount, KeepsLargeValuesForWhoOnlyCopiesAndTheLongestPass) {
  Block block(1, 2);
  block.room(0)[0] = 1e200, block.room(0)[1] = 1;
  block.set(0, 2);
  MissingCount count;
  count.begin(1);
  count.look(block, true);
  count.end();
  EXPECT_FALSE(block.gaps());
  EXPECT_EQ(block.samples(0)[0], 1e200);
  count.begin(1);
  count.look(block, false);
  count.end();
  count.begin(1);  // A pass that ends at once takes nothing back.
  count.end();
  Recording r = pair_of_channels();
  EXPECT_EQ(count.cautions(r, {}, "").size(), 1u);
}

}  // namespace
}  // namespace vprism::missing_test
