// Gear and bearing line-ups, folded formulas, several channels: the line-up's further corners.
#include <gtest/gtest.h>

#include "identify/findings/lineup.h"

namespace vprism::lineup_geometry_test {
namespace {

Observed at(double hz, std::size_t channel = 0, double std_hz = 1e-3) { return {channel, 0, hz, std_hz, 1}; }

Suspect shaft(double low, double high, const std::vector<std::pair<double, double>>& orders) {
  Suspect s;
  s.name = "shaft";
  s.base_hz = Range{low, high};
  for (const auto& [order, weight] : orders) s.lines.push_back({"order", {{"", order}}, 0, weight});
  return s;
}

TEST(LineUpGeometry, ABearingIsKnownByItsOuterRaceAndTheShaft) {
  const BearingOrders o = bearing_orders(9, 7.94, 39.04, 0);
  const double speed = 29.95;
  const auto matches = match_suspects({shaft(28, 32, {{1, 1}, {o.outer, 0.6}, {o.inner, 0.6}})},
                                      {at(speed), at(o.outer * speed), at(77.1)});
  EXPECT_EQ(matches[0].found(), 2u);
  EXPECT_NEAR(*matches[0].base_hz, speed, 1e-3);
  EXPECT_TRUE(matches[0].lines[2].observed.empty());
}

TEST(LineUpGeometry, AContactAngleBringsTheRacesTogether) {
  const BearingOrders flat = bearing_orders(8, 10, 50, 0), steep = bearing_orders(8, 10, 50, 40);
  EXPECT_LT(steep.inner - steep.outer, flat.inner - flat.outer);
  EXPECT_NEAR(steep.inner + steep.outer, 8, 1e-12);
  EXPECT_NEAR(flat.outer, 3.2, 1e-12);
  EXPECT_NEAR(flat.inner, 4.8, 1e-12);
  EXPECT_NEAR(flat.cage, 0.4, 1e-12);
}

TEST(LineUpGeometry, EveryChannelGivesItsOwnLineForTheSameOrder) {
  const auto matches = match_suspects({shaft(24, 25, {{1, 1}, {7, 1}})},
                                      {at(24.3, 0), at(24.3002, 1), at(170.1, 1), at(24.31, 2)});
  ASSERT_EQ(matches[0].lines.size(), 2u);
  EXPECT_EQ(matches[0].lines[0].observed.size(), 2u);  // Channel 2 is ten uncertainties off.
  EXPECT_EQ(matches[0].lines[1].observed.size(), 1u);
}

TEST(LineUpGeometry, ABaseKnownPoorlyDoesNotLetHighOrdersMatchAnything) {
  // 1 +- 0.3 Hz: order 40 would lie anywhere between 28 and 52 Hz.
  const auto matches = match_suspects({shaft(0.5, 1.5, {{1, 1}, {40, 1}})}, {at(1, 0, 0.3), at(33)});
  for (const LineMatch& line : matches[0].lines)
    if (line.expected_hz > 20) {
      EXPECT_TRUE(line.observed.empty() || std::abs(line.expected_hz - 33) < 0.02);
    }
}

TEST(LineUpGeometry, ADifferenceBelowZeroIsSeenAtItsAbsoluteFrequency) {
  Suspect a = shaft(30, 32, {{1, 1}}), beat;
  a.name = "a";
  beat.name = "beat";
  beat.lines = {parse_line_formula("a - 50 Hz", {"a"})};
  const auto matches = match_suspects({a, beat}, {at(31), at(19)});
  ASSERT_EQ(matches[1].lines.size(), 1u);
  EXPECT_NEAR(matches[1].lines[0].expected_hz, 19, 1e-9);
  EXPECT_EQ(matches[1].found(), 1u);
}

TEST(LineUpGeometry, SidebandsStandAroundTheLineAtTheSpacingOfAnother) {
  Suspect carrier = shaft(19'990, 20'010, {{1, 1}}), motor = shaft(260, 264, {{1, 1}});
  carrier.name = "switching";
  motor.name = "motor";
  for (const double side : {-1.0, 1.0})
    carrier.lines.push_back({"sideband", {{"", 1}, {"motor", 2 * side}}, 0, 0.4});
  const auto matches = match_suspects({carrier, motor}, {at(20'000), at(262), at(19'476), at(20'524)});
  EXPECT_EQ(matches[0].found(), 3u);
  EXPECT_NEAR(*matches[0].base_hz, 20'000, 0.01);
}

TEST(LineUpGeometry, NoLinesAtAllClearEveryone) {
  for (const SuspectMatch& m : match_suspects({shaft(10, 20, {{1, 1}})}, {})) {
    EXPECT_EQ(m.score, 0);
    EXPECT_EQ(m.found(), 0u);
  }
}

}  // namespace
}  // namespace vprism::lineup_geometry_test
