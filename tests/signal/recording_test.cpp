// Recordings: titles with units, channel choice, calibration, stamps.
#include "signal/recording.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "signal/calibration.h"
#include "signal/stamps.h"

namespace vprism::recording_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

struct TitleCase {
  const char* title;
  const char* name;
  const char* unit;
};

class Titles : public ::testing::TestWithParam<TitleCase> {};

TEST_P(Titles, GiveNameAndUnit) {
  const Channel channel = channel_from_title(GetParam().title);
  EXPECT_EQ(channel.name, GetParam().name);
  EXPECT_EQ(channel.unit.text(), GetParam().unit);
}

INSTANTIATE_TEST_SUITE_P(
    All, Titles,
    ::testing::Values(TitleCase{"Voltage (mV)", "Voltage", "mV"}, TitleCase{"Voltage [mV]", "Voltage", "mV"},
                      TitleCase{"Voltage/mV", "Voltage", "mV"}, TitleCase{"Voltage, mV", "Voltage", "mV"},
                      TitleCase{"acc_ms", "acc", "ms"}, TitleCase{"acc_x", "acc_x", "1"},
                      TitleCase{"CH1", "CH1", "1"}, TitleCase{"a [V/(m/s2)]", "a", "V/(m/s2)"},
                      TitleCase{"level (odd)", "level", "odd"}, TitleCase{"flow (m^3/s)", "flow", "m^3/s"},
                      TitleCase{"V(in)", "V(in)", "1"}, TitleCase{"I(C)", "I(C)", "1"},
                      TitleCase{"U(V)", "U", "V"}, TitleCase{"i(mA)", "i", "mA"},
                      TitleCase{"Re(H)", "Re(H)", "1"}, TitleCase{"phase(deg)", "phase", "deg"},
                      TitleCase{"length(in)", "length", "in"},
                      TitleCase{"a very long remark (that is no unit at all)",
                                "a very long remark (that is no unit at all)", "1"}));

Recording recording_with(std::vector<std::string> names) {
  Recording recording;
  recording.file = "x.csv";
  for (std::string& name : names) recording.channels.push_back({std::move(name), {}, ""});
  return recording;
}

TEST(SelectChannels, ByNameGlobAndNumberInTheRecordingsOrder) {
  const Recording r = recording_with({"fork", "mirror cell", "mirror rim", "2"});
  EXPECT_THAT(select_channels(r, {}), ElementsAre(0, 1, 2, 3));
  EXPECT_THAT(select_channels(r, {"mirror*"}), ElementsAre(1, 2));
  EXPECT_THAT(select_channels(r, {"3", "fork"}), ElementsAre(0, 2));
  EXPECT_THAT(select_channels(r, {"2"}), ElementsAre(3));  // A name goes before a number.
  try {
    select_channels(r, {"forc"});
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    EXPECT_THAT(error.what(), HasSubstr("did you mean \"fork\""));
  }
}

TEST(Names, AreMadeDistinct) {
  Recording r = recording_with({"CH1", "CH1", "", "CH1 (2)", "CH1"});
  make_names_distinct(r.channels);
  std::vector<std::string> names;
  for (const Channel& channel : r.channels) names.push_back(channel.name);
  EXPECT_THAT(names, ElementsAre("CH1", "CH1 (2)", "channel 3", "CH1 (2) (2)", "CH1 (3)"));
}

TEST(Calibration, StepsApplyFromLeftToRight) {
  const Calibration probe = make_calibration({"probe 10"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(probe.factor, 10);
  EXPECT_EQ(probe.unit.text(), "V");

  const Calibration sensor = make_calibration({"sensitivity 100 mV/g"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(sensor.factor, 10);
  EXPECT_EQ(sensor.unit.text(), "g");

  // Stored millivolts of a channel amplified by 20 dB: 1 mV stored is 0.1 mV of the sensor.
  const Calibration amplified =
      make_calibration({"gain 20 dB", "sensitivity 10 mV/(m/s2)"}, Unit::parse("mV"));
  EXPECT_DOUBLE_EQ(amplified.factor, 0.01);
  EXPECT_EQ(amplified.unit.text(), "m/s2");

  const Calibration shifted = make_calibration({"offset -2.5 V", "sensitivity 0.5 V/g"}, Unit());
  EXPECT_DOUBLE_EQ(shifted.factor * 3.0 + shifted.offset, 1.0);

  const Calibration line = make_calibration({"linear 2 -3 Pa"}, Unit::parse("V"));
  EXPECT_DOUBLE_EQ(line.factor * 5 + line.offset, 7);
  EXPECT_EQ(line.unit.text(), "Pa");
}

TEST(Calibration, MistakesAreNamed) {
  for (const char* text : {"CH1", ": probe 10", "CH1: prob 10", "CH1: probe", "CH1: probe 0",
                           "CH1: sensitivity 100 mV", "CH1: sensitivity 0 mV/g", "CH1: linear 1 2",
                           "CH1: gain x", "CH1: offset 1 furlongg", "CH1: probe 10,,"})
    EXPECT_THROW(parse_calibration_rule(text), Error) << text;
  EXPECT_NO_THROW(parse_calibration_rule("a: b: sensitivity 50 mV/Pa, gain 20 dB"));
  EXPECT_THROW(make_calibration({"sensitivity 100 mV/g"}, Unit::parse("A")), Error);
}

TEST(Stamps, RateIsFromNMinusOneIntervals) {
  StampJudge judge;
  std::vector<double> stamps;
  for (int n = 0; n < 3000; ++n) stamps.push_back(2.0 + n * 0.25e-3);
  judge.add(std::span(stamps).first(1000));
  judge.add(std::span(stamps).subspan(1000));
  const Axis axis = judge.axis(0);
  EXPECT_NEAR(axis.rate_hz(), 4000, 1e-6);
  EXPECT_DOUBLE_EQ(axis.start, 2.0);
  EXPECT_FALSE(axis.stamped);
  EXPECT_TRUE(judge.cautions(axis).empty());
}

TEST(Stamps, JitterIsTheRmsDistanceFromTheGrid) {
  // Every other stamp late by a tenth of an interval: RMS distance about the mean is 0.05.
  StampJudge judge;
  std::vector<double> stamps;
  for (int n = 0; n < 1001; ++n) stamps.push_back(n + (n % 2 == 1 ? 0.1 : 0.0));
  judge.add(stamps);
  const Axis axis = judge.axis(0);
  EXPECT_NEAR(axis.jitter, 0.05, 1e-3);
  EXPECT_TRUE(axis.stamped);
}

TEST(Stamps, RoundedStampsOfAnEvenGridAreEven) {
  // 3 microseconds printed to 10: three or four stamps repeat each time.
  StampJudge judge;
  std::vector<double> stamps;
  for (int n = 0; n < 5000; ++n) stamps.push_back(std::round(n * 0.3) * 1e-5);
  judge.add(stamps);
  const Axis axis = judge.axis(1e-5);
  EXPECT_FALSE(axis.stamped);
  EXPECT_NEAR(axis.interval, 3e-6, 3e-9);
  EXPECT_TRUE(judge.axis(0).stamped);  // Without knowing the rounding they would not be.
}

TEST(Stamps, GapsReversalsAndRepeatsAreCautions) {
  StampJudge judge;
  judge.add(std::vector<double>{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 12, 11.5, 13, 18, 19, 20, 21});
  const Axis axis = judge.axis(0);
  EXPECT_TRUE(axis.stamped);
  std::vector<std::string> codes;
  for (const Caution& caution : judge.cautions(axis)) codes.push_back(caution.code);
  EXPECT_THAT(codes, ElementsAre("axis-reversed", "axis-repeated", "axis-gap", "axis-uneven"));
  StampJudge still;
  still.add(std::vector<double>{5, 5, 5});
  EXPECT_THROW(still.axis(0), Error);
}

TEST(Stamps, LostSamplesAreCountedASolversStepsAreNot) {
  StampJudge recorder, solver;
  std::vector<double> stamps, steps;
  double t = 0;
  for (int n = 0; n < 5000; ++n) {
    if (n != 1200 && n != 1201 && n != 4000) stamps.push_back(0.01 * n);
    steps.push_back(t += n % 50 == 0 ? 1e-7 : std::min(1e-5, 1e-7 * std::pow(1.3, n % 50)));
  }
  recorder.add(std::span(stamps).subspan(0, 700));
  recorder.add(std::span(stamps).subspan(700));
  solver.add(steps);
  const auto codes = [](const StampJudge& judge) {
    std::string all;
    for (const Caution& c : judge.cautions(judge.axis(0))) all += c.code + ": " + c.text + "\n";
    return all;
  };
  EXPECT_THAT(codes(recorder),
              ::testing::HasSubstr("2 steps are over 1.5 times the usual 10 ms, the longest 3 times, before "
                                   "sample 1201: about 3 samples are missing"));
  EXPECT_THAT(codes(solver), ::testing::Not(::testing::HasSubstr("axis-gap")));
  EXPECT_THAT(codes(solver), ::testing::HasSubstr("axis-uneven"));
}

TEST(Stamps, CountingIsSeenInAnyUnit) {
  StampJudge from_zero, from_one, times;
  from_zero.add(std::vector<double>{0, 1e-3, 2e-3, 3e-3});
  from_one.add(std::vector<double>{1, 2, 3, 4});
  times.add(std::vector<double>{5, 6, 7, 8});
  EXPECT_TRUE(from_zero.counts(1e-3));
  EXPECT_FALSE(from_zero.counts(1));
  EXPECT_TRUE(from_one.counts(1));
  EXPECT_FALSE(times.counts(1));
}

TEST(Recordings, SecondsBetweenFarTimesDoNotOverflow) {
  EXPECT_DOUBLE_EQ(seconds_between(1793740445000000000, 1793740445250000000), 0.25);
  EXPECT_NEAR(seconds_between(-9200000000000000000, 9200000000000000000), 1.84e10, 1);
}

}  // namespace
}  // namespace vprism::recording_test
