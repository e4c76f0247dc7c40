// Limits: courses between points, margins, violations.
#include "identify/findings/limit_line.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"

namespace vprism::limit_line_test {
namespace {

LimitLine line(LimitCourse course) { return {"l", {{10, 1}, {1000, 0.01}}, course}; }

TEST(LimitLine, CoursesBetweenPointsAreThoseNamed) {
  // Half way in the logarithm: 100 Hz and 0.1.
  EXPECT_NEAR(*line(LimitCourse::logarithmic).at(100), 0.1, 1e-12);
  EXPECT_NEAR(*line(LimitCourse::linear).at(505), 0.505, 1e-12);
  EXPECT_EQ(*line(LimitCourse::step).at(999), 1);
  EXPECT_EQ(*line(LimitCourse::step).at(1000), 0.01);
  EXPECT_FALSE(line(LimitCourse::linear).at(9.9));
  EXPECT_FALSE(line(LimitCourse::linear).at(1000.1));
}

TEST(LimitLine, MarginsAreInDecibelsAndNeighboursAboveAreOneViolation) {
  const LimitLine l{"l", {{1, 1}, {10, 1}}, LimitCourse::linear};
  const std::vector<double> hz = {0, 1, 2, 3, 4, 5, 6, 11}, level = {9, 0.1, 2, 10, 0.5, 0, 1.5, 9};
  const LimitVerdict v = judge_limit(l, {hz, level}, true);
  EXPECT_FALSE(v.pass);
  EXPECT_EQ(v.compared, 6u);
  ASSERT_EQ(v.violations.size(), 2u);
  EXPECT_EQ(v.violations[0].low_hz, 2);
  EXPECT_EQ(v.violations[0].high_hz, 3);
  EXPECT_EQ(v.violations[0].frequency_hz, 3);
  EXPECT_NEAR(v.violations[0].margin_db, -20, 1e-12);
  EXPECT_NEAR(judge_limit(l, {hz, level}, false).worst.margin_db, -10, 1e-12);
  EXPECT_EQ(v.worst.frequency_hz, 3);
}

TEST(LimitLine, APassStillTellsItsLeastMargin) {
  const LimitVerdict v =
      judge_limit(line(LimitCourse::logarithmic), {{50, 100, 500}, {0.01, 0.05, 0.001}}, true);
  EXPECT_TRUE(v.pass);
  EXPECT_EQ(v.worst.frequency_hz, 100);
  EXPECT_NEAR(v.worst.margin_db, 20 * std::log10(2), 1e-9);
}

TEST(LimitLine, WhatCanNotBeComparedIsRefused) {
  EXPECT_EQ(judge_limit(line(LimitCourse::linear), {{1, 2}, {1, 1}}, true).compared, 0u);
  EXPECT_THROW(check_limit({"l", {{1, 1}}, LimitCourse::linear}, "x"), Error);
  EXPECT_THROW(check_limit({"l", {{2, 1}, {1, 1}}, LimitCourse::linear}, "x"), Error);
  EXPECT_THROW(check_limit({"l", {{0, 1}, {1, 1}}, LimitCourse::logarithmic}, "x"), Error);
  EXPECT_NO_THROW(check_limit({"l", {{0, 1}, {1, 1}}, LimitCourse::linear}, "x"));
}

/// Levels of averaged noise: gamma of mean `mean`, its shape the number of averages.
LimitLevels scattered(double mean, double averages, unsigned seed) {
  std::mt19937_64 bits(seed);
  std::gamma_distribution<double> power(averages, mean / averages);
  LimitLevels l;
  l.averages = averages;
  for (int k = 0; k < 4000; ++k) {
    l.hz.push_back(k), l.level.push_back(power(bits));
    l.std_db.push_back(std::nan(""));
  }
  return l;
}

TEST(LimitLine, NoiseSixDecibelsBelowPassesWithOneAverage) {
  const LimitLine flat{"flat", {{0, 1}, {4000, 1}}, LimitCourse::linear};
  for (const double averages : {1.0, 4.0, 30.0})
    for (unsigned seed = 1; seed <= 40; ++seed) {
      const LimitVerdict v = judge_limit(flat, scattered(0.25, averages, seed), false);
      EXPECT_TRUE(v.pass) << averages << " " << seed;
      // The least of many means: below 6.02 dB, by no more than a few of its uncertainties.
      EXPECT_NEAR(v.worst.margin_db, 6.02, 5 * v.worst.margin_std_db);
      EXPECT_GT(v.worst.margin_std_db, 0.05);
    }
}

TEST(LimitLine, NoiseAsStrongAsTheLimitRarelyFailsAndOneDecibelOverItAlways) {
  const LimitLine flat{"flat", {{0, 1}, {4000, 1}}, LimitCourse::linear};
  int broken = 0;
  for (unsigned seed = 1; seed <= 200; ++seed) {
    broken += judge_limit(flat, scattered(1, 1, seed), false).pass ? 0 : 1;
    EXPECT_FALSE(judge_limit(flat, scattered(1.26, 1, seed), false).pass) << seed;
  }
  EXPECT_LE(broken, 3);
}

TEST(LimitLine, ANarrowRiseOfNoiseIsSeenAmongTheQuiet) {
  const LimitLine flat{"flat", {{0, 1}, {4000, 1}}, LimitCourse::linear};
  LimitLevels l = scattered(0.1, 1, 7);
  const LimitLevels loud = scattered(4, 1, 8);
  for (std::size_t k = 1000; k < 1040; ++k) l.level[k] = loud.level[k];
  const LimitVerdict v = judge_limit(flat, l, false);
  ASSERT_FALSE(v.pass);
  EXPECT_NEAR(v.violations.front().frequency_hz, 1020, 40);
}

TEST(LimitLine, ALineIsAsSureAsItsFit) {
  const LimitLine flat{"flat", {{0, 1}, {4000, 1}}, LimitCourse::linear};
  LimitLevels l = scattered(1e-4, 1, 9);
  l.level[500] = 1.01, l.std_db[500] = 0.004;
  const LimitVerdict v = judge_limit(flat, l, true);
  ASSERT_FALSE(v.pass);
  EXPECT_EQ(v.violations.front().frequency_hz, 500);
  EXPECT_EQ(v.violations.front().margin_std_db, 0.004);
  EXPECT_NEAR(v.violations.front().margin_db, -20 * std::log10(1.01), 1e-9);
}

}  // namespace
}  // namespace vprism::limit_line_test
