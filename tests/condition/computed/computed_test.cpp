// computed_test.cpp: computed channels: values, units that follow, and what is refused.
#include "condition/computed/computed.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "condition/computed/expression.h"
#include "condition/road_over.h"

namespace vprism::computed_test {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

ChainRun computed(const std::vector<std::pair<Channel, std::vector<double>>>& channels,
                  const std::vector<std::string>& rules, const std::vector<std::string>& chosen = {}) {
  Recording recording;
  recording.file = "made.csv";
  recording.axis.interval = 1e-3;
  std::vector<std::vector<double>> data;
  for (const auto& [channel, values] : channels)
    recording.channels.push_back(channel), data.push_back(values);
  Chain chain;
  std::vector<ComputeRule> parsed;
  for (const std::string& rule : rules) parsed.push_back(parse_compute_rule(rule));
  chain.push_back(make_compute_stage(std::move(parsed), chosen));
  return made_by(std::move(recording), std::move(data), std::move(chain));
}

Channel channel(const std::string& name, const std::string& unit) { return {name, Unit::parse(unit), ""}; }

std::string refused(const std::vector<std::string>& rules) {
  try {
    computed({{channel("u", "V"), {1, 2, 3}},
              {channel("phase U", "mV"), {1, 2, 3}},
              {channel("i", "A"), {1, 2, 3}}},
             rules);
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    return error.what();
  }
  return "taken";
}

TEST(Computed, UnitsFollowAndValuesAreTheirs) {
  const ChainRun made =
      computed({{channel("phase U", "mV"), {1000, 2000, -500}}, {channel("i", "A"), {2, 3, 4}}},
               {"power = \"phase U\" * i", "energy (mJ) = power * 10 ms", "r = 'phase U' / i",
                "both = 'phase U' + 0.5 V", "ratio = max('phase U', 0 V) / 2 V"});
  std::vector<std::string> names, units;
  for (const Channel& c : made.recording.channels) names.push_back(c.name), units.push_back(c.unit.text());
  EXPECT_THAT(names, ElementsAre("phase U", "i", "power", "energy", "r", "both", "ratio"));
  EXPECT_THAT(units, ElementsAre("mV", "A", "W", "mJ", "ohm", "mV", "1"));
  EXPECT_THAT(made.columns[2], ElementsAre(2, 6, -2));
  EXPECT_NEAR(made.columns[3][1], 60, 1e-9);
  EXPECT_NEAR(made.columns[4][2], -0.125, 1e-12);
  EXPECT_NEAR(made.columns[5][0], 1500, 1e-9);
  EXPECT_NEAR(made.columns[6][0], 0.5, 1e-12);
  EXPECT_EQ(made.columns[6][2], 0);
}

TEST(Computed, FunctionsComparisonsAndTemperatures) {
  const ChainRun made = computed(
      {{channel("x", "m/s^2"), {3, 0, -3}},
       {channel("y", "g"), {4 / 9.80665, 0, 0}},
       {channel("t", "degC"), {20, 0, -273.15}},
       {channel("angle", "deg"), {30, 90, 0}}},
      {"size = sqrt(x^2 + y^2)", "over = x > 2 m/s^2", "kelvin (K) = t", "lift = 2 * sin(angle)",
       "held = clamp(x, -1 m/s^2, 1 m/s^2)", "way = atan2(y, x)", "level = log10(abs(x) / 1 m/s^2 + 1e-3)"});
  const auto column = [&](const std::string& name) {
    for (std::size_t c = 0; c < made.recording.channels.size(); ++c)
      if (made.recording.channels[c].name == name) return made.columns[c];
    return std::vector<double>{};
  };
  EXPECT_NEAR(column("size")[0], 5, 1e-9);
  EXPECT_THAT(column("over"), ElementsAre(1, 0, 0));
  EXPECT_NEAR(column("kelvin")[0], 293.15, 1e-9);
  EXPECT_NEAR(column("kelvin")[2], 0, 1e-9);
  EXPECT_NEAR(column("lift")[0], 1, 1e-12);
  EXPECT_THAT(column("held"), ElementsAre(1, 0, -1));
  EXPECT_NEAR(column("way")[0], std::atan2(4, 3), 1e-12);
  EXPECT_NEAR(column("level")[1], -3, 1e-12);
}

TEST(Computed, ChannelsMayNeedEachOtherInAnyOrderAndBeChosen) {
  const ChainRun made = computed({{channel("u", "V"), {1, 2}}, {channel("i", "A"), {5, 6}}},
                                 {"b = 2 * a", "a = u * i"}, {"b", "u"});
  ASSERT_EQ(made.columns.size(), 2u);
  const std::size_t b = made.recording.channels[0].name == "b" ? 0 : 1;
  EXPECT_THAT(made.columns[b], ElementsAre(10, 24));
}

TEST(Computed, WhatIsMissingStaysMissing) {
  const ChainRun made = computed({{channel("u", "V"), {1, std::nan(""), -4, 0}}},
                                 {"root = sqrt(u / 1 V)", "over = u > 0 V", "inverse = 1 V^2 / u"});
  EXPECT_TRUE(std::isnan(made.columns[1][1]));
  EXPECT_TRUE(std::isnan(made.columns[1][2]));
  EXPECT_TRUE(std::isnan(made.columns[2][1]));
  EXPECT_EQ(made.columns[2][0], 1);
  EXPECT_TRUE(std::isnan(made.columns[3][3]));
}

TEST(Computed, WhatDoesNotFitIsRefused) {
  EXPECT_THAT(refused({"x = u + i"}), HasSubstr("unlike things"));
  EXPECT_THAT(refused({"x = u + 1"}), HasSubstr("needs its unit"));
  EXPECT_THAT(refused({"x = sin(u)"}), HasSubstr("unlike things"));
  EXPECT_THAT(refused({"x = max(u, i)"}), HasSubstr("unlike things"));
  EXPECT_THAT(refused({"x = u > i"}), HasSubstr("unlike things"));
  // Limits far from the values that are tried.
  EXPECT_THAT(refused({"x = min(u, 20000)"}), HasSubstr("unlike things"));
  EXPECT_THAT(refused({"x = u > 0.0002"}), HasSubstr("unlike things"));
  EXPECT_THAT(refused({"x (V) = u * i"}), HasSubstr("in W, which is no V"));
  EXPECT_THAT(refused({"x = u * currant"}), HasSubstr("unknown channel \"currant\""));
  EXPECT_THAT(refused({"x = u *"}), HasSubstr("x: "));
  EXPECT_THAT(refused({"x = (u"}), HasSubstr("x: "));
  EXPECT_THAT(refused({"a = b * 2", "b = a / 2"}), HasSubstr("needs itself"));
  EXPECT_THAT(refused({"u = 2 * i"}), HasSubstr("already"));
  EXPECT_THAT(refused({"x = 2"}), HasSubstr("no channel in it"));
  EXPECT_THAT(refused({"x = sqrt(u)"}), HasSubstr("root of a unit"));
  for (const char* text : {"power", "= u", "x =", "(W) = u", "x (foo) = u"})
    EXPECT_THROW(parse_compute_rule(text), Error) << text;
  EXPECT_EQ(refused({"x (dBV) = u"}).find("taken"), std::string::npos);
}

TEST(UnitPowersOfSi, AreReadFromTheUnit) {
  const auto volt = Unit::parse("mV").powers();
  ASSERT_TRUE(volt.has_value());
  EXPECT_THAT(volt->powers, ElementsAre(2, 1, -3, -1, 0, 0, 0));
  EXPECT_NEAR(volt->factor, 1e-3, 1e-18);
  const auto celsius = Unit::parse("degC").powers();
  EXPECT_NEAR(celsius->offset, 273.15, 1e-9);
  EXPECT_THAT(Unit::parse("g").powers()->powers, ElementsAre(1, 0, -2, 0, 0, 0, 0));
  EXPECT_NEAR(Unit::parse("rpm").powers()->factor, 2 * M_PI / 60, 1e-12);
  EXPECT_FALSE(Unit::opaque("Counts").powers().has_value());
}

}  // namespace
}  // namespace vprism::computed_test
