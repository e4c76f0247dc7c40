// The newest stretch of a stream.
#include "transform/time/rolling.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::rolling_test {
namespace {

Block counting(std::int64_t from, std::size_t count) {
  Block block(2, count);
  for (std::size_t n = 0; n < count; ++n) {
    block.room(0)[n] = static_cast<double>(from) + static_cast<double>(n);
    block.room(1)[n] = -block.room(0)[n];
  }
  block.set(from, count);
  return block;
}

TEST(RollingSamples, HoldTheNewestInOrderWhateverTheBlocks) {
  RollingSamples rolling(2, 10);
  std::int64_t came = 0;
  for (const std::size_t size : {3u, 4u, 1u, 7u, 10u, 25u, 2u, 9u, 1u}) {
    rolling.add(counting(came, size));
    came += static_cast<std::int64_t>(size);
    const Block held = rolling.block();
    const std::vector<std::span<const double>> columns = {held.samples(0), held.samples(1)};
    ASSERT_EQ(held.channels(), 2u);
    EXPECT_FALSE(held.gaps());
    ASSERT_EQ(columns[0].size(), static_cast<std::size_t>(std::min<std::int64_t>(10, came)));
    EXPECT_EQ(rolling.came(), came);
    for (std::size_t n = 0; n < columns[0].size(); ++n) {
      const double expected = static_cast<double>(came - static_cast<std::int64_t>(columns[0].size()) +
                                                  static_cast<std::int64_t>(n));
      EXPECT_EQ(columns[0][n], expected);
      EXPECT_EQ(columns[1][n], -expected);
    }
    EXPECT_EQ(rolling.first(), came - static_cast<std::int64_t>(columns[0].size()));
  }
}

TEST(RollingSamples, AGapIsSaidAsLongAsItIsHeld) {
  RollingSamples rolling(2, 4);
  Block block = counting(0, 3);
  block.room(1)[1] = std::nan("");
  rolling.add(block);
  EXPECT_TRUE(rolling.block().gaps());
  rolling.add(counting(3, 3));
  EXPECT_FALSE(rolling.block().gaps());
}

TEST(RollingMap, ForgetsTheOldestColumns) {
  RollingMap rolling(3);
  EXPECT_EQ(rolling.map({1, 2}).columns, 0u);
  for (int i = 0; i < 5; ++i) rolling.add(10 + 2 * i, {static_cast<float>(i), static_cast<float>(10 * i)});
  const LevelMap map = rolling.map({1, 2});
  ASSERT_EQ(map.columns, 3u);
  EXPECT_EQ(map.at(0, 0), 2);
  EXPECT_EQ(map.at(1, 2), 40);
  // Columns at 14, 16 and 18 s.
  EXPECT_DOUBLE_EQ(map.time_s(0), 14);
  EXPECT_DOUBLE_EQ(map.time_s(2), 18);
}

}  // namespace
}  // namespace vprism::rolling_test
