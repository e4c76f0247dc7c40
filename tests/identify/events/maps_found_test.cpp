// What is found in maps of levels: ridges that wander, events that stand out for a while, noise that does
// not.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "identify/events/map_events.h"
#include "identify/events/ridges.h"

namespace vprism::maps_found_test {
namespace {

/// Rows 1 Hz apart from 0, columns 1 s wide, exponentially distributed squares of the mean 1.
LevelMap noise_map(std::size_t rows, std::size_t columns, std::uint64_t seed) {
  std::mt19937_64 dice(seed);
  std::exponential_distribution<double> square(1);
  LevelMap map;
  map.resize(rows, columns);
  for (std::size_t r = 0; r < rows; ++r) map.frequency_hz[r] = static_cast<double>(r);
  for (float& v : map.power) v = static_cast<float>(square(dice));
  return map;
}

std::vector<std::pair<std::size_t, std::size_t>> whole(const LevelMap& map) {
  return std::vector<std::pair<std::size_t, std::size_t>>(map.rows(), {0, map.columns});
}

std::vector<MapEvent> events_of(const LevelMap& map) {
  const auto noise = row_noise(map, std::vector<double>(map.rows(), 1.0), whole(map), 9);
  return find_map_events(map, noise);
}

/// A bell of amplitude, 2^-1/2 wide in both directions at half its height times 2 times `half`.
void add_bell(LevelMap& map, double t, double hz, double half_t, double half_hz, double power) {
  for (std::size_t r = 0; r < map.rows(); ++r)
    for (std::size_t c = 0; c < map.columns; ++c) {
      const double u = (map.time_s(c) - t) / half_t, v = (map.frequency_hz[r] - hz) / half_hz;
      // Amplitude halves, power quarters, at u = 1.
      map.at(r, c) += static_cast<float>(power * std::exp2(-2 * (u * u + v * v)));
    }
}

TEST(Ridges, ALineThatSlopesIsFollowedWithItsSlope) {
  LevelMap map = noise_map(64, 100, 1);
  for (std::size_t c = 0; c < map.columns; ++c) {
    const double hz = 10 + 0.3 * map.time_s(c);
    for (std::size_t r = 0; r < map.rows(); ++r) {
      const double d = map.frequency_hz[r] - hz;
      map.at(r, c) += static_cast<float>(1e4 * std::exp(-2 * d * d));
    }
  }
  const auto ridges = find_ridges(map);
  ASSERT_GE(ridges.size(), 1u);
  EXPECT_EQ(ridges[0].points.size(), 100u);
  EXPECT_NEAR(ridges[0].slope(), 0.3, 0.002);
  EXPECT_NEAR(ridges[0].low_hz(), 10.15, 0.1);
  EXPECT_NEAR(ridges[0].high_hz(), 39.85, 0.1);
  // A parabola of logarithms is exact for a bell: the power at its top, give or take the noise.
  EXPECT_NEAR(ridges[0].mean_power(), 1e4, 50);
  for (const auto& p : ridges[0].points) EXPECT_NEAR(p.hz, 10 + 0.3 * p.time_s, 0.02);
}

TEST(Ridges, ShortGapsAreOutlastedAndLongOnesPartALine) {
  const auto with_gap = [](std::size_t gap) {
    LevelMap map = noise_map(32, 60, 3);
    for (std::size_t c = 0; c < map.columns; ++c)
      if (c < 30 || c >= 30 + gap) map.at(12, c) = 1e5f;
    return find_ridges(map);
  };
  const auto one = with_gap(2), two = with_gap(12);
  ASSERT_GE(one.size(), 1u);
  EXPECT_GE(one[0].points.size(), 58u);
  ASSERT_GE(two.size(), 2u);
  EXPECT_EQ(two[0].points.size(), 30u);
  EXPECT_EQ(two[1].points.size(), 18u);
}

TEST(Ridges, NoiseHasNone) {
  for (std::uint64_t seed = 0; seed < 5; ++seed)
    EXPECT_TRUE(find_ridges(noise_map(64, 100, 50 + seed)).empty());
}

TEST(MapEvents, ABellIsToldWithItsPlaceAndHalfWidths) {
  LevelMap map = noise_map(60, 200, 5);
  add_bell(map, 80.5, 25, 6, 4, 1e4);
  const auto events = events_of(map);
  ASSERT_GE(events.size(), 1u);
  const MapEvent& e = events[0];
  EXPECT_NEAR(e.peak_s, 80.5, 0.1);
  EXPECT_NEAR(e.peak_hz, 25, 0.1);
  EXPECT_NEAR(e.power, 1e4, 20);
  EXPECT_NEAR(e.row_start_s, 74.5, 0.2);
  EXPECT_NEAR(e.row_end_s, 86.5, 0.2);
  EXPECT_NEAR(e.column_low_hz, 21, 0.2);
  EXPECT_NEAR(e.column_high_hz, 29, 0.2);
  EXPECT_NEAR(e.background, 1, 0.35);
}

TEST(MapEvents, TwoBellsWithADeepSaddleAreTwo) {
  LevelMap map = noise_map(60, 200, 7);
  add_bell(map, 60, 20, 5, 3, 1e4), add_bell(map, 85, 35, 5, 3, 5e3);
  const auto events = events_of(map);
  ASSERT_GE(events.size(), 2u);
  EXPECT_NEAR(events[0].peak_s, 60, 0.6);
  EXPECT_NEAR(events[1].peak_s, 85, 0.6);
  // A quarter as far apart the weaker one is a shoulder of the other.
  LevelMap near = noise_map(60, 200, 7);
  add_bell(near, 60, 20, 5, 3, 1e4), add_bell(near, 62, 21, 5, 3, 5e3);
  EXPECT_EQ(events_of(near).size(), 1u);
}

TEST(MapEvents, NoiseMakesAsFewAsStated) {
  // One map of a hundred: of thirty, three would be very many.
  std::size_t found = 0;
  for (std::uint64_t seed = 0; seed < 30; ++seed) found += !events_of(noise_map(40, 300, 100 + seed)).empty();
  EXPECT_LE(found, 2u);
}

TEST(MapEvents, WhatLastsOverHalfTheRecordIsNoEvent) {
  LevelMap map = noise_map(40, 200, 9);
  for (std::size_t c = 20; c < 180; ++c) map.at(15, c) = 1e4f;
  for (const MapEvent& e : events_of(map)) EXPECT_LT(e.end_s - e.start_s, 101);
}

TEST(MapEvents, TheMedianTellsTheNoiseWhateverTheEvents) {
  LevelMap map = noise_map(40, 2000, 11);
  // A fifth of the time very loud.
  for (std::size_t r = 0; r < map.rows(); ++r)
    for (std::size_t c = 0; c < 400; ++c) map.at(r, c) *= 1e4f;
  const auto noise = row_noise(map, std::vector<double>(map.rows(), 1.0), whole(map), 9);
  for (const RowNoise& n : noise) {
    // The median of the quiet four fifths lies at their 5/8: -ln(3/8) of ln 2.
    EXPECT_NEAR(n.power, std::log(8.0 / 3) / std::log(2.0), 0.25);
    EXPECT_GT(n.threshold, 8 * n.power);
  }
}

TEST(MapEvents, EventsThatFillTheMapAreAWanderer) {
  const LevelMap map = noise_map(10, 100, 1);
  std::vector<MapEvent> few(1), many(3);
  few[0].start_s = 10, few[0].end_s = 20;
  for (std::size_t i = 0; i < 3; ++i)
    many[i].start_s = 30.0 * static_cast<double>(i), many[i].end_s = many[i].start_s + 20;
  EXPECT_EQ(without_wanderers(map, few).size(), 1u);
  EXPECT_TRUE(without_wanderers(map, many).empty());
}

}  // namespace
}  // namespace vprism::maps_found_test
