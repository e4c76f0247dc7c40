// said_above_test.cpp: what lines above, between and around the rows of a text table say of them: blocks
// under their time, runs that begin anew, units by name, counts and intervals, frequencies swept over.
#include <gmock/gmock.h>

#include <cmath>
#include <cstdio>

#include "formats/reading.h"

namespace vprism::said_above_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;

class SaidAbove : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const ReadSettings& settings = {}) {
    return read_file(folder_.write("t.txt", text), settings);
  }
  static std::string printed(const char* format, double value) {
    char text[64];
    std::snprintf(text, sizeof text, format, value);
    return text;
  }
  static double wave(int n) { return std::sin(0.3 * n); }
  template <typename Row>
  static std::string rows(std::string head, int count, Row row) {
    for (int n = 0; n < count; ++n) head += row(n);
    return head;
  }
  ScratchFolder folder_;
};

TEST_F(SaidAbove, BlocksUnderTheirTimeAreRows) {
  // Three lines of two each, a remark above; numbers to the last digit.
  const auto block = [](int n) {
    std::string out = "time: " + printed("%.3f", 0.01 * n) + " s\n";
    for (int line = 0; line < 3; ++line)
      out += printed("%.17g", wave(n + line)) + " " + printed("%.6f", wave(n - line)) + "\n";
    return out;
  };
  const WholeRecording r = read(rows("Run of a probe\nRate: slow\n", 40, block));
  ASSERT_EQ(r.columns.size(), 6u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-6);
  ASSERT_EQ(r.columns[0].size(), 40u);
  EXPECT_EQ(r.columns[0][7], wave(7));
  EXPECT_EQ(r.columns[2][7], wave(8));
  EXPECT_NEAR(r.columns[5][39], wave(37), 1e-6);
  // Far more than a block reader holds at once.
  const WholeRecording many = read(rows("", 20000, block));
  ASSERT_EQ(many.columns[0].size(), 20000u);
  EXPECT_EQ(many.columns[0][19999], wave(19999));
  // Blocks of unlike sizes, or under names that change, are none.
  EXPECT_THROW(read(rows("", 20,
                         [](int n) {
                           return "time = " + printed("%.2f", n) + "\n" + (n % 2 == 0 ? "1 2\n" : "1 2 3\n");
                         }))
                   .columns.at(4),
               std::exception);
}

TEST_F(SaidAbove, RunsThatBeginAnewAreParts) {
  const auto run = [](const std::string& title, double scale) {
    std::string out = title;
    for (int n = 0; n < 30; ++n)
      out += printed("%.4f", 0.001 * n) + "\t" + printed("%.5f", scale * wave(n)) + "\n";
    return out;
  };
  for (const char* parting : {"Step: R = %\n", "\n\n# run %\n"}) {
    std::string text;
    for (int k = 1; k <= 3; ++k) {
      std::string title = parting;
      title.replace(title.find('%'), 1, std::to_string(k));
      text += run(title, k);
    }
    const WholeRecording first = read(text);
    ASSERT_EQ(first.recording.parts.size(), 3u) << text.substr(0, 40);
    EXPECT_EQ(first.columns[0].size(), 30u);
    ReadSettings settings;
    settings.part = "3";
    const WholeRecording third = read(text, settings);
    EXPECT_NEAR(third.columns[0][5], 3 * wave(5), 1e-5);
    EXPECT_NEAR(third.recording.axis.rate_hz(), 1000, 1e-6);
  }
  // A remark between rows whose times go on parts nothing, nor does a log that is opened again later.
  const WholeRecording whole = read(rows("t (s)\tx (V)\n", 60, [](int n) {
    return (n == 30 ? "# paused\n" : "") + printed("%.3f", 0.001 * n) + "\t" + printed("%.5f", wave(n)) +
           "\n";
  }));
  EXPECT_EQ(whole.recording.parts.size(), 0u);
  EXPECT_EQ(whole.columns[0].size(), 60u);
}

// In the head of the file, and far behind it; but a log that runs through midnight goes on.
TEST_F(SaidAbove, ClockTimesThatBeginAnewAreParts) {
  const auto log = [](int runs, int count, int from_s) {
    std::string out = "time,x (V)\n";
    for (int k = 1; k <= runs; ++k)
      for (int n = 0; n < count; ++n) {
        const int ms = (from_s * 1000 + 20 * n) % 86400000;
        char time[32];
        std::snprintf(time, sizeof time, "%02d:%02d:%02d.%03d,", ms / 3600000, ms / 60000 % 60,
                      ms / 1000 % 60, ms % 1000);
        out += time + printed("%.5f", k * wave(n)) + "\n";
      }
    return out;
  };
  for (const int count : {40, 30000}) {
    const std::string text = log(3, count, 9 * 3600 + 17);
    const WholeRecording first = read(text);
    ASSERT_EQ(first.recording.parts.size(), 3u) << count;
    EXPECT_EQ(first.columns[0].size(), static_cast<std::size_t>(count));
    EXPECT_NEAR(first.recording.axis.rate_hz(), 50, 1e-6);
    ReadSettings settings;
    settings.part = "3";
    const WholeRecording third = read(text, settings);
    ASSERT_EQ(third.columns[0].size(), static_cast<std::size_t>(count));
    EXPECT_NEAR(third.columns[0][5], 3 * wave(5), 1e-5);
  }
  // Two days, a row a minute, from midnight on: the second day begins at the time of the first row.
  const WholeRecording days = read(rows("time,x\n", 2880, [](int n) {
    char time[32];
    std::snprintf(time, sizeof time, "%02d:%02d:00,", n / 60 % 24, n % 60);
    return time + printed("%.5f", wave(n)) + "\n";
  }));
  EXPECT_EQ(days.recording.parts.size(), 0u);
  ASSERT_EQ(days.columns[0].size(), 2880u);
  EXPECT_NEAR(days.recording.axis.interval, 60, 1e-9);
  const WholeRecording night = read(log(1, 500, 86400 - 4));
  EXPECT_EQ(night.recording.parts.size(), 0u);
  EXPECT_EQ(night.columns[0].size(), 500u);
}

TEST_F(SaidAbove, UnitsByTheNameOfTheirColumn) {
  const auto row = [](int n) {
    return printed("%.1f", n) + "," + printed("%.4f", wave(n)) + "," + std::to_string(n) + "\n";
  };
  const WholeRecording r = read(rows("Time unit: ms\nforce units: kN\nTime,Force,Load\n", 50, row));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "kN");
  EXPECT_EQ(r.recording.channels[1].unit.text(), "1");
  // One for all.
  const WholeRecording all = read(rows("Units: mm\nTime,x1,x2\n", 50, row));
  EXPECT_EQ(all.recording.channels[1].unit.text(), "mm");
  EXPECT_THAT(all.codes(), Contains("unit-of-all"));
  // Not where one has its own.
  const WholeRecording own = read(rows("Units: mm\nTime,x1 (V),x2\n", 50, row));
  EXPECT_EQ(own.recording.channels[0].unit.text(), "V");
  EXPECT_EQ(own.recording.channels[1].unit.text(), "1");
}

TEST_F(SaidAbove, AnObjectInTheFirstLineHoldsSettings) {
  const WholeRecording r =
      read(rows("{\"fs\": 250, \"unit\": \"uV\", \"name\": \"lead I\", \"subject\": 7}\n", 100,
                [](int n) { return printed("%.4f", wave(n)) + "\n"; }));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "uV");
  EXPECT_THAT(r.names(), ElementsAre("lead I"));
}

TEST_F(SaidAbove, ACountAnIntervalAndTheValues) {
  const auto value = [](int n) { return printed("%.5f", 40 * wave(n)) + "\n"; };
  const WholeRecording r = read(rows("60\n0.004\n", 60, value));
  ASSERT_EQ(r.columns[0].size(), 60u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_THAT(r.codes(), Contains("numbers-above-the-rows"));
  // Where the count is another one, all are samples.
  EXPECT_EQ(read(rows("75\n0.004\n", 60, value)).columns[0].size(), 62u);
}

TEST_F(SaidAbove, RatesBehindAnAtAndTimesInBrackets) {
  const WholeRecording at =
      read(rows("pressure [kPa] @ 12.8 kHz\n", 50, [](int n) { return printed("%.5f", wave(n)) + "\n"; }));
  EXPECT_NEAR(at.recording.axis.rate_hz(), 12800, 1e-6);
  EXPECT_EQ(at.recording.channels[0].unit.text(), "kPa");
  EXPECT_THAT(at.names(), ElementsAre("pressure"));
  const WholeRecording log = read(rows("", 50, [](int n) {
    return "[" + printed("%.2f", 0.05 * n) + "] U=" + printed("%.3f", wave(n)) +
           "V, I=" + printed("%.3f", 2 * wave(n)) + "mA\n";
  }));
  EXPECT_NEAR(log.recording.axis.rate_hz(), 20, 1e-6);
  EXPECT_THAT(log.names(), ElementsAre("U", "I"));
  EXPECT_EQ(log.recording.channels[1].unit.text(), "mA");
}

TEST_F(SaidAbove, FrequenciesSweptOver) {
  const auto level = [](int n) { return printed("%.2f", -80 + n) + "\n"; };
  for (const char* head : {"Center Frequency,2.4,GHz\nSpan,100,MHz\nDATA\n",
                           "Start Frequency: 2.35 GHz\nStop Frequency: 2.45 GHz\nLevel (dBm)\n"}) {
    const WholeRecording r = read(rows(head, 51, level));
    EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency) << head;
    EXPECT_NEAR(r.recording.axis.start, 2.35e9, 1);
    EXPECT_NEAR(r.recording.axis.interval, 2e6, 1e-3);
  }
  // A rate that is asked for goes before.
  ReadSettings settings;
  settings.rate_hz = 100;
  EXPECT_EQ(
      read(rows("Center Frequency,2.4,GHz\nSpan,100,MHz\nDATA\n", 51, level), settings).recording.axis.domain,
      Axis::Domain::time);
}

TEST_F(SaidAbove, ARadianASecondIsNoHertz) {
  const WholeRecording r = read(rows("omega (rad/s),|H|,arg H (deg)\n", 50, [](int n) {
    return printed("%.4f", 10 + n) + "," + printed("%.4f", 1.0 / (n + 1)) + "," + printed("%.3f", -n) + "\n";
  }));
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_NEAR(r.recording.axis.start, 10 / 6.283185307179586, 1e-9);
  EXPECT_TRUE(r.recording.complex);
}

TEST_F(SaidAbove, TabsInFrontBelongToTitlesAsToRows) {
  const WholeRecording r = read(rows("\tNo\tTime\tFlow\n\t#\ts\tl/min\n", 40, [](int n) {
    return "\t" + std::to_string(n) + "\t" + printed("%.2f", 0.5 * n) + "\t" + printed("%.4f", wave(n)) +
           "\n";
  }));
  EXPECT_THAT(r.names(), ElementsAre("Flow"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "l/min");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2, 1e-9);
  EXPECT_THAT(r.codes(), Contains("axis-counts"));
}

}  // namespace
}  // namespace vprism::said_above_test
