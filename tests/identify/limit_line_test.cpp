// Limits: courses between points, margins, violations.
#include "identify/limit_line.h"

#include <gtest/gtest.h>

#include <cmath>

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
  const LimitVerdict v = judge_limit(l, hz, level, true);
  EXPECT_FALSE(v.pass);
  EXPECT_EQ(v.compared, 6u);
  ASSERT_EQ(v.violations.size(), 2u);
  EXPECT_EQ(v.violations[0].low_hz, 2);
  EXPECT_EQ(v.violations[0].high_hz, 3);
  EXPECT_EQ(v.violations[0].frequency_hz, 3);
  EXPECT_NEAR(v.violations[0].margin_db, -20, 1e-12);
  EXPECT_NEAR(judge_limit(l, hz, level, false).worst.margin_db, -10, 1e-12);
  EXPECT_EQ(v.worst.frequency_hz, 3);
}

TEST(LimitLine, APassStillTellsItsLeastMargin) {
  const LimitVerdict v =
      judge_limit(line(LimitCourse::logarithmic), {50, 100, 500}, {0.01, 0.05, 0.001}, true);
  EXPECT_TRUE(v.pass);
  EXPECT_EQ(v.worst.frequency_hz, 100);
  EXPECT_NEAR(v.worst.margin_db, 20 * std::log10(2), 1e-9);
}

TEST(LimitLine, WhatCanNotBeComparedIsRefused) {
  EXPECT_EQ(judge_limit(line(LimitCourse::linear), {1, 2}, {1, 1}, true).compared, 0u);
  EXPECT_THROW(check_limit({"l", {{1, 1}}, LimitCourse::linear}, "x"), Error);
  EXPECT_THROW(check_limit({"l", {{2, 1}, {1, 1}}, LimitCourse::linear}, "x"), Error);
  EXPECT_THROW(check_limit({"l", {{0, 1}, {1, 1}}, LimitCourse::logarithmic}, "x"), Error);
  EXPECT_NO_THROW(check_limit({"l", {{0, 1}, {1, 1}}, LimitCourse::linear}, "x"));
}

}  // namespace
}  // namespace vprism::limit_line_test
