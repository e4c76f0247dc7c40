// Joining files by channels and in time, scaled axes, calibration by points, unit conversion.
#include "signal/join.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "condition/chain.h"
#include "condition/road.h"
#include "condition/stamped_road.h"
#include "signal/axis_scale.h"

namespace vprism::join_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::unique_ptr<SampleSource> source(const std::string& file, std::vector<std::vector<double>> columns,
                                     double rate = 10, double start = 0,
                                     std::optional<std::int64_t> zero_ns = {}) {
  Recording r;
  r.file = file;
  for (std::size_t c = 0; c < columns.size(); ++c)
    r.channels.push_back({"CH" + std::to_string(c + 1), Unit::parse("V"), "voltage"});
  r.axis.start = start;
  r.axis.interval = 1 / rate;
  r.zero_ns = zero_ns;
  return std::make_unique<MemorySource>(r, std::move(columns));
}

std::vector<std::unique_ptr<SampleSource>> both(std::unique_ptr<SampleSource> a,
                                                std::unique_ptr<SampleSource> b) {
  std::vector<std::unique_ptr<SampleSource>> out;
  out.push_back(std::move(a));
  out.push_back(std::move(b));
  return out;
}

std::vector<std::vector<double>> read_columns(SampleSource& s) {
  Block block(s.recording().channels.size(), 3, s.carries_stamps(), s.recording().complex);
  std::vector<std::vector<double>> out(block.columns());
  while (s.read(block) > 0)
    for (std::size_t c = 0; c < out.size(); ++c)
      out[c].insert(out[c].end(), block.samples(c).begin(), block.samples(c).end());
  return out;
}

bool warns(const SampleSource& s, const std::string& code) {
  for (const Caution& c : s.recording().cautions)
    if (c.code == code) return true;
  return false;
}

TEST(JoinChannels, StandSideBySideUnderTheirFilesNames) {
  const auto joined = join_channels(
      both(source("a/left.csv", {{1, 2, 3, 4}}), source("a/right.csv", {{5, 6, 7, 8}, {9, 9, 9, 9}})));
  EXPECT_EQ(joined->recording().channels[0].name, "CH1");
  EXPECT_EQ(joined->recording().channels[1].name, "right CH1");
  EXPECT_EQ(joined->recording().channels[2].name, "CH2");
  for (int pass = 0; pass < 2; ++pass) {
    EXPECT_THAT(read_columns(*joined),
                ElementsAre(ElementsAre(1, 2, 3, 4), ElementsAre(5, 6, 7, 8), ElementsAre(9, 9, 9, 9)));
    joined->rewind();
  }
  EXPECT_TRUE(joined->recording().cautions.empty());
}

TEST(JoinChannels, OtherStartsAndLengthsAreCautionsOtherRatesErrors) {
  const auto joined = join_channels(both(source("a", {{1, 2, 3}}), source("b", {{5, 6}})));
  EXPECT_TRUE(warns(*joined, "unequal-lengths"));
  EXPECT_EQ(joined->recording().samples, 2);
  EXPECT_THROW(join_channels(both(source("a", {{1}}), source("b", {{1}}, 20))), Error);
}

TEST(JoinChannels, AreLinedUpByTheirTimesOrClocks) {
  const auto timed =
      join_channels(both(source("a", {{1, 2, 3, 4, 5}}, 10, -0.2), source("b", {{7, 8, 9, 10}}, 10, 0.1)));
  for (int pass = 0; pass < 2; ++pass) {
    EXPECT_THAT(read_columns(*timed), ElementsAre(ElementsAre(4, 5), ElementsAre(7, 8)));
    timed->rewind();
  }
  EXPECT_NEAR(timed->recording().axis.start, 0.1, 1e-12);
  EXPECT_TRUE(warns(*timed, "starts-aligned"));
  EXPECT_FALSE(warns(*timed, "start-differs"));
  // The clocks are 0.2 s apart, and 30% of an interval more.
  const auto dated = join_channels(both(source("a", {{1, 2, 3, 4}}, 10, 0, 1000000000000),
                                        source("b", {{7, 8, 9, 10}}, 10, 0, 1000230000000)));
  EXPECT_THAT(read_columns(*dated), ElementsAre(ElementsAre(3, 4), ElementsAre(7, 8)));
  EXPECT_TRUE(warns(*dated, "start-differs"));
  EXPECT_THROW(join_channels(both(source("a", {{1, 2}}, 10, 0), source("b", {{3, 4}}, 10, 0.3))), Error);
}

std::unique_ptr<SampleSource> named(const std::string& file,
                                    std::vector<std::pair<std::string, const char*>> channels,
                                    std::vector<std::vector<double>> columns, double start) {
  Recording r;
  r.file = file;
  for (const auto& [name, unit] : channels) r.channels.push_back({name, Unit::parse(unit), ""});
  r.axis.start = start, r.axis.interval = 1;
  return std::make_unique<MemorySource>(r, std::move(columns));
}

TEST(JoinTime, MatchesChannelsByNameAndConvertsTheirUnits) {
  const auto joined =
      join_time(both(named("a", {{"u", "V"}, {"t", "degC"}, {"only", "1"}}, {{1, 2}, {20, 21}, {0, 0}}, 0),
                     named("b", {{"t", "K"}, {"u", "mV"}}, {{295.15, 296.15}, {3000, 4000}}, 2)));
  ASSERT_EQ(joined->recording().channels.size(), 2u);
  EXPECT_TRUE(warns(*joined, "channels-left-out"));
  const auto columns = read_columns(*joined);
  EXPECT_THAT(columns[0], ElementsAre(1, 2, 3, 4));
  for (int n = 0; n < 4; ++n) EXPECT_NEAR(columns[1][static_cast<std::size_t>(n)], 20 + n, 1e-9);
  EXPECT_THROW(join_time(both(named("a", {{"u", "V"}}, {{1, 2}}, 0), named("b", {{"u", "A"}}, {{1, 2}}, 2))),
               Error);
  const auto by_place =
      join_time(both(named("a", {{"u", "V"}}, {{1, 2}}, 0), named("b", {{"w", "V"}}, {{3, 4}}, 2)));
  EXPECT_TRUE(warns(*by_place, "joined-by-place"));
  EXPECT_THAT(read_columns(*by_place)[0], ElementsAre(1, 2, 3, 4));
}

TEST(JoinTime, OfAnOverlapTheLaterFilesPartIsLeftOut) {
  const auto joined = join_time(
      both(named("a", {{"u", "V"}}, {{1, 2, 3, 4}}, 0), named("b", {{"u", "V"}}, {{3, 4, 5, 6}}, 2)));
  for (int pass = 0; pass < 2; ++pass) {
    EXPECT_THAT(read_columns(*joined)[0], ElementsAre(1, 2, 3, 4, 5, 6));
    joined->rewind();
  }
  EXPECT_TRUE(warns(*joined, "join-overlap"));
  EXPECT_EQ(joined->recording().samples, 6);
}

TEST(JoinTime, OrdersByTheTimesAndLeavesGapsOpen) {
  const auto joined = join_time(both(source("late", {{5, 6}}, 10, 0.5), source("early", {{1, 2, 3}}, 10, 0)));
  EXPECT_TRUE(warns(*joined, "join-gap"));
  EXPECT_EQ(joined->recording().samples, 7);
  const auto x = read_columns(*joined)[0];
  EXPECT_EQ(x[2], 3);
  EXPECT_TRUE(std::isnan(x[3]) && std::isnan(x[4]));
  EXPECT_EQ(x[5], 5);
  const auto dated = join_time(
      both(source("b", {{3, 4}}, 10, 0, 1000200000000), source("a", {{1, 2}}, 10, 0, 1000000000000)));
  EXPECT_THAT(read_columns(*dated)[0], ElementsAre(1, 2, 3, 4));
  EXPECT_TRUE(dated->recording().cautions.empty());
}

TEST(JoinTime, WithoutTimesTheOrderGivenIsAssumedAndOverlapsAreSerious) {
  const auto plain = join_time(both(source("a", {{1, 2}}), source("b", {{3, 4}})));
  EXPECT_TRUE(warns(*plain, "join-assumed"));
  EXPECT_THAT(read_columns(*plain)[0], ElementsAre(1, 2, 3, 4));
  EXPECT_TRUE(
      warns(*join_time(both(source("a", {{1, 2, 3}}), source("b", {{3, 4}}, 10, 0.1))), "join-overlap"));
  const auto more = join_time(both(source("a", {{1, 2}}), source("b", {{3, 4}, {5, 6}})));
  EXPECT_TRUE(warns(*more, "channels-left-out"));
  EXPECT_THAT(read_columns(*more), ElementsAre(ElementsAre(1, 2, 3, 4)));
}

std::unique_ptr<SampleSource> stamped(const std::string& file, std::vector<double> times, double value,
                                      bool dated = true) {
  Recording r;
  r.file = file;
  r.channels = {{"CH1", Unit::parse("V"), "voltage"}};
  if (dated) r.zero_ns = 0;
  std::vector<double> values(times.size(), value);
  return std::make_unique<Stamped>(r, std::move(times), std::move(values));
}

std::vector<double> stamps_of(SampleSource& s) {
  Block block = s.make_block();
  std::vector<double> out;
  s.rewind();
  while (s.read(block) > 0) out.insert(out.end(), block.stamps().begin(), block.stamps().end());
  return out;
}

TEST(JoinTime, UnevenStepsKeepEverySampleThatIsLater) {
  // Steps of 1 s behind steps of 10 s, and of 2 s behind these: only what is not later than what came before
  // goes, by its own time.
  std::vector<std::unique_ptr<SampleSource>> parts;
  parts.push_back(stamped("a", {0, 9, 21, 30}, 1));
  parts.push_back(stamped("b", {31, 31.5, 33, 34.2}, 2));
  parts.push_back(stamped("c", {33.5, 34.1, 34.2, 34.3, 40}, 3));
  const auto joined = join_time(std::move(parts));
  EXPECT_THAT(stamps_of(*joined), ElementsAre(0, 9, 21, 30, 31, 31.5, 33, 34.2, 34.3, 40));
  EXPECT_EQ(joined->recording().samples, 10);
  EXPECT_DOUBLE_EQ(joined->recording().axis.interval, 40.0 / 9);
  int overlaps = 0;
  for (const Caution& c : joined->recording().cautions)
    if (c.code == "join-overlap") {
      ++overlaps;
      EXPECT_THAT(c.text, HasSubstr("3 samples"));
    }
  EXPECT_EQ(overlaps, 1);
  EXPECT_FALSE(warns(*joined, "join-gap"));
}

TEST(JoinTime, UnevenStepsWithoutClocksGoOnBehindEachOther) {
  const auto joined = join_time(both(stamped("a", {0, 1, 3}, 1, false), stamped("b", {0, 4, 5}, 2, false)));
  const std::vector<double> times = stamps_of(*joined);
  ASSERT_EQ(times.size(), 6u);
  // One usual step, the longer of the two, lies between them.
  EXPECT_THAT(times, ElementsAre(0, 1, 3, 5.5, 9.5, 10.5));
  EXPECT_TRUE(warns(*joined, "join-assumed"));
}

TEST(AxisScale, TurnsAnyAxisIntoTimesFrequenciesOrPositions) {
  EXPECT_DOUBLE_EQ(parse_axis_scale("2 us").factor, 2e-6);
  EXPECT_EQ(parse_axis_scale("1 kHz").unit.text(), "Hz");
  EXPECT_EQ(parse_axis_scale("0.5 mm").unit.text(), "mm");
  EXPECT_THROW(parse_axis_scale("0 s"), Error);
  const auto scaled = make_scaled_axis(source("a", {{1, 2, 3}}, 1, 4), parse_axis_scale("1 ms"));
  EXPECT_DOUBLE_EQ(scaled->recording().axis.interval, 1e-3);
  EXPECT_DOUBLE_EQ(scaled->recording().axis.start, 4e-3);
}

TEST(AxisScale, ADelayLineCountsTheLightPathTwice) {
  // 1 mm of stage is 2 mm of path: 6.6713 ps.
  EXPECT_NEAR(parse_delay_line("mm").factor, 6.671281904e-12, 1e-20);
  EXPECT_THROW(parse_delay_line("kg"), Error);
}

TEST(Calibration, ByPointsIsALineOrATable) {
  const Calibration line = make_calibration({"two-point 0.5=0 4.5=10 bar"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(line.value(2.5), 5);
  EXPECT_EQ(line.unit.text(), "bar");
  const Calibration after = make_calibration({"probe 10", "two-point 5=0 45=10 bar"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(after.value(2.5), 5);
  const Calibration table = make_calibration({"table 0=0 1=10 3=20 degC"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(table.value(0.5), 5);
  EXPECT_DOUBLE_EQ(table.value(2), 15);
  EXPECT_DOUBLE_EQ(table.value(5), 30);  // The last stretch goes on.
  EXPECT_DOUBLE_EQ(table.value(-1), -10);
  for (const char* bad : {"x: table 0=0 degC", "x: table 0=0 0=1 K", "x: table 0=0 1=1",
                          "x: two-point 0=0 1=1 2=2 V", "x: table 0=a 1=1 V", "x: table 0=0 1=1 V, probe 10"})
    EXPECT_THROW(parse_calibration_rule(bad), Error) << bad;
}

TEST(Calibration, ChargeSensitivitiesFitChannelsWithoutAUnit) {
  const Calibration c = make_calibration({"sensitivity 4 pC/N"}, Unit());
  EXPECT_EQ(c.unit.text(), "N");
  EXPECT_NEAR(c.value(8e-12), 2, 1e-12);
}

TEST(UnitRules, ConvertWhatFitsAndRefuseTheRest) {
  Chain chain;
  chain.push_back(make_unit_stage({parse_unit_rule("CH*: mV")}));
  Road road(source("a", {{1, -2}}), std::move(chain));
  std::vector<double> out;
  road.run([&](Block& block) { out.assign(block.samples(0).begin(), block.samples(0).end()); });
  EXPECT_THAT(out, ElementsAre(1000, -2000));
  EXPECT_EQ(road.recording().channels[0].unit.text(), "mV");
  Chain wrong;
  wrong.push_back(make_unit_stage({parse_unit_rule("CH1: m")}));
  EXPECT_THROW(Road(source("a", {{1, -2}}), std::move(wrong)), Error);
  EXPECT_THROW(parse_unit_rule("no colon"), Error);
}

TEST(ComplexBlocks, PassStagesWithBothParts) {
  Recording r;
  r.file = "z";
  r.complex = true;
  r.channels.push_back({"z", Unit::parse("V"), "voltage"});
  r.axis.interval = 1;
  Chain chain = parse_chain("scale 2 | offset 1 | detrend constant | gate 1s..4s");
  Road road(std::make_unique<MemorySource>(r, std::vector<std::vector<double>>{{1, 2, 3, 4}, {5, 5, 5, 9}}),
            std::move(chain));
  std::vector<double> real, imaginary;
  road.run([&](Block& block) {
    real.assign(block.samples(0).begin(), block.samples(0).end());
    imaginary.assign(block.imaginary(0).begin(), block.imaginary(0).end());
  });
  EXPECT_THAT(real, ElementsAre(-1, 1, 3));
  EXPECT_THAT(imaginary, ElementsAre(-2, -2, 6));
}

}  // namespace
}  // namespace vprism::join_test
