// said_beside_test.cpp: what stands beside, in front of and below the rows of a text table says of them; and
// what looks alike and says nothing.
#include <gmock/gmock.h>

#include <cmath>
#include <cstdio>

#include "formats/reading.h"
#include "formats/text/cells/bus_frames.h"
#include "formats/text/tables/legacy_text.h"

namespace vprism::said_beside_test {
namespace {

using ::testing::ElementsAre;
using ::testing::Pair;

class SaidBeside : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const ReadSettings& settings = {}) {
    return read_file(folder_.write("t.txt", text), settings);
  }
  static std::string printed(const char* format, double a, double b = 0, double c = 0) {
    char text[96];
    std::snprintf(text, sizeof text, format, a, b, c);
    return text;
  }
  /// A time of 4 ms a row and two columns.
  static std::string timed_rows(const char* format, int count = 40) {
    std::string out;
    for (int n = 0; n < count; ++n)
      out += printed(format, 0.004 * n, std::sin(0.3 * n), 2 + std::cos(0.7 * n));
    return out;
  }
  ScratchFolder folder_;
};

TEST_F(SaidBeside, SettingsBelowNeverContradictTimes) {
  const std::string rows = timed_rows("%.3f,%.6f,%.6f\n");
  const WholeRecording timed = read("time,a,b\n" + rows + "# rate = 100 Hz\n# units: s,mV,bar\n");
  EXPECT_NEAR(timed.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_THAT(timed.units(), ElementsAre("mV", "bar"));
  std::string alone = "a\n";
  for (int n = 0; n < 40; ++n) alone += printed("%.6f\n", std::sin(0.3 * n));
  EXPECT_NEAR(read(alone + "# rate = 100 Hz\n").recording.axis.rate_hz(), 100, 1e-9);
  // Statistics are no settings, and no names.
  const WholeRecording counted = read("time,a,b\n" + rows + "Max: 3.2\nmean,peak,crest\n");
  EXPECT_THAT(counted.names(), ElementsAre("a", "b"));
}

TEST_F(SaidBeside, TitlesBelowAreTakenOnlyWhereNoneStandAbove) {
  const std::string rows = timed_rows("%.3f,%.6f,%.6f\n");
  const WholeRecording below = read(rows + "Time (s),Force (N),Path (mm)\n");
  EXPECT_THAT(below.names(), ElementsAre("Force", "Path"));
  EXPECT_THAT(below.units(), ElementsAre("N", "mm"));
  EXPECT_TRUE(below.warns_of("titles-below"));
  EXPECT_THAT(read("t,u,i\n" + rows + "Time (s),Force (N),Path (mm)\n").names(), ElementsAre("u", "i"));
}

TEST_F(SaidBeside, RowsLabelledInFrontGiveNamesAndUnits) {
  std::string rows;
  for (int n = 0; n < 40; ++n) rows += printed("%.0f;%.5f;%.5f\n", n, std::sin(0.3 * n), std::cos(0.7 * n));
  const WholeRecording r = read("SignalUnits;kN;mm\nSignalNames;load;stroke\nRate;50 Hz\n" + rows);
  EXPECT_THAT(r.names(), ElementsAre("load", "stroke"));
  EXPECT_THAT(r.units(), ElementsAre("kN", "mm"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 50, 1e-9);
  // One for one channel by its number, and numbers, name none.
  const WholeRecording other = read("Names of 2;load;stroke\nLabels;17;18\nRate;50 Hz\n" + rows);
  EXPECT_THAT(other.names(), ::testing::Not(::testing::Contains("17")));
}

TEST_F(SaidBeside, ARowOfWholeNumbersAmongSuchIsARow) {
  std::string rows = "t,a,b\n";
  for (int n = 0; n < 40; ++n) rows += printed("%.0f,%.0f,%.0f\n", n, n % 7, n % 5);
  EXPECT_EQ(read(rows).columns[0].size(), 40u);
  const std::string under = "Time,a,b\ns,g,g\n0,1,2\n" + timed_rows("%.3f,%.4f,%.4f\n");
  const WholeRecording r = read(under);
  EXPECT_EQ(r.columns[0].size(), 40u);
  EXPECT_THAT(r.units(), ElementsAre("g", "g"));
}

TEST_F(SaidBeside, SemicolonsPartCellsAndBeginComments) {
  const WholeRecording parted = read("; load; stroke\n" + timed_rows("%.3f; %.5f; %.5f\n"));
  EXPECT_THAT(parted.names(), ElementsAre("load", "stroke"));
  const WholeRecording comment = read("; rate 5 of the test\n; Columns: time [s], load [N], path [mm]\n" +
                                      timed_rows("%.3f\t%.5f\t%.5f\n"));
  EXPECT_THAT(comment.names(), ElementsAre("load", "path"));
}

TEST_F(SaidBeside, UnitsBesideKeysAreNoKeys) {
  const WholeRecording r = read(timed_rows("t=%.3f s a=%.5f V b: %.5f bar\n"));
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_THAT(r.units(), ElementsAre("V", "bar"));
  const WholeRecording bare = read(timed_rows("t=%.3f a=%.5f m=%.5f\n"));
  EXPECT_THAT(bare.names(), ElementsAre("a", "m"));
}

TEST_F(SaidBeside, LettersBesidePlainNumbersArePrefixes) {
  std::string mixed = "t,u\n", metres = "t,u\n";
  for (int n = 1; n <= 40; ++n) {
    mixed +=
        printed(n % 2 == 0 ? "%.3f,%.3fm\n" : "%.3f,%.3f\n", 0.004 * n, n % 2 == 0 ? 250 + n : 1 + 0.01 * n);
    metres += printed(n % 3 == 0 ? "%.3f,0\n" : "%.3f,%.3fm\n", 0.004 * n, 250 + n);
  }
  const WholeRecording r = read(mixed);
  EXPECT_TRUE(r.warns_of("prefixes-applied"));
  EXPECT_NEAR(r.columns[0][1], 0.252, 1e-12);
  EXPECT_THAT(read(metres).units(), ElementsAre("m"));
}

TEST_F(SaidBeside, QuotedClocksWithDecimalCommasAreCells) {
  std::string text = "\"Zeit\";\"Kraft [N]\"\n";
  for (int n = 0; n < 40; ++n) text += printed("\"10:00:00,%03.0f\";\"%.0f,5\"\n", 4 * n, n % 9);
  const WholeRecording r = read(text);
  EXPECT_THAT(r.names(), ElementsAre("Kraft"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-6);
  EXPECT_NEAR(r.columns[0][3], 3.5, 1e-12);
}

TEST(BusFrames, BytesOfAnIdentifier) {
  EXPECT_THAT(bus_frame_of("(1436509052.25) can0 1FF#00a0FF"),
              ElementsAre(Pair("time (s)", "1436509052.25"), Pair("channel", "ID 1FF"), Pair("byte 1", "0"),
                          Pair("byte 2", "160"), Pair("byte 3", "255")));
  EXPECT_THAT(bus_frame_of("(0.5)  vcan1  18FEF1AB   [2]  01 7F"),
              ElementsAre(Pair("time (s)", "0.5"), Pair("channel", "ID 18FEF1AB"), Pair("byte 1", "1"),
                          Pair("byte 2", "127")));
  EXPECT_EQ(bus_frame_of("(0.5) can0 123##300FF").size(), 4u);  // Flags before the data.
  for (const char* other : {"(0.5) can0 123#0", "(x) can0 123#00", "0.5 can0 123#00", "(0.5) 123#00", "(0.5)",
                            "(0.5) can0 XYZ#00", "(0.5) can0 123456789#00", "(0.5) can0 123 2 01 02", ""})
    EXPECT_TRUE(bus_frame_of(other).empty()) << other;
}

TEST(LegacyText, ALetterIsReadAsTheFileIs) {
  const std::string cyrillic = "\xc2\xf0\xe5\xec\xff;\xd2\xee\xea";  // Two words in Windows-1251.
  EXPECT_EQ(utf8_from_legacy("\xc2"), "Â");
  {
    const LegacyCodingOf file(cyrillic);
    EXPECT_EQ(utf8_from_legacy("\xc2"), "В");
  }
  EXPECT_EQ(utf8_from_legacy("\xc2"), "Â");
  const LegacyCodingOf western("caf\xe9; 5 \xb5m");
  EXPECT_EQ(utf8_from_legacy("\xb5m"), "µm");
}

}  // namespace
}  // namespace vprism::said_beside_test
