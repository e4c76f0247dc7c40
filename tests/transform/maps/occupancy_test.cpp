// Counts of levels against signals whose levels are known at all times.
#include "transform/maps/occupancy.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "signal/feed.h"

namespace vprism::occupancy_test {
namespace {

using std::numbers::pi;

constexpr std::size_t segment = 100;

std::vector<Occupancy> counted(const std::vector<std::vector<double>>& columns, std::size_t block = 1000) {
  SpectrumSettings settings;
  settings.segment = segment;
  settings.window = parse_window("rectangular");
  settings.overlap = 0;
  OccupancyEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(columns[0].size()), 1000),
                               settings);
  feed(estimator, columns, block);
  return estimator.result();
}

/// A line at 200 Hz (bin 20) whose amplitude in each segment is given.
std::vector<double> line(const std::vector<double>& amplitudes) {
  std::vector<double> out;
  for (const double a : amplitudes)
    for (std::size_t n = 0; n < segment; ++n)
      out.push_back(a * std::cos(2 * pi * 0.2 * static_cast<double>(n)));
  return out;
}

double db_of(double amplitude) { return 10 * std::log10(amplitude * amplitude / 2); }

TEST(Occupancy, EachSegmentIsCountedOnceInEachBin) {
  const auto maps = counted({line({1, 2, 3, 4, 5}), line({5, 5, 5, 5, 5})});
  ASSERT_EQ(maps.size(), 2u);
  for (const Occupancy& map : maps) {
    EXPECT_EQ(map.segments, 5);
    EXPECT_EQ(map.grid.bins(), 51u);
    for (std::size_t k = 0; k < map.grid.bins(); ++k) {
      std::uint64_t count = 0;
      for (std::size_t i = 0; i < map.levels; ++i) count += map.counts[k * map.levels + i];
      EXPECT_EQ(count, 5u) << k;
    }
  }
  // Mean power and highest level.
  EXPECT_NEAR(maps[0].grid.power[20], (1 + 4 + 9 + 16 + 25) / 5.0 / 2, 1e-12);
  EXPECT_NEAR(maps[0].highest[20], 12.5, 1e-12);
  EXPECT_EQ(maps[0].highest_at[20], 4 * 100 + 50);
}

TEST(Occupancy, PercentilesTellHowLongALevelIsKept) {
  // At 10 in 60% of the segments, at 1 in the rest.
  std::vector<double> amplitudes;
  for (int s = 0; s < 50; ++s) amplitudes.push_back(s % 5 < 3 ? 10 : 1);
  const Occupancy map = counted({line(amplitudes)})[0];
  for (const double part : {0.05, 0.2, 0.39})
    EXPECT_NEAR(map.percentile_db(20, part), db_of(1), map.step_db) << part;
  for (const double part : {0.41, 0.7, 1.0})
    EXPECT_NEAR(map.percentile_db(20, part), db_of(10), map.step_db) << part;
  double high = 0;
  for (std::size_t i = 0; i < map.levels; ++i)
    if (map.floor_db + map.step_db * static_cast<double>(i) > db_of(3)) high += map.share(20, i);
  EXPECT_NEAR(high, 0.6, 1e-12);
}

TEST(Occupancy, PercentilesOfNoiseAreThoseOfAnExponentialLaw) {
  // Powers of Gaussian noise: a part p stays below -mean ln(1 - p).
  std::mt19937_64 dice(3);
  std::normal_distribution<double> normal;
  std::vector<double> x(segment * 20000);
  for (double& v : x) v = normal(dice);
  const Occupancy map = counted({x})[0];
  for (const double part : {0.1, 0.5, 0.9, 0.99}) {
    double mean = 0;
    for (std::size_t k = 5; k < 45; ++k)
      mean += map.percentile_db(k, part) - 10 * std::log10(map.grid.power[k]);
    EXPECT_NEAR(mean / 40, 10 * std::log10(-std::log(1 - part)), 0.05) << part;
  }
}

TEST(Occupancy, ARareBurstIsAnEventSteadyLinesAreNot) {
  std::mt19937_64 dice(4);
  std::normal_distribution<double> normal(0, 0.1);
  std::vector<double> x = line(std::vector<double>(2000, 5.0));
  for (std::size_t n = 0; n < x.size(); ++n) {
    x[n] += normal(dice);
    // Four segments of the two thousand hold a tone at 350 Hz.
    const std::size_t s = n / segment;
    if (s >= 1200 && s < 1204) x[n] += 2 * std::cos(2 * pi * 0.35 * static_cast<double>(n));
  }
  const std::vector<RareEvent> events = rare_events(counted({x})[0]);
  ASSERT_EQ(events.size(), 1u);
  EXPECT_NEAR(events[0].peak_hz, 350, 1e-9);
  EXPECT_NEAR(events[0].peak_db, db_of(2), 0.5);
  EXPECT_NEAR(events[0].share, 4.0 / 2000, 1e-9);
  EXPECT_GE(events[0].time_s, 120 - 1e-9);
  EXPECT_LT(events[0].time_s, 120.4);
  // Noise of 0.1: its mean square in a bin is 2 s^2 / N, of which 99% stay below 4.6 times that.
  EXPECT_NEAR(events[0].usual_db, 10 * std::log10(2 * 0.01 / segment * 4.605), 1);
}

TEST(Occupancy, CountsDoNotDependOnTheBlocks) {
  std::vector<double> amplitudes;
  for (int s = 0; s < 37; ++s) amplitudes.push_back(1 + s % 7);
  const std::vector<double> x = line(amplitudes);
  EXPECT_EQ(counted({x}, 64)[0].counts, counted({x}, 4000)[0].counts);
}

TEST(Occupancy, WithoutASegmentItSaysSo) {
  SpectrumSettings settings;
  settings.segment = segment;
  OccupancyEstimator estimator(plan_spectrum(settings, 1000, 1000), settings);
  feed(estimator, {std::vector<double>(50, 1.0)});
  EXPECT_THROW(estimator.result(), Error);
}

}  // namespace
}  // namespace vprism::occupancy_test
