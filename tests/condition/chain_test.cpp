// The chain and the road: each stage against its closed form, in blocks of awkward sizes.
#include "condition/chain.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "condition/road.h"
#include "condition/road_over.h"

namespace vprism::chain_test {
namespace {

using ::testing::HasSubstr;

TEST(Detrend, RemovesTheExactLineAndSaysWhichOne) {
  std::vector<double> x;
  for (int n = 0; n < 1000; ++n) x.push_back(3 + 0.002 * n);
  Road road = road_over({x}, parse_chain("detrend linear"));
  const auto out = collect(road);
  for (const double v : out[0]) EXPECT_NEAR(v, 0, 1e-12);
  const StageReport report = road.reports().at(0);
  EXPECT_THAT(report.effects.at(0).second, HasSubstr("slope 2 V/s"));  // 0.002 per sample at 1 kHz
}

TEST(Detrend, ConstantLeavesTheSlope) {
  std::vector<double> x;
  for (int n = 0; n < 101; ++n) x.push_back(n);
  Road road = road_over({x}, parse_chain("detrend constant"));
  const auto y = collect(road)[0];
  EXPECT_DOUBLE_EQ(y.front(), -50);
  EXPECT_DOUBLE_EQ(y.back(), 50);
}

TEST(Gate, KeepsHalfOpenIntervalsThatTile) {
  std::vector<double> x;
  for (int n = 0; n < 100; ++n) x.push_back(n);
  Road first = road_over({x}, parse_chain("gate 10ms..50ms"));
  Road second = road_over({x}, parse_chain("gate 50ms..80 ms"));
  EXPECT_EQ(first.recording().samples, 40);
  EXPECT_EQ(collect(first)[0].front(), 10);
  EXPECT_EQ(collect(first)[0].back(), 49);
  EXPECT_EQ(collect(second)[0].front(), 50);
  EXPECT_DOUBLE_EQ(second.recording().axis.start, 0.05);
}

TEST(Gate, CountsFromTheRecordingsOwnStart) {
  Road road = road_over({{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}}, parse_chain("gate -2ms..3ms"), 1000, -0.005);
  EXPECT_THAT(collect(road)[0], ::testing::ElementsAre(3, 4, 5, 6, 7));
}

TEST(Gate, OutsideTheRecordIsAnError) {
  try {
    road_over({{1, 2, 3}}, parse_chain("gate 1s..2s"));
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::analysis);
    EXPECT_THAT(error.what(), HasSubstr("runs from 0 s to 3 ms"));
  }
}

TEST(Chain, StepsApplyInOrder) {
  Road road = road_over({{1, 2, 3}}, parse_chain("scale 2 | offset 1 | invert"));
  EXPECT_THAT(collect(road)[0], ::testing::ElementsAre(-3, -5, -7));
}

TEST(Chain, DetrendSeesWhatTheStagesBeforeItMade) {
  std::vector<double> x(1000, 5.0);
  for (int n = 500; n < 1000; ++n) x[static_cast<std::size_t>(n)] = 9.0;
  Road road = road_over({x}, parse_chain("gate 500ms..1s | scale 2 | detrend constant"));
  const auto out = collect(road);
  for (const double v : out[0]) EXPECT_NEAR(v, 0, 1e-12);
}

TEST(Chain, MayBeRunTwice) {
  Road road = road_over({{1, 2, 3, 4}}, parse_chain("detrend constant"));
  EXPECT_EQ(collect(road), collect(road));
}

TEST(Chain, MistakesNameTheStep) {
  const auto message = [](const char* text) {
    try {
      parse_chain(text);
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string("no error");
  };
  EXPECT_THAT(message("detrned linear"), HasSubstr("did you mean \"detrend\""));
  EXPECT_THAT(message("detrend cubic"), HasSubstr("unknown trend"));
  EXPECT_THAT(message("scale"), HasSubstr("a value is missing"));
  EXPECT_THAT(message("scale 2 3"), HasSubstr("too much"));
  EXPECT_THAT(message("gate 3s"), HasSubstr("is not a range"));
  EXPECT_THAT(message("scale 2 | "), HasSubstr("empty step"));
  EXPECT_THAT(message(""), HasSubstr("empty"));
}

TEST(Calibrate, SetsUnitAndQuantityOfTheChannelsItNames) {
  Chain chain;
  chain.push_back(make_calibrate_stage({parse_calibration_rule("ch2: sensitivity 100 mV/(m/s^2)")}));
  Road road = road_over({{1, 1}, {0.1, 0.2}}, std::move(chain));
  EXPECT_EQ(road.recording().channels[0].unit.text(), "V");
  EXPECT_EQ(road.recording().channels[1].unit.text(), "m/s^2");
  EXPECT_EQ(road.recording().channels[1].quantity, "acceleration");
  const auto y = collect(road);
  EXPECT_DOUBLE_EQ(y[0][0], 1);
  EXPECT_DOUBLE_EQ(y[1][1], 2);
}

TEST(Road, AnErrorInTheSinkEndsThePassCleanly) {
  Road road = road_over({std::vector<double>(1000, 1.0)}, {});
  EXPECT_THROW(road.run([](Block&) { throw Error(Status::analysis, "enough"); }), Error);
  EXPECT_EQ(collect(road)[0].size(), 1000u);
}

}  // namespace
}  // namespace vprism::chain_test
