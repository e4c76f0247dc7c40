// blocks_and_steps_test.cpp: recordings that come in blocks, in steps from row to row, in runs and in codes.
#include <gmock/gmock.h>

#include <cmath>
#include <cstdio>
#include <tuple>

#include "formats/reading.h"

namespace vprism::blocks_and_steps_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::string block(int count, int first, const std::string& rest) {
  std::string out = "{" + rest + ", \"a\": [";
  for (int n = 0; n < count; ++n) out += (n > 0 ? "," : "") + std::to_string(first + n);
  return out + "]}";
}

std::string text_of(const Recording& recording, const std::string& code) {
  for (const Caution& caution : recording.cautions)
    if (caution.code == code) return caution.text;
  return "";
}

TEST(JsonBlocks, FollowEachOtherInWhateverLength) {
  const ScratchFolder folder;
  // 10 samples, then 14, then 9, at 50 Hz.
  const WholeRecording r = read_file(
      folder.write("a.json", "[" + block(10, 0, "\"time\": 3.0") + ",\n" + block(14, 10, "\"time\": 3.2") +
                                 ",\n" + block(9, 24, "\"time\": 3.48") + "]"),
      {});
  ASSERT_THAT(r.names(), ElementsAre("a"));
  ASSERT_EQ(r.columns[0].size(), 33u);
  for (int n = 0; n < 33; ++n) EXPECT_EQ(r.columns[0][static_cast<std::size_t>(n)], n);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 50, 1e-9);
  EXPECT_THAT(text_of(r.recording, "blocks-joined"), HasSubstr("3 blocks"));
  EXPECT_FALSE(r.warns_of("blocks-apart"));
}

TEST(JsonBlocks, WithGapsBetweenThemCarryACaution) {
  const ScratchFolder folder;
  const WholeRecording r =
      read_file(folder.write("a.jsonl", block(10, 0, "\"ts\": 0, \"fs\": 100") + "\n" +
                                            block(10, 10, "\"ts\": 0.1, \"fs\": 100") + "\n" +
                                            block(10, 20, "\"ts\": 0.35, \"fs\": 100") + "\n"),
                {});
  EXPECT_EQ(r.columns[0].size(), 30u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-9);
  EXPECT_THAT(text_of(r.recording, "blocks-apart"), HasSubstr("1 of 2"));
}

TEST(JsonBlocks, AreNoneWhereObjectsAreChannelsOrRowsOfVectors) {
  const ScratchFolder folder;
  const WholeRecording channels =
      read_file(folder.write("a.json", "{\"fs\": 10, \"channels\": [" + block(9, 0, "\"name\": \"x\"") + "," +
                                           block(9, 9, "\"name\": \"y\"") + "]}"),
                {});
  EXPECT_THAT(channels.names(), ElementsAre("x", "y"));
  std::string rows;
  for (int n = 0; n < 40; ++n)
    rows += "{\"t\": " + std::to_string(n) + ", \"acc\": [" + std::to_string(n) + ", 2, 3]}\n";
  const WholeRecording vectors = read_file(folder.write("b.jsonl", rows), {});
  EXPECT_EQ(vectors.recording.channels.size(), 3u);
  EXPECT_EQ(vectors.columns[0].size(), 40u);
}

TEST(JsonBlocks, NumberedChannelsAndSingleCapturesAreNone) {
  const ScratchFolder folder;
  const WholeRecording numbered =
      read_file(folder.write("a.json", "{\"fs\": 10, \"channels\": [" + block(9, 0, "\"id\": 1") + "," +
                                           block(9, 9, "\"id\": 2") + "]}"),
                {});
  EXPECT_EQ(numbered.recording.channels.size(), 2u);
  // 10 samples at 100 Hz, each second.
  const WholeRecording captures =
      read_file(folder.write("b.json", "[" + block(10, 0, "\"fs\": 100, \"t\": 0") + "," +
                                           block(10, 10, "\"fs\": 100, \"t\": 1") + "," +
                                           block(10, 20, "\"fs\": 100, \"t\": 2") + "]"),
                {});
  EXPECT_FALSE(captures.warns_of("blocks-joined"));
  EXPECT_EQ(captures.columns[0].size(), 10u);
  EXPECT_NEAR(captures.recording.axis.rate_hz(), 100, 1e-9);
}

TEST(JsonBlocks, KnowTheRateBesideThemAndSayWhatTheyLeaveOut) {
  const ScratchFolder folder;
  // 10 samples at 1 kHz each second are captures, whatever their times alone would make of them.
  const WholeRecording captures = read_file(
      folder.write("a.json", "{\"sample_rate\": 1000, \"frames\": [" + block(10, 3, "\"t\": 0") + "," +
                                 block(10, 1, "\"t\": 1") + "," + block(10, 4, "\"t\": 2") + "]}"),
      {});
  EXPECT_FALSE(captures.warns_of("blocks-joined"));
  EXPECT_NEAR(captures.recording.axis.rate_hz(), 1000, 1e-6);
  const WholeRecording warm = read_file(
      folder.write("b.jsonl", block(10, 0, "\"t\": 5, \"fs\": \"2 kHz\", \"temp\": 20.1") + "\n" +
                                  block(10, 10, "\"t\": 5.005, \"fs\": \"2 kHz\", \"temp\": 20.0") + "\n"),
      {});
  EXPECT_EQ(warm.columns[0].size(), 20u);
  EXPECT_NEAR(warm.recording.axis.rate_hz(), 2000, 1e-6);
  EXPECT_NEAR(warm.recording.axis.start, 5, 1e-12);
  EXPECT_THAT(text_of(warm.recording, "member-left-out"), HasSubstr("\"temp\""));
}

TEST(JsonBlocks, WithAnAxisOfTheirOwnAreNone) {
  const ScratchFolder folder;
  const std::string f = "\"f_hz\": [0, 1, 2, 3, 4, 5, 6, 7, 8]";
  const WholeRecording r = read_file(
      folder.write("a.json", "[" + block(9, 3, "\"t\": 0, " + f) + "," + block(9, 1, "\"t\": 1, " + f) + "]"),
      {});
  EXPECT_FALSE(r.warns_of("blocks-joined"));
  EXPECT_EQ(r.columns[0].size(), 9u);
}

TEST(JsonBlocks, StandUnderAKeyBesideTheirRateToo) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(
      folder.write("a.json", "{\"sample_rate\": 2000, \"frames\": [" + block(20, 0, "\"time_ms\": 0") + "," +
                                 block(20, 20, "\"time_ms\": 10") + "," + block(20, 40, "\"time_ms\": 20") +
                                 "]}"),
      {});
  ASSERT_THAT(r.names(), ElementsAre("a"));
  EXPECT_EQ(r.columns[0].size(), 60u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2000, 1e-6);
}

TEST(JsonBlocks, DamagedLinesAreAnError) {
  const ScratchFolder folder;
  const std::string good = block(10, 0, "\"seq\": 0") + "\n" + block(10, 10, "\"seq\": 1") + "\n";
  EXPECT_EQ(read_file(folder.write("a.jsonl", good), {}).columns[0].size(), 20u);
  EXPECT_THROW(read_file(folder.write("b.jsonl", good + block(10, 0, "\"seq\": 2").substr(0, 30)), {}),
               Error);
}

/// 300,000 rows are parsed in several pieces at once: each goes on where the one before ended.
TEST(StepColumns, AreAddedUpAcrossThePiecesOfALongFile) {
  const ScratchFolder folder;
  std::string csv = "dt (us),u (V)\n";
  constexpr int rows = 300000;
  for (int n = 0; n < rows; ++n) csv += (n % 2 == 0 ? "990," : "1010,") + std::to_string(n % 7) + "\n";
  const WholeRecording r = read_file(folder.write("a.csv", csv), {});
  ASSERT_EQ(r.stamps.size(), static_cast<std::size_t>(rows));
  EXPECT_EQ(r.stamps[0], 0);
  for (std::size_t n = 1; n < r.stamps.size(); n += 4999) {
    const double expected = static_cast<double>((n + 1) / 2) * 1010e-6 + static_cast<double>(n / 2) * 990e-6;
    ASSERT_NEAR(r.stamps[n], expected, 1e-9 * static_cast<double>(n)) << n;
  }
  EXPECT_THAT(text_of(r.recording, "steps-added-up"), HasSubstr("dt"));
}

TEST(StepColumns, AreChannelsBesideATimeOrWhereTheyFallBelowNought) {
  const ScratchFolder folder;
  std::string beside = "t (s),interval (ms),u\n", below = "delta t (ms),u\n";
  for (int n = 0; n < 40; ++n) {
    beside += std::to_string(n) + ",10," + std::to_string(n % 5) + "\n";
    below += std::to_string(n % 3 - 1) + "," + std::to_string(n % 5) + "\n";
  }
  EXPECT_THAT(read_file(folder.write("a.csv", beside), {}).names(), ElementsAre("interval", "u"));
  EXPECT_THAT(read_file(folder.write("b.csv", below), {}).names(), ElementsAre("delta t", "u"));
}

TEST(StepColumns, RatesThatMayChangeFurtherDownStayChannels) {
  const ScratchFolder folder;
  std::string csv = "fs,u (V)\n", beats = "rate,u (V)\n";
  for (int n = 0; n < 120000; ++n) csv += (n < 100000 ? "1000," : "500,") + std::to_string(n % 7) + "\n";
  for (int n = 0; n < 40; ++n) beats += "60," + std::to_string(n % 7) + "\n";
  EXPECT_THAT(read_file(folder.write("a.csv", csv), {}).names(), ElementsAre("fs", "u"));
  const WholeRecording beating = read_file(folder.write("b.csv", beats), {});
  EXPECT_THAT(beating.names(), ElementsAre("rate", "u"));
  EXPECT_FALSE(beating.warns_of("rate-in-rows"));
}

TEST(TimesInDigits, AreNoneWhereNumbersAreEvenAsTheyStand) {
  const ScratchFolder folder;
  std::string csv = "time,u (V)\n";
  for (int n = 0; n < 40; ++n) csv += std::to_string(100 * n) + "," + std::to_string(n % 7) + "\n";
  const WholeRecording r = read_file(folder.write("a.csv", csv), {});
  EXPECT_NEAR(r.recording.axis.rate_hz(), 0.01, 1e-9);
}

TEST(CapitalTitles, KeepUnitsThatAreWrittenSo) {
  const ScratchFolder folder;
  std::string csv = "TIME (S),FIELD (G),P (PA),ACC Z (G)\n";
  for (int n = 0; n < 20; ++n) csv += std::to_string(n) + ",1,2," + std::to_string(n % 7) + "\n";
  const WholeRecording r = read_file(folder.write("a.csv", csv), {});
  ASSERT_EQ(r.recording.channels.size(), 3u);
  EXPECT_FALSE(r.recording.channels[0].unit.known());  // Gauss, or something else.
  EXPECT_EQ(r.recording.channels[1].unit.text(), "Pa");
  EXPECT_EQ(r.recording.channels[2].unit.text(), "g");
}

TEST(HexColumns, HoldDigitsAloneToo) {
  const ScratchFolder folder;
  std::string csv = "t (s),code\n";
  char row[32];
  // "04E5" is no number of ten, "1000" is not one thousand.
  for (int n = 0; n < 400; ++n) std::snprintf(row, sizeof row, "%d,%04X\n", n, 1249 + 13 * n), csv += row;
  const WholeRecording r = read_file(folder.write("a.csv", csv), {});
  ASSERT_EQ(r.columns[0].size(), 400u);
  for (int n = 0; n < 400; ++n) ASSERT_EQ(r.columns[0][static_cast<std::size_t>(n)], 1249 + 13 * n);
  // Words that happen to be such are none where others are not.
  std::string words = "t (s),who,u\n";
  for (int n = 0; n < 40; ++n) words += std::to_string(n) + (n % 2 == 0 ? ",FADE," : ",HOLD,") + "1\n";
  EXPECT_THAT(read_file(folder.write("b.csv", words), {}).names(), ElementsAre("u"));
  // Sensors that take turns are parts.
  std::string turns = "t (s),id,x\n";
  for (int n = 0; n < 80; ++n)
    turns += std::to_string(n / 2) + (n % 2 == 0 ? ",A1," : ",B2,") + std::to_string(n % 7) + "\n";
  EXPECT_EQ(read_file(folder.write("c.csv", turns), {}).recording.parts.size(), 2u);
}

TEST(Runs, BelowEachOtherAreChosenByPart) {
  const ScratchFolder folder;
  std::string csv = "cycle;time (ms);p (bar)\n";
  for (int run = 4; run < 7; ++run)
    for (int n = 0; n < 30; ++n)
      csv += std::to_string(run) + ";" + std::to_string(n / 4.0) + ";" + std::to_string(100 * run + n) + "\n";
  ReadSettings settings;
  settings.part = "6";
  const WholeRecording r = read_file(folder.write("a.csv", csv), settings);
  ASSERT_EQ(r.columns[0].size(), 30u);
  EXPECT_EQ(r.columns[0][0], 600);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 4000, 1e-6);
}

/// Runs of so many rows, 1 ms apart, each with its number as its only value; the times begin at -5 ms.
std::string runs_of(const std::vector<int>& lengths, const char* titles) {
  std::string out = titles;
  char row[40];
  for (std::size_t run = 0; run < lengths.size(); ++run)
    for (int n = 0; n < lengths[run]; ++n)
      std::snprintf(row, sizeof row, "%.3f,%zu\n", -0.005 + 0.001 * n, run + 1), out += row;
  return out;
}

TEST(RunsBelowEachOther, ArePartsThoughNothingCountsThem) {
  const ScratchFolder folder;
  for (const char* titles : {"t (s),u (V)\n", ""}) {
    const std::string path = folder.write("a.csv", runs_of({40, 70, 55}, titles));
    const WholeRecording first = read_file(path, {});
    ASSERT_EQ(first.recording.parts.size(), 3u);
    EXPECT_THAT(text_of(first.recording, "runs-apart"), HasSubstr("row 41"));
    ASSERT_EQ(first.columns[0].size(), 40u);
    ReadSettings settings;
    settings.part = "2";
    const WholeRecording second = read_file(path, settings);
    ASSERT_EQ(second.columns[0].size(), 70u);
    EXPECT_NEAR(second.recording.axis.start, -0.005, 1e-9);
    EXPECT_NEAR(second.recording.axis.rate_hz(), 1000, 1e-6);
    EXPECT_EQ(second.columns[0].front(), 2);
    EXPECT_EQ(second.columns[0].back(), 2);
    EXPECT_FALSE(second.warns_of("runs-apart"));
  }
}

TEST(RunsBelowEachOther, AreFoundBehindTheHeadOfALongFile) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.csv", runs_of({150000, 1000, 200000}, "t (s),u (V)\n"));
  const WholeRecording first = read_file(path, {});
  ASSERT_EQ(first.columns[0].size(), 150000u);
  EXPECT_EQ(first.columns[0].back(), 1);
  ASSERT_EQ(first.recording.parts.size(), 3u);
  EXPECT_EQ(first.recording.parts[1].what, "rows 150001..151000");
  for (const int part : {2, 3}) {
    ReadSettings settings;
    settings.part = std::to_string(part);
    const WholeRecording run = read_file(path, settings);
    ASSERT_EQ(run.columns[0].size(), part == 2 ? 1000u : 200000u);
    EXPECT_EQ(run.columns[0].front(), part);
    EXPECT_EQ(run.columns[0].back(), part);
    EXPECT_EQ(run.recording.part, static_cast<std::size_t>(part - 1));
  }
  ReadSettings settings;
  settings.part = "4";
  EXPECT_THAT(error_of(path, settings), HasSubstr("has 3 parts"));
}

TEST(RunsBelowEachOther, GapsAreThoseOfTheRunThatIsRead) {
  const ScratchFolder folder;
  std::string text = "t (s),u (V)\n";
  for (int run = 0; run < 2; ++run)
    for (int n = 0; n < 100000; ++n)
      text += std::to_string(n) + (run == 1 && n % 50000 == 7 ? ",\n" : ",2\n");
  const std::string path = folder.write("a.csv", text);
  ReadSettings settings;
  settings.missing = ReadSettings::Missing::gap;
  settings.part = "1";
  const WholeRecording first = read_file(path, settings);
  ASSERT_EQ(first.columns[0].size(), 100000u);
  EXPECT_EQ(text_of(first.recording, "gaps"), "");
  settings.part = "2";
  const WholeRecording second = read_file(path, settings);
  ASSERT_EQ(second.columns[0].size(), 100000u);
  EXPECT_THAT(text_of(second.recording, "gaps"), HasSubstr("2 cells"));
}

TEST(RunsBelowEachOther, AClockThatIsSetBackBeginsNone) {
  const ScratchFolder folder;
  std::string text = "t (s),u (V)\n";
  for (int n = 0; n < 90; ++n)
    text += std::to_string(n < 60 ? n : n - 12) + ".5," + std::to_string(n % 7) + "\n";
  const WholeRecording r = read_file(folder.write("a.csv", text), {});
  EXPECT_EQ(r.columns[0].size(), 90u);
  EXPECT_LT(r.recording.parts.size(), 2u);
  EXPECT_TRUE(r.warns_of("axis-reversed"));
}

TEST(Angles, GoOnFromCycleToCycle) {
  const ScratchFolder folder;
  for (const auto& [unit, turn, each] : {std::tuple{"deg", 720.0, 360}, {"rad", 2 * 3.14159265358979, 100}}) {
    std::string text = "crank angle (" + std::string(unit) + "),p (bar)\n";
    char row[60];
    for (int n = 0; n < 5 * each; ++n)
      std::snprintf(row, sizeof row, "%.5f,%d\n", turn * (n % each) / each, n), text += row;
    const WholeRecording r = read_file(folder.write("a.csv", text), {});
    ASSERT_EQ(r.columns[0].size(), static_cast<std::size_t>(5 * each)) << unit;
    EXPECT_LT(r.recording.parts.size(), 2u);
    EXPECT_NEAR(r.recording.axis.interval, turn / each, 1e-5 * turn / each);
    EXPECT_THAT(text_of(r.recording, "angle-goes-on"), HasSubstr("4 times"));
  }
}

TEST(TimesInDigits, HaveTheirDayBesideThem) {
  const ScratchFolder folder;
  std::string text = "date,utc,alt (m)\n", other = "utc,yymmdd,alt (m)\n";
  char row[60];
  for (int n = 0; n < 30; ++n) {
    std::snprintf(row, sizeof row, "291126,0959%02d.00,%d\n", n, n * n % 11), text += row;
    std::snprintf(row, sizeof row, "0959%02d.00,261129,%d\n", n, n * n % 11), other += row;
  }
  for (const std::string& lines : {text, other}) {
    const WholeRecording r = read_file(folder.write("a.csv", lines), {});
    EXPECT_THAT(r.names(), ElementsAre("alt"));
    // 29 November 2026, 09:59:00.
    EXPECT_EQ(r.recording.zero_ns, std::int64_t{1795946340} * 1000000000);
  }
}

TEST(JsonUnits, StandBehindUnderscoresWhereThoseOfTheTimeDo) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(
      folder.write("a.json", R"({"acc_g": [1, 2, 3, 4], "time_ms": [0, 2, 4, 6], "p_kPa": [5, 5, 6, 6]})"),
      {});
  ASSERT_THAT(r.names(), ElementsAre("acc", "p"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "g");
  EXPECT_EQ(r.recording.channels[1].unit.text(), "kPa");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 500, 1e-9);
  // One that has none: the names are as written.
  const WholeRecording other = read_file(
      folder.write("b.json", R"({"acc_g": [1, 2, 3, 4], "time_ms": [0, 2, 4, 6], "run_no": [5, 5, 6, 6]})"),
      {});
  EXPECT_THAT(other.names(), ElementsAre("acc_g", "run_no"));
}

}  // namespace
}  // namespace vprism::blocks_and_steps_test
