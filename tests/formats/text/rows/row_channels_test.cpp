// row_channels_test.cpp: tables with a channel in each row, and seismic station text.
#include "formats/text/rows/row_channels.h"

#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::row_channels_test {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

std::string cells(const std::vector<double>& values, const char* delimiter = ",", bool comma = false) {
  std::string out;
  for (const double v : values) {
    char text[40];
    std::snprintf(text, sizeof text, "%.6f", v);
    if (comma) std::replace(text, text + sizeof text, '.', ',');
    out += delimiter + std::string(text);
  }
  return out;
}

class RowChannels : public testing::Test {
 protected:
  RowChannels() {
    for (int i = 0; i < 3000; ++i) {
      t.push_back(i * 1e-3);
      u.push_back(std::sin(0.3 * i));
      v.push_back(3 * std::cos(0.2 * i));
    }
  }
  WholeRecording read(const std::string& text, const ReadSettings& settings = {}) {
    return read_file(folder.write("x.csv", text), settings);
  }
  ScratchFolder folder;
  std::vector<double> t, u, v;
};

TEST_F(RowChannels, AreFoundWithNamesUnitsAndTimes) {
  const WholeRecording r =
      read("Time (s)" + cells(t) + "\nCH1 (V)" + cells(u) + "\nCH2 (A)" + cells(v) + "\n");
  EXPECT_THAT(r.names(), ElementsAre("CH1", "CH2"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "A");
  EXPECT_NEAR(r.recording.axis.interval, 1e-3, 1e-9);
  ASSERT_EQ(r.recording.samples, 3000);
  EXPECT_NEAR(r.columns[0][2999], u[2999], 1e-6);
  EXPECT_TRUE(r.warns_of("channels-in-rows"));
}

TEST_F(RowChannels, HaveUnitsInCellsOfTheirOwnAndKeysAbove) {
  const WholeRecording r =
      read("Sample rate;2500\nu;V" + cells(u, ";", true) + "\ni;mA" + cells(v, ";", true) + "\n");
  EXPECT_THAT(r.names(), ElementsAre("u", "i"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "mA");
  EXPECT_NEAR(r.recording.axis.interval, 1 / 2500.0, 1e-12);
  EXPECT_NEAR(r.columns[1][77], v[77], 1e-6);
}

TEST_F(RowChannels, ARowThatCountsIsNoChannel) {
  std::vector<double> n;
  for (int i = 1; i <= 3000; ++i) n.push_back(i);
  ReadSettings settings;
  settings.rate_hz = 1000;
  const WholeRecording r = read("Name" + cells(n) + "\na" + cells(u) + "\nb" + cells(v) + "\n", settings);
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
}

TEST_F(RowChannels, ANameMayBeANumber) {
  ReadSettings settings;
  settings.rate_hz = 1000;
  const WholeRecording r =
      read("left" + cells(u) + "\n2024" + cells(v) + "\nright" + cells(u) + "\n", settings);
  EXPECT_THAT(r.names(), ElementsAre("left", "channel 2024", "right"));
  EXPECT_EQ(r.recording.samples, 3000);
}

TEST_F(RowChannels, ALineOfMegabytesIsRead) {
  std::vector<double> longer;
  for (int i = 0; i < 200000; ++i) longer.push_back(std::sin(0.01 * i));
  ReadSettings settings;
  settings.rate_hz = 1e4;
  const WholeRecording r = read(cells(longer).substr(1) + "\n", settings);
  ASSERT_EQ(r.recording.samples, 200000);
  EXPECT_NEAR(r.columns[0][199999], longer[199999], 1e-6);
}

TEST_F(RowChannels, OptionsSayWhatARowIs) {
  ReadSettings settings;
  settings.rate_hz = 1000, settings.no_rows = true;
  const std::string text = "a" + cells({u.begin(), u.begin() + 40}) + "\nb" +
                           cells({v.begin(), v.begin() + 40}) + "\nc" + cells({t.begin(), t.begin() + 40}) +
                           "\n";
  EXPECT_EQ(read(text, settings).recording.channels.size(), 40u);
  settings.no_rows = false, settings.rows = true;
  EXPECT_EQ(read(text, settings).recording.channels.size(), 3u);
  EXPECT_FALSE(read(text, settings).warns_of("channels-in-rows"));
  settings.no_rows = true;
  EXPECT_THAT(error_of(folder.path("x.csv"), settings), HasSubstr("--no-rows"));
}

TEST_F(RowChannels, AreNotSeenInUsualTables) {
  // Forty channels and few rows, with names above them.
  std::string text = "time (s)";
  for (int c = 0; c < 40; ++c) text += ",c" + std::to_string(c);
  text += "\n";
  for (int n = 0; n < 8; ++n)
    text += std::to_string(n * 0.001) + cells({u.begin() + n, u.begin() + n + 40}) + "\n";
  EXPECT_EQ(read(text).recording.channels.size(), 40u);
}

TEST_F(RowChannels, BadCellsAreNamedByTheirPlaceInTheFile) {
  std::string text = "a" + cells(u) + "\nb" + cells({v.begin(), v.begin() + 100}) + ",x1y" +
                     cells({v.begin() + 101, v.end()}) + "\n";
  ReadSettings settings;
  settings.rate_hz = 1000;
  EXPECT_THAT(error_of(folder.write("x.csv", text), settings), HasSubstr("x.csv:2:102: \"x1y\""));
}

TEST(StationText, StretchesLieOnOneGrid) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write(
      "s.txt",
      "TIMESERIES XX_ABC_00_BHZ_D, 8 samples, 20 sps, 2010-02-27T06:30:00.050000, SLIST, INTEGER, Counts\n"
      "1 2 3 4 5 6\n7 8\n"
      "TIMESERIES XX_ABC_00_BHZ_D, 3 samples, 20 sps, 2010-02-27T06:30:00.550000, TSPAIR, FLOAT, Counts\n"
      "2010-02-27T06:30:00.550000 9\n2010-02-27T06:30:00.600000 10\n2010-02-27T06:30:00.650000 11\n"
      "TIMESERIES XX_ABC_00_BHE_D, 5 samples, 20 sps, 2010-02-27T06:30:00.050000, SLIST, FLOAT, m/s\n"
      "1 2 3 4\n"));
  EXPECT_THAT(r.names(), ElementsAre("XX.ABC.00.BHZ", "XX.ABC.00.BHE"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "m/s");
  ASSERT_EQ(r.recording.samples, 13);
  EXPECT_EQ(r.columns[0][7], 8);
  EXPECT_TRUE(std::isnan(r.columns[0][8]));
  EXPECT_EQ(r.columns[0][10], 9);
  EXPECT_TRUE(std::isnan(r.columns[1][12]));
  EXPECT_TRUE(r.warns_of("length-disagrees"));
  EXPECT_NEAR(r.recording.axis.interval, 0.05, 1e-12);
  for (const char* damaged :
       {"TIMESERIES X\n", "TIMESERIES X, many samples, 20 sps, 2010-02-27T06:30:00, SLIST\n1\n",
        "TIMESERIES X, 1 samples, 0 sps, 2010-02-27T06:30:00, SLIST\n1\n",
        "TIMESERIES X, 1 samples, 20 sps, yesterday, SLIST\n1\n",
        "TIMESERIES X, 1 samples, 20 sps, 2010-02-27T06:30:00, SLIST\nx\n",
        "TIMESERIES X, 1 samples, 20 sps, 2010-02-27T06:30:00, SLIST\n",
        "TIMESERIES X, 1 samples, 20 sps, 2010-02-27T06:30:00, SLIST\n1\n"
        "TIMESERIES X, 1 samples, 20 sps, 2190-02-27T06:30:00, SLIST\n1\n"})
    EXPECT_NE(error_of(folder.write("d.txt", damaged)), "") << damaged;
}

}  // namespace
}  // namespace vprism::row_channels_test
