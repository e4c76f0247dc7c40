// said_in_front_test.cpp: words in front of rows, stamps in front of lines; what is much like them and says
// something else.
#include <gmock/gmock.h>

#include <cmath>
#include <cstdio>

#include "formats/reading.h"
#include "formats/text/cells/keyed_lines.h"
#include "formats/text/clock/clock.h"

namespace vprism::said_in_front_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::Not;

class SaidInFront : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text) { return read_file(folder_.write("t.txt", text), {}); }
  /// Rows by a format for a number that counts, a time of 4 ms a row, and two waves.
  static std::string rows(const char* format, int count = 40) {
    std::string out;
    for (int n = 0; n < count; ++n) {
      char text[128];
      std::snprintf(text, sizeof text, format, n, 0.004 * n, std::sin(0.3 * n), 2 + std::cos(0.7 * n));
      out += text;
    }
    return out;
  }
  ScratchFolder folder_;
};

TEST(Stamps, InFrontOfALine) {
  for (const char* stamp : {"Mar  5 10:00:01", "5 Mar 10:00:01", "2026-03-05T10:00:01.25+01:00",
                            "2026-03-05 10:00:01,250", "05.03.2026 10:00:01"}) {
    const std::string line = std::string(stamp) + " rig logger[7]: x=1";
    const auto found = stamp_in_front(line);
    ASSERT_TRUE(found) << stamp;
    EXPECT_EQ(found->stamp, stamp);
    EXPECT_EQ(found->rest, "rig logger[7]: x=1");
  }
  for (const char* none : {"10:00:01 x=1", "Marker 5 x=1", "1.25 2.5 x=1", "", "May be x=1"})
    EXPECT_FALSE(stamp_in_front(none)) << none;
}

TEST(Stamps, HoursAreNoYear) {
  EXPECT_FALSE(parse_date_time("Mar  5 10:00:01"));
  EXPECT_EQ(parse_date_time("Mar 5 10 07:00:01"), parse_date_time("2010-03-05T07:00:01"));
  const auto first = parse_time_of_day("Mar  5 10:00:01"), next = parse_time_of_day("Mar  6 10:00:02");
  ASSERT_TRUE(first && next);
  EXPECT_EQ(*next - *first, 86401ll * 1000000000);
  EXPECT_EQ(parse_date_time("20260305-100000.250"), parse_date_time("2026-03-05T10:00:00.25"));
}

TEST_F(SaidInFront, ALogOfASystemHasItsTimes) {
  std::string text;
  for (int n = 0; n < 60; ++n) {
    char line[96];
    std::snprintf(line, sizeof line, "Feb 28 23:%02d:%02d rig daq[3]: p=%.4f state=ok\n", 58 + n / 40, n % 40,
                  std::sin(0.3 * n));
    text += line;
  }
  const WholeRecording r = read(text);
  EXPECT_THAT(r.names(), Contains("p"));
  EXPECT_EQ(r.recording.samples, 60);
}

TEST_F(SaidInFront, ANameGoesBeforeADescription) {
  const WholeRecording r = read("Description,inlet pressure,wall temperature\nName,p1,T1\nUnit,bar,K\n" +
                                rows("%1$d,%3$.5f,%4$.5f\n"));
  // The count in front has no name of its own.
  EXPECT_THAT(r.names(), ElementsAre("p1", "T1"));
  EXPECT_THAT(r.units(), ElementsAre("bar", "K"));
}

TEST_F(SaidInFront, AnOffsetBesideCountsIsWarnedOf) {
  const auto counts = [](const char* above) {
    std::string text = above;
    for (int n = 0; n < 40; ++n)
      text += std::to_string(std::lround(900 * std::sin(0.3 * n))) + "\t" +
              std::to_string(std::lround(700 * std::cos(0.7 * n))) + "\n";
    return text;
  };
  EXPECT_THAT(read(counts("Offset\t-512\t0\nName\ta\tb\n")).codes(), Contains("scale-not-applied"));
  EXPECT_THAT(read(counts("Offset\t0\t0\nName\ta\tb\n")).codes(), Not(Contains("scale-not-applied")));
}

TEST_F(SaidInFront, StrokesTheOtherWayAreNamesUnlessBehindBrackets) {
  const WholeRecording tags = read("Time (s),PLANT\\FIC101,PLANT\\PIC7\n" + rows("%2$.3f,%3$.5f,%4$.5f\n"));
  EXPECT_THAT(tags.names(), ElementsAre("PLANT\\FIC101", "PLANT\\PIC7"));
}

TEST_F(SaidInFront, AFrameWithoutDataIsPassedOver) {
  std::string text;
  for (int n = 0; n < 40; ++n) {
    char line[96];
    std::snprintf(line, sizeof line, "(%.6f) can0 1A0#%02X%02X\n", 0.01 * n, n, 255 - n);
    text += line;
    if (n % 10 == 3) text += "(" + std::to_string(0.01 * n + 0.002) + ") can0 1A0#R\n";
  }
  const WholeRecording r = read(text);
  EXPECT_EQ(r.recording.samples, 40);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-6);
}

TEST_F(SaidInFront, TimeGoneByIsNoChannelButATimeOfItsOwnIsOne) {
  const WholeRecording same = read("Time (s),Elapsed (ms),u (V)\n" + [] {
    std::string out;
    for (int n = 0; n < 40; ++n)
      out += std::to_string(0.004 * n) + "," + std::to_string(500 + 4 * n) + "," +
             std::to_string(std::sin(n)) + "\n";
    return out;
  }());
  EXPECT_THAT(same.names(), ElementsAre("u"));
  EXPECT_THAT(same.codes(), Contains("axis-repeats"));
  // A delay that grows with the time, but at another pace.
  const WholeRecording other = read("Time (s),u (V),Delay (ms)\n" + [] {
    std::string out;
    for (int n = 0; n < 40; ++n)
      out += std::to_string(0.004 * n) + "," + std::to_string(std::sin(n)) + "," +
             std::to_string(2 + 0.5 * n) + "\n";
    return out;
  }());
  EXPECT_THAT(other.codes(), Not(Contains("axis-repeats")));
}

TEST(TitlesWithUnits, WithinAndInPlaceOfThem) {
  const auto said = [](const char* title) {
    const Channel c = channel_from_title(title);
    return c.name + "|" + c.unit.text();
  };
  EXPECT_EQ(said("Ch1(V) RMS"), "Ch1 RMS|V");
  EXPECT_EQ(said("Torque [Nm] Max"), "Torque Max|Nm");
  EXPECT_EQ(said("V(out) mean"), "V(out) mean|1");
  EXPECT_EQ(said("g^2/Hz"), "|g^2/Hz");
  EXPECT_EQ(said("U/V"), "U|V");
  EXPECT_EQ(said("ACC1(G)"), "ACC1|g");
  EXPECT_EQ(said("V(G)"), "V(G)|1");
}

}  // namespace
}  // namespace vprism::said_in_front_test
