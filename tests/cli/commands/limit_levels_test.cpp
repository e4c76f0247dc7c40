// What a limit's numbers mean for a channel, and which levels are held against it.
#include "commands/limits/limit_levels.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"

namespace vprism::limit_levels_test {
namespace {

AskedLimit in_unit(const char* unit) {
  AskedLimit limit;
  limit.unit = Unit::parse(unit);
  limit.line.points = {{1, 2}, {100, 4}};
  return limit;
}

TEST(LimitMeaning, FollowsFromTheUnit) {
  const Unit acceleration = Unit::parse("m/s^2");
  const AnalysisSettings analysis;
  auto meaning = limit_meaning(in_unit("mm/s^2"), acceleration, analysis, "f");
  EXPECT_EQ(meaning.first, Scale::rms);
  EXPECT_NEAR(meaning.second, 1e-3, 1e-15);
  meaning = limit_meaning(in_unit("(m/s^2)^2/Hz"), acceleration, analysis, "f");
  EXPECT_EQ(meaning.first, Scale::psd);
  EXPECT_NEAR(meaning.second, 1, 1e-12);
  meaning = limit_meaning(in_unit("(mm/s^2)^2"), acceleration, analysis, "f");
  EXPECT_EQ(meaning.first, Scale::power);
  EXPECT_NEAR(meaning.second, 1e-6, 1e-18);
  // Without a unit: the channel's own, in the scale asked for.
  AnalysisSettings peak;
  peak.scale = Scale::peak;
  meaning = limit_meaning(in_unit("1"), acceleration, peak, "f");
  EXPECT_EQ(meaning.first, Scale::peak);
  EXPECT_EQ(meaning.second, 1);
  EXPECT_THROW(limit_meaning(in_unit("V"), acceleration, analysis, "f"), Error);
}

TEST(LimitMeaning, RootsOfDensitiesAreThoseOfDataSheets) {
  const AnalysisSettings analysis;
  for (const char* unit : {"nV/\u221aHz", "nV/sqrt(Hz)", "nV/rtHz", "nV/Hz^0.5"}) {
    AskedLimit limit;
    limit.unit = Unit::try_parse(unit).value_or(Unit::opaque(unit));
    const auto meaning = limit_meaning(limit, Unit::parse("V"), analysis, "f");
    EXPECT_EQ(meaning.first, Scale::asd) << unit;
    EXPECT_NEAR(meaning.second, 1e-9, 1e-24) << unit;
    EXPECT_THROW(limit_meaning(limit, Unit::parse("A"), analysis, "f"), Error);
  }
}

TEST(LimitMeaning, DecibelsAreOfAmplitudeOrPower) {
  AnalysisSettings analysis;
  analysis.decibel_reference = 1e-6;
  AskedLimit limit = in_unit("1");
  limit.decibels = true;
  limit.line.points = {{1, 60}, {100, -20}};
  AskedLimit power = limit;
  limit_from_decibels(limit, Scale::rms, analysis);
  EXPECT_NEAR(limit.line.points[0].second, 1e-3, 1e-15);
  EXPECT_NEAR(limit.line.points[1].second, 1e-7, 1e-19);
  limit_from_decibels(power, Scale::psd, analysis);
  EXPECT_NEAR(power.line.points[0].second, 1, 1e-12);
  AskedLimit plain = in_unit("V");
  limit_from_decibels(plain, Scale::rms, analysis);
  EXPECT_EQ(plain.line.points[0].second, 2);
}

TEST(LimitLevels, AFittedLineCountsWhereItIsHigherThanItsBin) {
  Spectrum s;
  s.plan.bin_hz = 1, s.plan.segment = 20, s.plan.rate_hz = 20, s.plan.rbw_hz = 1.5;
  s.transform = 20;
  s.power.assign(11, 1e-4);
  s.power[5] = 0.25;
  Peak line;
  line.bin = 5, line.frequency_hz = 5.3, line.rms = 0.6;
  Peak hump = line;
  hump.bin = 8, hump.frequency_hz = 8.2, hump.rms = 5,
  hump.concentration = 0.1;  // Noise that rises: no line.
  Peak low = line;
  low.bin = 2, low.frequency_hz = 2, low.rms = 1e-3;
  const LimitLevels l = limit_levels(s, {line, hump, low}, 1, 11, Scale::rms);
  ASSERT_EQ(l.hz.size(), 10u);
  EXPECT_EQ(l.hz[4], 5.3);
  EXPECT_EQ(l.level[4], 0.6);
  EXPECT_EQ(l.hz[7], 8);
  EXPECT_NEAR(l.level[7], 0.01, 1e-12);
  EXPECT_NEAR(l.level[1], 0.01, 1e-12);
  // A span that leaves the line out.
  for (const double v : limit_levels(s, {line}, 6, 11, Scale::rms).level) EXPECT_LT(v, 0.02);
}

TEST(LimitLevels, BurstsOfShorterSegmentsCountAndSteadyNoiseDoesNot) {
  Spectrum highest;
  highest.plan.bin_hz = 10, highest.plan.segment = 10, highest.plan.rate_hz = 100, highest.plan.rbw_hz = 15;
  highest.plan.averages = 50, highest.transform = 10;
  highest.power = {0, 10, 10, 400, 10, 10};
  Spectrum usual = highest;
  usual.power = {0, 1, 1, 1, 1, 1};
  LimitLevels l;
  for (int k = 0; k < 50; ++k) l.hz.push_back(k), l.level.push_back(2);
  lift_by_bursts(highest, usual, Scale::rms, l);
  for (std::size_t k = 0; k < 50; ++k) EXPECT_NEAR(l.level[k], k >= 25 && k < 35 ? 20 : 2, 1e-12) << k;
}

}  // namespace
}  // namespace vprism::limit_levels_test
