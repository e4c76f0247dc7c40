// rows_further_down_test.cpp: what the beginning of a text table promises and its rows further down do not
// hold: units, names, counts; and plain numbers that are of the size of dates.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::rows_further_down_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::Not;

class FurtherDown : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const ReadSettings& settings = {}) {
    return read_file(folder_.write("t.csv", text), settings);
  }
  template <typename Row>
  static std::string rows(std::string head, int count, Row row) {
    for (int n = 0; n < count; ++n) head += row(n);
    return head;
  }
  static std::string printed(const char* format, double value) {
    char text[64];
    std::snprintf(text, sizeof text, format, value);
    return text;
  }
  ScratchFolder folder_;
};

TEST_F(FurtherDown, SecondsOfTheDayAreNoDaysOfASpreadsheet) {
  // Ten in the morning is 36000 s; as days it would be a day in 1998.
  const WholeRecording seconds = read(rows("Time,x\n", 200, [](int n) {
    return printed("%.2f", 36000.25 + 0.01 * n) + "," + std::to_string(n) + "\n";
  }));
  EXPECT_NEAR(seconds.recording.axis.rate_hz(), 100, 1e-6);
  EXPECT_NEAR(seconds.recording.axis.start, 36000.25, 1e-9);
  EXPECT_FALSE(seconds.recording.zero_ns);
  // Ten digits behind the point are those of days: 1 s each.
  const WholeRecording days = read(rows("Time,x\n", 200, [](int n) {
    return printed("%.10f", 45376.5 + n / 86400.0) + "," + std::to_string(n) + "\n";
  }));
  EXPECT_NEAR(days.recording.axis.rate_hz(), 1, 1e-5);
  EXPECT_EQ(days.recording.zero_ns, 1711324800000000000 + 43200000000000);
}

TEST_F(FurtherDown, CountersOfUptimeAreNoDates) {
  // 1,200 s of uptime in microseconds, 1 kHz: as seconds it would be the year 2008, a row every 17 minutes.
  const WholeRecording r = read(rows("timestamp,x\n", 100, [](int n) {
    return std::to_string(1200000000LL + 1000LL * n) + "," + std::to_string(n) + "\n";
  }));
  EXPECT_FALSE(r.recording.zero_ns);
  EXPECT_NEAR(r.recording.axis.start, 1.2e9, 1e-3);
  // And an hourly logger is one.
  EXPECT_TRUE(read(rows("timestamp,x\n", 100, [](int n) {
                return std::to_string(1200000000LL + 3600LL * n) + "," + std::to_string(n) + "\n";
              })).recording.zero_ns);
}

TEST_F(FurtherDown, LongTablesOfNamedRowsArePartsAndStrangersAreCounted) {
  std::string text = rows("channel,time,value\n", 6000, [](int n) {
    const std::string time = printed("%.3f", 0.01 * n);
    return "left," + time + "," + std::to_string(n) + "\nright," + time + "," + std::to_string(-n) + "\n";
  });
  ReadSettings right;
  right.part = "right";
  const WholeRecording r = read(text, right);
  EXPECT_THAT(r.names(), ElementsAre("right"));
  ASSERT_EQ(r.columns[0].size(), 6000u);
  EXPECT_EQ(r.columns[0][5999], -5999);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-6);
  EXPECT_FALSE(r.warns_of("rows-left-out"));
  text = rows(text, 40000, [](int n) { return "left," + printed("%.3f", 60 + 0.01 * n) + ",1\n"; });
  text += "third,470.000,5\n";
  EXPECT_TRUE(read(text).warns_of("rows-left-out"));
}

TEST_F(FurtherDown, AnInstrumentThatChangesItsRangeIsConvertedRowByRow) {
  const auto level = [](int n) { return n < 30000 ? 1.5 : 0.25; };
  const std::string beside = rows("t (s),U\n", 40000, [&](int n) {
    return printed("%.3f", 0.001 * n) + (n < 30000 ? "," + printed("%.3f", level(n)) + " V\n"
                                                   : "," + printed("%.1f", 1000 * level(n)) + " mV\n");
  });
  const std::string behind = rows("t (s);U;Unit\n", 40000, [&](int n) {
    return printed("%.3f", 0.001 * n) + (n < 30000 ? ";" + printed("%.3f", level(n)) + ";V\n"
                                                   : ";" + printed("%.1f", 1000 * level(n)) + ";mV\n");
  });
  for (const std::string& text : {beside, behind}) {
    const WholeRecording r = read(text);
    ASSERT_THAT(r.names(), ElementsAre("U"));
    EXPECT_EQ(r.recording.channels[0].unit.text(), "V");
    ASSERT_EQ(r.columns[0].size(), 40000u);
    EXPECT_EQ(r.columns[0][0], 1.5);
    EXPECT_NEAR(r.columns[0][39999], 0.25, 1e-12);
  }
  // Within the head it is said.
  const WholeRecording soon = read("t (s),U\n0,1 V\n1,200 mV\n2,3 V\n3,400 mV\n");
  EXPECT_THAT(soon.columns[0], ElementsAre(1, 0.2, 3, 0.4));
  EXPECT_TRUE(soon.warns_of("units-converted"));
  // The title's unit goes before the cells', and what does not convert is left as it stands.
  EXPECT_THAT(read("t (s),U (mV)\n0,1 V\n1,2 V\n2,3 V\n").columns[0], ElementsAre(1000, 2000, 3000));
  EXPECT_TRUE(read("t (s),U\n0,1 V\n1,2 A\n2,3 V\n").warns_of("units-mixed"));
}

TEST_F(FurtherDown, PrefixesAreMultipliersButKelvinIsAUnit) {
  const WholeRecording r = read("t (s),R,T\n0,10k,293.1K\n1,2.2M,293.2K\n2,470,293.3K\n");
  EXPECT_THAT(r.columns[0], ElementsAre(1e4, 2.2e6, 470));
  EXPECT_THAT(r.columns[1], ElementsAre(293.1, 293.2, 293.3));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "K");
}

TEST_F(FurtherDown, MembersThatSomeObjectsHaveAreColumnsAndLateOnesAreNamed) {
  const auto object = [](int n, const std::string& more) {
    return "{\"t\": " + printed("%.2f", 0.01 * n) + ", \"a\": " + std::to_string(n) + more + "}\n";
  };
  std::string text = rows(
      "", 200, [&](int n) { return object(n, n % 10 == 0 ? ", \"slow\": " + std::to_string(2 * n) : ""); });
  const WholeRecording r = read(text);
  EXPECT_THAT(r.names(), ElementsAre("a"));
  ReadSettings slow;
  slow.part = "slow";
  const WholeRecording part = read(text, slow);
  EXPECT_EQ(part.columns[0].size(), 20u);
  EXPECT_NEAR(part.recording.axis.rate_hz(), 10, 1e-9);
  EXPECT_FALSE(r.warns_of("columns-left-out"));
  text = rows("", 20000, [&](int n) { return object(n, n == 19999 ? ", \"late\": 1" : ""); });
  EXPECT_TRUE(read(text).warns_of("columns-left-out"));
}

TEST_F(FurtherDown, ValuesBehindTheHeadersCountAreLeftOutAndSaid) {
  const auto with = [](int promised, int written) {
    std::string text =
        "ACCELERATION, UNITS OF CM/SEC/SEC\nNPTS= " + std::to_string(promised) + ", DT= .01 SEC\n";
    for (int n = 0; n < written; ++n) text += std::to_string(n) + ".5" + (n % 8 == 7 ? "\n" : "  ");
    return text + "\n";
  };
  const WholeRecording r = read(with(100, 104));
  ASSERT_EQ(r.columns[0].size(), 100u);
  EXPECT_EQ(r.columns[0][99], 99.5);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "cm/s/s");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-9);
  EXPECT_TRUE(r.warns_of("values-left-out"));
  EXPECT_FALSE(read(with(103, 103)).warns_of("values-left-out"));
  // A long one, whose end the head does not show.
  const WholeRecording cut = read(with(101000, 100000));
  EXPECT_EQ(cut.columns[0].size(), 100000u);
  EXPECT_TRUE(cut.warns_of("length-disagrees"));
}

TEST_F(FurtherDown, SlowChannelsWithoutTimesThatStopBeingRegularAreSaid) {
  const auto text = [](int regular) {
    return rows("rate: 1 kHz\nu (V),slow (degC)\n", 30000, [&](int n) {
      const bool filled = n < regular ? n % 5 == 0 : n % 7 == 0;
      return printed("%.9f", std::sin(0.1 * n)) + "," + (filled ? "20" : "") + "\n";
    });
  };
  ReadSettings slow;
  slow.part = "slow";
  EXPECT_TRUE(read(text(20000 + 8000), slow).warns_of("rows-disagree"));
  EXPECT_FALSE(read(text(30000), slow).warns_of("rows-disagree"));
}

TEST_F(FurtherDown, APartThatIsNotThereIsAnErrorOfAnyTable) {
  ReadSettings other;
  other.part = "slow";
  EXPECT_THROW(read("t (s),u (V)\n0,1\n1,2\n2,3\n", other), Error);
  other.part = "1";
  EXPECT_EQ(read("t (s),u (V)\n0,1\n1,2\n2,3\n", other).columns[0].size(), 3u);
}

TEST_F(FurtherDown, WordsOfAPreambleAreNoCounts) {
  // "points ... 3" is no number of samples, "exported" no start.
  const WholeRecording r =
      read("Three points measured on day 3\nExported;2024-03-25 10:00:00\nFS 500\nu;v\n1;2\n3;4\n5;6\n7;8\n");
  EXPECT_FALSE(r.warns_of("length-disagrees"));
  EXPECT_FALSE(r.recording.zero_ns);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 500, 1e-9);
}

}  // namespace
}  // namespace vprism::rows_further_down_test
