// json_test.cpp: recordings in JSON documents, in each of the forms that programs write.
#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "formats/reading.h"

namespace vprism::json_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

WholeRecording read_text(const std::string& text, const ReadSettings& settings = {}) {
  const ScratchFolder folder;
  return read_file(folder.write("a.json", text), settings);
}

std::string complaint(const std::string& text) {
  try {
    read_text(text);
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::input);
    return error.what();
  }
  return "read";
}

TEST(Json, ArraysBesideEachOtherHaveTheirAxisAmongThem) {
  const WholeRecording r = read_text(
      R"json({"run": 7, "time (ms)": [0, 0.5, 1, 1.5], "a (V)": [1, 2, null, 4], "b": [5, 6, 7, "NaN"], "who": ["x"]})json");
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "V");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  EXPECT_TRUE(std::isnan(r.columns[0][2]));
  EXPECT_TRUE(std::isnan(r.columns[1][3]));
  EXPECT_EQ(r.columns[0][3], 4);
  EXPECT_EQ(r.recording.notes.front(), (std::pair<std::string, std::string>("run", "7")));
}

TEST(Json, AnObjectForEachChannelHasItsNameUnitAndRate) {
  const WholeRecording r = read_text(R"json({"device": {"sample_rate": "2 kHz", "channels": [
    {"label": "inlet", "units": "bar", "samples": [1, 2, 3]}, {"label": "outlet", "units": "bar", "samples": [4, 5, 6]},
    {"label": "slow", "units": "degC", "fs": 10, "samples": [20, 21]}]}})json");
  EXPECT_THAT(r.names(), ElementsAre("inlet", "outlet"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "bar");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-9);
  EXPECT_THAT(r.columns[1], ElementsAre(4, 5, 6));
  // Another rate is another part.
  ASSERT_EQ(r.recording.parts.size(), 2u);
  ReadSettings slow;
  slow.part = "2";
  const WholeRecording other = read_text(R"json({"channels": [
    {"label": "fast", "fs": 100, "y": [1, 2, 3]}, {"label": "slow", "fs": 10, "y": [20, 21]}]})json",
                                         slow);
  EXPECT_THAT(other.names(), ElementsAre("slow"));
  EXPECT_NEAR(other.recording.axis.rate_hz(), 10, 1e-9);
}

TEST(Json, RowsAreObjectsOrLists) {
  const WholeRecording rows = read_text(R"json([{"ts": "2024-03-25T10:00:00.5Z", "p": 1.5},
    {"ts": "2024-03-25T10:00:01.0Z", "p": 2.5, "late": 9}, {"ts": "2024-03-25T10:00:01.5Z", "p": 3.5, "late": 8}])json");
  EXPECT_THAT(rows.names(), ElementsAre("p", "late"));
  EXPECT_NEAR(rows.recording.axis.rate_hz(), 2, 1e-9);
  EXPECT_EQ(*rows.recording.zero_ns, 1711360800500000000);
  EXPECT_TRUE(std::isnan(rows.columns[1][0]));
  const std::string split =
      R"json({"columns": ["freq", "psd"], "units": ["kHz", "V^2/Hz"], "data": [[1, 5], [2, 6], [3, 7]]})json";
  const WholeRecording spectrum = read_text(split);
  EXPECT_THAT(spectrum.names(), ElementsAre("psd"));
  EXPECT_EQ(spectrum.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_NEAR(spectrum.recording.axis.interval, 1000, 1e-9);
  // Fewer lists than numbers in each: channels.
  const WholeRecording wide =
      read_text(R"json({"dt": 0.01, "names": ["u", "v"], "y": [[1, 2, 3, 4], [5, 6, 7, 8]]})json");
  EXPECT_THAT(wide.names(), ElementsAre("u", "v"));
  EXPECT_THAT(wide.columns[1], ElementsAre(5, 6, 7, 8));
  EXPECT_NEAR(wide.recording.axis.interval, 0.01, 1e-12);
}

TEST(Json, CountsSince1970AreTheClock) {
  const WholeRecording r =
      read_text(R"json({"t": [1711360800250, 1711360800350, 1711360800450], "x": [1, 2, 3]})json");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 10, 1e-6);
  EXPECT_EQ(*r.recording.zero_ns, 1711360800250000000);
}

TEST(Json, WhatIsNoRecordingIsRefusedInOneLine) {
  EXPECT_THAT(complaint(R"json({"a": [1, 2, )json"), HasSubstr("damaged JSON document"));
  EXPECT_THAT(complaint(R"json({"a": "text", "b": ["x", "y"]})json"), HasSubstr("no array of numbers"));
  EXPECT_THAT(complaint(R"json({"vprism": "1", "command": "spectrum", "x": [1, 2, 3]})json"),
              HasSubstr("result document"));
  std::string deep(200, '[');
  EXPECT_THAT(complaint(deep + "1" + std::string(200, ']')), HasSubstr("64 levels"));
  EXPECT_THAT(complaint("{\"a\": [1, 2, 1e999]}"), HasSubstr("damaged JSON document"));
}

TEST(Json, ListsWithoutNumbersAreNamed) {
  const WholeRecording r = read_text(R"json({"fs": 10, "x": [1, 2, 3], "marks": [{"at": "start"}, 5]})json");
  EXPECT_THAT(r.names(), ElementsAre("x"));
  EXPECT_TRUE(r.warns_of("sets-left-out"));
}

TEST(Json, NothingIsDroppedWithoutAWord) {
  // Texts that name nothing, an object within a channel, a member that comes late.
  const WholeRecording r = read_text(R"json({"fs": 10, "x": [1, 2, 3], "remarks": ["a", "b", "c"]})json");
  EXPECT_TRUE(r.warns_of("sets-left-out"));
  const WholeRecording inner = read_text(
      R"json({"channels": [{"name": "a", "fs": 10, "data": [1, 2, 3], "events": ["start", "stop"]}]})json");
  EXPECT_TRUE(inner.warns_of("sets-left-out"));
  EXPECT_THAT(inner.names(), ElementsAre("a"));
  std::string rows = "[";
  for (int n = 0; n < 5000; ++n)
    rows += (n > 0 ? "," : "") + std::string("{\"t\": ") + std::to_string(n) + ", \"x\": 1" +
            (n >= 2400 ? ", \"late\": 7}" : "}");
  const WholeRecording late = read_text(rows + "]");
  EXPECT_THAT(late.names(), ElementsAre("x", "late"));
  EXPECT_TRUE(std::isnan(late.columns[1][2399]));
  EXPECT_EQ(late.columns[1][2400], 7);
}

TEST(Json, AScaleThatIsNotAppliedIsSaid) {
  const WholeRecording r =
      read_text(R"json({"channels": [{"name": "a", "fs": 10, "scale": 0.001, "raw": [1, 2, 3]}]})json");
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3));
  EXPECT_TRUE(r.warns_of("scale-not-applied"));
}

TEST(Json, TheAxisIsWhatIsAskedFor) {
  const std::string text = R"json({"t": [0, 0.1, 0.2], "clock": [5, 5.5, 6], "p": [3, 1, 2]})json";
  EXPECT_THAT(read_text(text).names(), ElementsAre("clock", "p"));
  ReadSettings settings;
  settings.axis = "clock";
  const WholeRecording other = read_text(text, settings);
  EXPECT_THAT(other.names(), ElementsAre("t", "p"));
  EXPECT_NEAR(other.recording.axis.interval, 0.5, 1e-12);
  EXPECT_NEAR(other.recording.axis.start, 5, 1e-12);
  settings.axis = "none";
  EXPECT_THAT(read_text(text, settings).names(), ElementsAre("t", "clock", "p"));
  settings.axis = "when";
  EXPECT_THROW(read_text(text, settings), Error);
}

TEST(Json, SensorsThatSendByTurnsKeepTheirOwnTimes) {
  // The second begins 30 ms after the first, at the same rate: side by side they would be at the wrong times.
  std::string text = "[";
  for (int block = 0; block < 6; ++block) {
    const int at = 500 * (block / 2) + (block % 2 == 0 ? 0 : 30);
    text += std::string(block > 0 ? "," : "") + "{\"time\": \"2026-03-04T10:00:0" +
            std::to_string(at / 1000) + "." + std::to_string(1000 + at % 1000).substr(1) + "Z\", \"id\": \"" +
            (block % 2 == 0 ? "front" : "rear") + "\", \"v\": [";
    for (int n = 0; n < 10; ++n) text += (n > 0 ? "," : "") + std::to_string(100 * block + n);
    text += "]}";
  }
  ReadSettings rear;
  rear.part = "2";
  const WholeRecording first = read_text(text + "]"), second = read_text(text + "]", rear);
  EXPECT_THAT(first.names(), ElementsAre("front"));
  EXPECT_THAT(second.names(), ElementsAre("rear"));
  EXPECT_EQ(first.recording.parts.size(), 2u);
  EXPECT_NEAR(first.recording.axis.rate_hz(), 20, 1e-9);
  EXPECT_NEAR(second.recording.axis.start, 0.03, 1e-6);
  ASSERT_EQ(second.columns[0].size(), 30u);
  EXPECT_EQ(second.columns[0][10], 300);
}

TEST(Json, ManyLengthsAreManyParts) {
  std::string text = "{\"fs\": 10";
  for (int n = 2; n < 400; ++n) {
    text += ", \"x" + std::to_string(n) + "\": [0";
    for (int k = 1; k < n; ++k) text += ",1";
    text += "]";
  }
  const WholeRecording r = read_text(text + "}");
  EXPECT_EQ(r.recording.parts.size(), 398u);
  EXPECT_EQ(r.columns[0].size(), 399u);
}

TEST(Json, ManyMembersTakeNoLongerThanAsManyNumbers) {
  // Within the test's time limit: looking through all members for each would take minutes.
  std::string t, u;
  constexpr int rows = 200000;
  for (int n = 0; n < rows; ++n) {
    t += (n > 0 ? ",\"" : "\"") + std::to_string(n) + "\":" + std::to_string(n) + "e-3";
    u += (n > 0 ? ",\"" : "\"") + std::to_string(n) + "\":" + std::to_string(n % 50);
  }
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write("a.json", "{\"t\":{" + t + "},\"u\":{" + u + "}}"));
  ASSERT_EQ(r.columns.size(), 1u);
  EXPECT_EQ(r.columns[0].size(), static_cast<std::size_t>(rows));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-3);
  // Of members of one name the last counts, whether few or many.
  const WholeRecording twice =
      read_file(folder.write("b.json", "{\"fs\":1,\"u\":[1,2],\"fs\":100,\"u\":[5,6,7]}"));
  EXPECT_EQ(twice.columns[0].size(), 3u);
  EXPECT_NEAR(twice.recording.axis.rate_hz(), 100, 1e-9);
}

}  // namespace
}  // namespace vprism::json_test
