// The line-up: formulas, orders, and which suspect explains the lines.
#include "identify/findings/lineup.h"

#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::lineup_test {
namespace {

Observed at(double hz, double std_hz = 1e-3, std::size_t channel = 0) { return {channel, 0, hz, std_hz, 1}; }

Suspect machine(const std::string& name, double low, double high, const std::vector<double>& orders) {
  Suspect s;
  s.name = name;
  s.base_hz = Range{low, high};
  for (const double order : orders) s.lines.push_back({"order", {{"", order}}, 0, 1});
  return s;
}

TEST(LineUp, FormulasAreSumsOfMultiplesAndQuantities) {
  const ExpectedLine line = parse_line_formula("2 * cooler - dome fan + 0.5 kHz", {"cooler", "dome fan"});
  ASSERT_EQ(line.terms.size(), 2u);
  EXPECT_EQ(line.terms[0].suspect, "cooler");
  EXPECT_EQ(line.terms[0].factor, 2);
  EXPECT_EQ(line.terms[1].suspect, "dome fan");
  EXPECT_EQ(line.terms[1].factor, -1);
  EXPECT_EQ(line.constant_hz, 500);
  EXPECT_THROW(parse_line_formula("2 * cooller", {"cooler"}), Error);
  EXPECT_THROW(parse_line_formula("cooler + ", {"cooler"}), Error);
}

TEST(LineUp, BearingOrdersAreThoseOfTheTextbooks) {
  // Nine balls of 7.94 mm on 39.04 mm, no contact angle: 3.585, 5.415, 2.357 and 0.398 times the shaft, as
  // tables of bearings for this geometry print them (ball order once a turn: 4.7135 / 2).
  const BearingOrders o = bearing_orders(9, 7.94, 39.04, 0);
  EXPECT_NEAR(o.outer, 3.5848, 2e-4);
  EXPECT_NEAR(o.inner, 5.4152, 2e-4);
  EXPECT_NEAR(o.ball, 2.3567, 2e-4);
  EXPECT_NEAR(o.cage, 0.39831, 2e-5);
  EXPECT_NEAR(o.outer + o.inner, 9, 1e-12);
}

TEST(LineUp, OneSpeedIsFoundForAllOrders) {
  // 23.456 Hz with orders 1, 2 and 17 among lines of others; nothing known of the speed but 10 to 40 Hz.
  const std::vector<Observed> lines = {at(23.457), at(46.911), at(398.752), at(30), at(100), at(317.3)};
  const auto matches = match_suspects({machine("shaft", 10, 40, {1, 2, 17})}, lines);
  ASSERT_TRUE(matches[0].base_hz);
  EXPECT_NEAR(*matches[0].base_hz, 23.456, 2e-4);
  EXPECT_EQ(matches[0].found(), 3u);
  EXPECT_GT(matches[0].score, 0.9);
  EXPECT_LT(matches[0].chance, 0.01);
}

TEST(LineUp, ASuspectWithoutLinesIsNotMatched) {
  const auto matches = match_suspects({machine("pump", 14, 16, {1, 6})}, {at(31.2), at(24.3)});
  EXPECT_EQ(matches[0].found(), 0u);
  EXPECT_EQ(matches[0].score, 0);
  EXPECT_FALSE(matches[0].base_hz);
}

TEST(LineUp, FormulasUseTheBasesThatWereFound) {
  LineUp lineup = {machine("beat", 1, 2, {}), machine("a", 30, 32, {1}), machine("b", 24, 25, {1})};
  lineup[0].base_hz.reset();
  lineup[0].lines = {parse_line_formula("2 * a - b", {"a", "b"})};
  const auto matches = match_suspects(lineup, {at(31.2), at(24.3), at(38.1)});
  ASSERT_EQ(matches[0].lines.size(), 1u);
  EXPECT_NEAR(matches[0].lines[0].expected_hz, 38.1, 1e-9);
  EXPECT_EQ(matches[0].found(), 1u);
}

TEST(LineUp, LinesBeyondHalfTheRateAreNotMissed) {
  LineUpSettings settings;
  settings.top_hz = 50;
  const auto matches = match_suspects({machine("a", 30, 32, {1, 2, 3})}, {at(31.2)}, settings);
  EXPECT_EQ(matches[0].lines.size(), 1u);
  EXPECT_GT(matches[0].score, 0.9);
}

TEST(LineUp, OneHitInAWideRangeIsOpenToChance) {
  std::vector<Observed> lines;
  for (int i = 1; i < 60; ++i) lines.push_back(at(16.7 * i + 0.3 * (i % 7)));
  const auto matches =
      match_suspects({machine("anything", 100, 200, {1}), machine("precise", 16.9, 17.1, {1})}, lines);
  EXPECT_GT(matches[0].chance, 0.9);
  EXPECT_LT(matches[1].chance, 0.1);
  EXPECT_LT(matches[0].score, matches[1].score);
}

}  // namespace
}  // namespace vprism::lineup_test
