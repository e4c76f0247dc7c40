// Maps of levels: reduced by the greatest, cropped, and the range their colours reach over.
#include "transform/maps/level_map.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace vprism::level_map_test {
namespace {

LevelMap counted(std::size_t rows, std::size_t columns) {
  LevelMap map;
  map.resize(rows, columns);
  map.start_s = 2, map.step_s = 0.5;
  for (std::size_t r = 0; r < rows; ++r) {
    map.frequency_hz[r] = 10.0 * static_cast<double>(r);
    for (std::size_t c = 0; c < columns; ++c) map.at(r, c) = static_cast<float>(r * columns + c);
  }
  return map;
}

TEST(LevelMap, TimesAndRowsAreFound) {
  const LevelMap map = counted(8, 10);
  EXPECT_DOUBLE_EQ(map.time_s(0), 2.25);
  EXPECT_EQ(map.column_at(2.6), 1u);
  EXPECT_EQ(map.column_at(-5), 0u);
  EXPECT_EQ(map.column_at(99), 9u);
  EXPECT_EQ(map.row_at(34), 3u);
  EXPECT_EQ(map.row_at(36), 4u);
  EXPECT_EQ(map.row_at(1e9), 7u);
}

TEST(LevelMap, ReducingKeepsTheGreatestOfEveryGroup) {
  LevelMap map = counted(9, 20);
  map.at(4, 7) = 1e6f;
  map.at(0, 0) = std::nanf("");
  const LevelMap small = map.reduced(3, 5);
  EXPECT_LE(small.rows(), 3u);
  EXPECT_LE(small.columns, 5u);
  // Nothing short is lost: the greatest of all is still there, where it was.
  const std::size_t r = small.row_at(40), c = small.column_at(map.time_s(7));
  EXPECT_FLOAT_EQ(small.at(r, c), 1e6f);
  EXPECT_FALSE(std::isnan(small.at(0, 0)));
  // The last group holds the last cell.
  EXPECT_FLOAT_EQ(small.at(small.rows() - 1, small.columns - 1), 179);
  EXPECT_NEAR(small.start_s, 2, 1e-12);
  EXPECT_NEAR(small.step_s * static_cast<double>(small.columns), 10, 0.5 * small.step_s);
}

TEST(LevelMap, CroppingKeepsRowsAsTheyAre) {
  const LevelMap map = counted(8, 10), part = map.cropped(15, 45);
  ASSERT_EQ(part.rows(), 3u);
  EXPECT_DOUBLE_EQ(part.frequency_hz[0], 20);
  EXPECT_FLOAT_EQ(part.at(2, 9), 49);
  EXPECT_EQ(map.cropped({}, 25).rows(), 3u);
  EXPECT_EQ(map.cropped(55, {}).rows(), 2u);
}

TEST(LevelMap, ColoursReachFromTheFloorToAllButTheRarest) {
  std::mt19937_64 dice(2);
  std::exponential_distribution<double> square(1);
  LevelMap map;
  map.resize(200, 500);
  for (float& v : map.power) v = static_cast<float>(1e-6 * square(dice));
  // One cell in a thousand 60 dB up.
  for (std::size_t i = 0; i < 100; ++i) map.power[1000 * i] = 1.0f;
  const LevelRange range = colour_range(map);
  // A tenth of exponential squares stay below -ln 0.9 = -9.8 dB of the mean, -60 dB.
  EXPECT_LE(range.low_db, -69);
  EXPECT_GE(range.low_db, -80);
  EXPECT_GE(range.high_db, 0);
  EXPECT_LE(range.high_db, 5);
  EXPECT_LT(range.below, 0.11);
  EXPECT_LE(range.above, 1e-3);
  EXPECT_DOUBLE_EQ(std::remainder(range.low_db, 5), 0);
  // Levels told in another unit move the range.
  EXPECT_NEAR(colour_range(map, 20).high_db, range.high_db + 20, 1e-9);
}

}  // namespace
}  // namespace vprism::level_map_test
