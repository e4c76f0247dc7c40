// What documents say together: shares, verdicts, resonances near a line, what two steps tell twice.
#include "runner/case_answer.h"

#include <gmock/gmock.h>

#include <cmath>

#include "commands/shared/document_tables.h"

namespace vprism::case_answer_test {
namespace {

using ::testing::HasSubstr;

Json finding(const char* channel, double hz, double level, const char* suspect, const char* kind = "tone") {
  return {{"kind", kind},
          {"recording", "a.wav"},
          {"channel", channel},
          {"frequency_hz", hz},
          {"frequency_std_hz", 0.01},
          {"level", level},
          {"level_unit", "V"},
          {"suspect", suspect},
          {"text", "a tone"},
          {"evidence", {"it is there"}}};
}

Json verdict(const char* name, const char* what, const char* recording = "a.wav") {
  return {{"recording", recording}, {"name", name}, {"verdict", what}};
}

/// Two channels: "x" of RMS 1 about a mean of 3, "y" of RMS 2.
Json identified() {
  Json d;
  d["command"] = "identify";
  d["findings"] = {finding("x", 50, 0.6, "pump"), finding("x", 100, 0.3, "pump"),
                   finding("x", 77, 0.5, "fan"), finding("x", 200, 0.1, ""), finding("y", 50, 1.9, "pump")};
  d["results"] = {{{"channel", "x"}, {"file", "a.wav"}, {"rms_total", std::sqrt(10.0)}, {"mean", 3.0}},
                  {{"channel", "y"}, {"file", "a.wav"}, {"rms_total", 2.0}, {"mean", 0.0}}};
  d["suspects"] = {verdict("pump", "seen"), verdict("fan", "seen"), verdict("clock", "cleared"),
                   verdict("mains", "out of reach")};
  return d;
}

TEST(CaseAnswer, SharesAreOfThePowerThatMoves) {
  const CaseAnswer a = answer_case({identified()}, {"x"});
  ASSERT_EQ(a.culprits.size(), 2u);
  EXPECT_EQ(a.culprits[0].suspect, "pump");
  EXPECT_NEAR(a.culprits[0].level_rms, std::hypot(0.6, 0.3), 1e-12);
  EXPECT_NEAR(a.culprits[0].share, 0.45, 1e-12);  // Of 10 - 9.
  EXPECT_EQ(a.culprits[0].lines_hz, (std::vector<double>{50, 100}));
  EXPECT_NEAR(a.culprits[1].share, 0.25, 1e-12);
  ASSERT_EQ(a.unexplained.size(), 1u);
  EXPECT_EQ(a.unexplained[0].frequency_hz, 200);
  EXPECT_THAT(a.sentences.front(), HasSubstr("pump is the strongest source in x (a): 671 mV RMS at 50 Hz, "
                                             "100 Hz, 45% of its power; then fan 25%; 30% is noise"));
  // Channels of concern first, then by share.
  EXPECT_EQ(a.findings.front().channel, "x");
  EXPECT_EQ(a.findings.back().channel, "y");
  EXPECT_NEAR(a.shares.front(), 0.36, 1e-12);
}

TEST(CaseAnswer, WithoutConcernEveryChannelIsTold) {
  const CaseAnswer a = answer_case({identified()}, {});
  ASSERT_EQ(a.culprits.size(), 3u);
  // The greatest share anywhere leads: the pump in y, 90%.
  EXPECT_EQ(a.culprits[0].channel, "y");
  EXPECT_NEAR(a.culprits[0].share, 1.9 * 1.9 / 4, 1e-12);
}

TEST(CaseAnswer, TheLineUpHasAColumnForEachRecording) {
  Json other;
  other["command"] = "identify";
  other["findings"] = Json::array(), other["results"] = Json::array();
  other["suspects"] = {verdict("clock", "cleared", "b.wav"), verdict("mains", "seen", "b.wav")};
  const CaseAnswer a = answer_case({identified(), Json(nullptr), other}, {"x"});
  EXPECT_EQ(a.recordings, (std::vector<std::string>{"a", "b"}));
  for (const LineUpRow& row : a.line_up) {
    if (row.suspect == "mains") {
      EXPECT_EQ(row.verdicts, (std::vector<std::string>{"out of reach", "seen"}));
    }
    if (row.suspect == "pump") {
      EXPECT_EQ(row.verdicts.front(), "seen");
    }
  }
  bool cleared = false;
  for (const std::string& s : a.sentences) cleared = cleared || s == "Cleared: clock.";
  EXPECT_TRUE(cleared);
}

TEST(CaseAnswer, ALimitThatIsBrokenNamesWhoseLineItIs) {
  Json limits;
  limits["command"] = "limits";
  limits["findings"] = Json::array();
  limits["results"] = {{{"channel", "x"},
                        {"file", "a.wav"},
                        {"limit", "bound"},
                        {"verdict", "fail"},
                        {"worst", {{"frequency_hz", 77.1}, {"margin_db", -6.0}}}},
                       {{"channel", "y"},
                        {"file", "a.wav"},
                        {"limit", "bound"},
                        {"verdict", "pass"},
                        {"worst", {{"frequency_hz", 300.0}, {"margin_db", 3.0}}}}};
  const CaseAnswer a = answer_case({limits, identified()}, {"x"});
  EXPECT_EQ(a.verdict, "fail");
  ASSERT_EQ(a.limits.size(), 2u);
  EXPECT_EQ(a.limits[0].suspect, "fan");
  EXPECT_EQ(a.limits[1].suspect, "");
  EXPECT_EQ(a.json()["limits"][0]["suspect"].get<std::string>(), "fan");
  limits["results"].erase(0);
  EXPECT_EQ(answer_case({limits}, {}).verdict, "pass");
  EXPECT_EQ(answer_case({identified()}, {}).verdict, "");
}

TEST(CaseAnswer, ALineNearAResonanceOfAnotherRecordingIsTold) {
  Json modes;
  modes["command"] = "response";
  modes["findings"] = Json::array();
  modes["inputs"] = {{{"file", "tap.uff"}}};
  // Half-widths: 1 Hz at 100 Hz, 0.5 Hz at 50 Hz.
  modes["results"] = {{{"channel", "r"},
                       {"resonances",
                        {{{"frequency_hz", 101.0}, {"damping_ratio", 0.01}},
                         {{"frequency_hz", 52.0}, {"damping_ratio", 0.01}}}}}};
  const CaseAnswer a = answer_case({identified(), modes}, {"x"});
  ASSERT_EQ(a.near.size(), 1u);
  EXPECT_EQ(a.near[0].suspect, "pump");
  EXPECT_EQ(a.near[0].where, "tap");
  EXPECT_NEAR(a.near[0].half_widths, 1 / 1.01, 1e-9);
}

TEST(CaseAnswer, WhatTwoStepsTellCountsOnceAndKeepsItsSuspect) {
  Json survey = identified();
  survey["command"] = "survey";
  for (Json& f : survey["findings"]) f["suspect"] = "";
  survey.erase("suspects");
  const CaseAnswer a = answer_case({survey, identified()}, {"x"});
  EXPECT_EQ(a.findings.size(), 5u);
  EXPECT_NEAR(a.culprits[0].share, 0.45, 1e-12);
}

TEST(CaseAnswer, OddDocumentsAreNoHarm) {
  const Json odd = {{"command", "x"},
                    {"findings", {{{"kind", 3}}}},
                    {"results", {{{"channel", nullptr}, {"resonances", "none"}, {"peaks", {1, 2}}}}},
                    {"suspects", {1}}};
  EXPECT_NO_THROW(answer_case({Json(nullptr), Json::array(), odd}, {"*"}));
}

TEST(DocumentTables, ListsBecomeTablesWithUnitsAndUncertainties) {
  Json d;
  d["results"] = {{{"channel", "x"},
                   {"unit", "V"},
                   {"rate_hz", 1000.0},
                   {"window", "hann"},
                   {"rms_total", 1.25},
                   {"peaks",
                    {{{"frequency_hz", 50.01},
                      {"frequency_std_hz", 0.02},
                      {"level", 0.5},
                      {"over_noise_db", 40.123},
                      {"broad", false}}}}},
                  {{"channel", "y"},
                   {"unit", "A"},
                   {"rate_hz", 1000.0},
                   {"window", "hann"},
                   {"rms_total", 2.5},
                   {"peaks", Json::array()}}};
  const auto tables = document_tables(d);
  ASSERT_EQ(tables.size(), 2u);
  EXPECT_EQ(tables[0].table.columns()[0].title, "channel");
  EXPECT_EQ(tables[0].table.columns()[1].title, "rms total");
  EXPECT_EQ(tables[0].table.rows()[1], (std::vector<std::string>{"y", "2.5"}));
  const ReportTable& peaks = tables[1];
  EXPECT_EQ(peaks.title, "Peaks: x");
  std::vector<std::string> titles;
  for (const auto& c : peaks.table.columns()) titles.push_back(c.title);
  EXPECT_EQ(titles, (std::vector<std::string>{"frequency (Hz)", "level (V)", "over noise (dB)", "broad"}));
  EXPECT_EQ(peaks.table.rows()[0], (std::vector<std::string>{"50.010 \u00b1 0.020", "0.5", "40.12", "no"}));
  // The frequency jumps to its place on the channel's curve.
  EXPECT_EQ(peaks.places, (std::vector<double>{50.01}));
  EXPECT_EQ(peaks.place_unit, "Hz");
  EXPECT_EQ(peaks.panel, "x");
  EXPECT_EQ(document_setting(d), "rate 1 kHz, window hann");
}

TEST(DocumentTables, LongListsAreCutAndSaySo) {
  Json d, list = Json::array();
  for (int i = 0; i < 40; ++i) list.push_back({{"time_s", i}, {"step_hz", 2 * i}});
  d["results"] = {{{"channel", "x"}, {"jumps", list}}};
  const auto tables = document_tables(d);
  ASSERT_EQ(tables.size(), 1u);
  EXPECT_EQ(tables[0].table.rows().size(), 12u);
  EXPECT_THAT(tables[0].note, HasSubstr("The first 12 of 40"));
  EXPECT_EQ(tables[0].place_unit, "s");
}

TEST(DocumentTables, PathsFindWhatIsThere) {
  const Json d = {{"verdict", "pass"},
                  {"results", {{{"rms_total", 2.0}, {"peaks", {{{"level", 3.0}}, {{"level", 4.0}}}}}}}};
  EXPECT_EQ(document_value(d, "rms_total").get<double>(), 2);
  EXPECT_EQ(document_value(d, "peaks.1.level").get<double>(), 4);
  EXPECT_EQ(document_value(d, "results.0.peaks.0.level").get<double>(), 3);
  EXPECT_EQ(document_value(d, "verdict").get<std::string>(), "pass");
  for (const char* nothing :
       {"", "peaks.7.level", "peaks.x", "peaks.level", "rms_total.x", "99999999999999999999"})
    EXPECT_TRUE(document_value(d, nothing).is_null()) << nothing;
  EXPECT_TRUE(document_value(Json(nullptr), "a").is_null());
}

TEST(DocumentTables, OddDocumentsGiveNone) {
  EXPECT_TRUE(document_tables(Json(nullptr)).empty());
  EXPECT_TRUE(document_tables({{"results", {1, 2}}}).empty());
  EXPECT_EQ(document_setting({{"results", Json::array()}}), "");
}

}  // namespace
}  // namespace vprism::case_answer_test
