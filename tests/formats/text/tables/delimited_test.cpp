// Delimited text: layouts as instruments write them, and what is said of damaged ones.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "formats/format.h"
#include "formats/scratch_folder.h"
#include "formats/text/tables/text_layout.h"

namespace vprism::delimited_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::SizeIs;

struct Loaded {
  Recording recording;
  std::vector<std::vector<double>> channels;
};

Loaded load(const std::string& path, const ReadSettings& settings = {}) {
  const auto source = open_recording(path, settings);
  source->resolve();
  Loaded out;
  out.channels.resize(source->recording().channels.size());
  Block block(out.channels.size(), 501, source->carries_stamps());
  while (source->read(block) > 0)
    for (std::size_t c = 0; c < out.channels.size(); ++c)
      out.channels[c].insert(out.channels[c].end(), block.samples(c).begin(), block.samples(c).end());
  out.recording = source->recording();
  return out;
}

std::string complaint_of(const std::string& path, const ReadSettings& settings = {},
                         Status status = Status::input) {
  try {
    load(path, settings);
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), status) << error.what();
    return error.what();
  }
  return "no error";
}

bool has_caution(const Recording& recording, const std::string& code) {
  return std::any_of(recording.cautions.begin(), recording.cautions.end(),
                     [&](const Caution& c) { return c.code == code; });
}

struct Layout {
  const char* name;
  const char* text;
  std::vector<const char*> channels;
  std::vector<const char*> units;
  double rate_hz;
  std::vector<double> first_row;
};

class AwkwardLayouts : public ::testing::TestWithParam<Layout> {};

TEST_P(AwkwardLayouts, AreUnderstoodWithoutOptions) {
  const Layout& expected = GetParam();
  const ScratchFolder folder;
  const Loaded loaded = load(folder.write("a.txt", expected.text));
  ASSERT_THAT(loaded.channels, SizeIs(expected.channels.size()));
  for (std::size_t c = 0; c < expected.channels.size(); ++c) {
    EXPECT_EQ(loaded.recording.channels[c].name, expected.channels[c]);
    EXPECT_EQ(loaded.recording.channels[c].unit.text(), expected.units[c]);
    EXPECT_DOUBLE_EQ(loaded.channels[c][0], expected.first_row[c]);
    EXPECT_EQ(loaded.channels[c].size(), 4u);
  }
  const double rate = loaded.recording.axis.interval > 0 ? loaded.recording.axis.rate_hz() : 0;
  EXPECT_NEAR(rate, expected.rate_hz, 1e-9 * expected.rate_hz);
}

INSTANTIATE_TEST_SUITE_P(
    Layouts, AwkwardLayouts,
    ::testing::Values(
        Layout{"comma", "Time (s),CH1 (V)\n0,1\n0.1,2\n0.2,3\n0.3,4\n", {"CH1"}, {"V"}, 10, {1}},
        Layout{"semicolon_decimal_comma",
               "Zeit [ms];Druck [kPa]\r\n0,0;1,5\r\n0,5;2,5\r\n1,0;3\r\n1,5;4\r\n",
               {"Druck"},
               {"kPa"},
               2000,
               {1.5}},
        Layout{"tabs_units_row",
               "t\tforce\tacc\ns\tN\tm/s^2\n0\t1\t2\n1\t1\t2\n2\t1\t2\n3\t1\t2\n",
               {"force", "acc"},
               {"N", "m/s^2"},
               1,
               {1, 2}},
        Layout{"blanks_aligned",
               "   time    channel A   channel B\n   0.00       1.5        -2\n   0.25       1.6        "
               "-2\n   0.50       1.5        -2\n   0.75       1.5        -2\n",
               {"channel A", "channel B"},
               {"1", "1"},
               4,
               {1.5, -2}},
        Layout{"preamble_above",
               "Instrument: bench\nSample rate: 2 kHz\n\nx,y\n1,5\n2,5\n1,6\n2,5\n",
               {"x", "y"},
               {"1", "1"},
               2000,
               {1, 5}},
        Layout{"keyed_preamble_looks_like_titles",
               "Maker,none\nSample interval,0.5,ms\nTime,CH1\n0,1\n0.5e-3,2\n1e-3,3\n1.5e-3,4\n",
               {"CH1"},
               {"1"},
               2000,
               {1}},
        Layout{"preamble_beside",
               "Length,4,points,0,1.5\nInterval,0.001,s,0.001,1.6\n,,,0.002,1.7\n,,,0.003,1.8\n",
               {"channel 1"},
               {"1"},
               1000,
               {1.5}},
        Layout{"quotes_bom_trailing",
               "\xEF\xBB\xBF\"time\",\"a, b\"\n0,\"1\"\n1,\"2\"\n2,\"3\"\n3,\"4\"\nend of record\n",
               {"a, b"},
               {"1"},
               1,
               {1}},
        Layout{
            "comment_marks", "# recorder\n# fs = 50 Hz\n1.0\n2.0\n3.0\n4.0\n", {"channel 1"}, {"1"}, 50, {1}},
        Layout{"counting_column", "sample,level (mV)\n0,5\n1,6\n2,7\n3,8\n", {"level"}, {"mV"}, 0, {5}},
        Layout{"untitled_rising_first_column", "0 1\n0.5 2\n1.0 1\n1.5 2\n", {"channel 1"}, {"1"}, 2, {1}}),
    [](const auto& tested) { return tested.param.name; });

TEST(Delimited, StampsBesideTheSettingsGiveTheRateAndEveryPointIsUsed) {
  // 3,000 points at 250 kHz from -6 ms; the settings fill the first columns of the first rows only.
  std::string text;
  for (int n = 0; n < 3000; ++n) {
    const char* beside = n == 0   ? "Record Length,3.000000e+03,"
                         : n == 1 ? "Sample Interval,4.000000e-06,"
                         : n == 2 ? "Vertical Units,V,"
                                  : ",,";
    text += fmt::format("{},{:.8e},{:.4f},\n", beside, -0.006 + n * 4e-6, std::sin(0.1 * n));
  }
  const ScratchFolder folder;
  const Loaded loaded = load(folder.write("scope.csv", text));
  ASSERT_THAT(loaded.channels, SizeIs(1));
  EXPECT_EQ(loaded.channels[0].size(), 3000u);
  EXPECT_NEAR(loaded.recording.axis.rate_hz(), 250000, 0.01);  // 2,999 intervals, not 3,000
  EXPECT_NEAR(loaded.recording.axis.start, -0.006, 1e-12);
  EXPECT_TRUE(loaded.recording.cautions.empty());
  EXPECT_THAT(loaded.recording.notes,
              ::testing::Contains(std::pair<std::string, std::string>("Vertical Units", "V")));
}

TEST(Delimited, GivenRatesWinAndDisagreementIsSaid) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.csv", "Time (s),v\n0,1\n0.1,2\n0.2,3\n0.3,4\n");
  ReadSettings settings;
  settings.rate_hz = 20;
  const Loaded loaded = load(path, settings);
  EXPECT_DOUBLE_EQ(loaded.recording.axis.rate_hz(), 20);
  EXPECT_TRUE(has_caution(loaded.recording, "rate-disagrees"));
  ReadSettings none;
  none.axis = "none";
  none.duration_s = 2;
  const Loaded bare = load(path, none);
  EXPECT_THAT(bare.channels, SizeIs(2));  // The times are a channel then.
  EXPECT_DOUBLE_EQ(bare.recording.axis.interval, 0.5);
}

TEST(Delimited, PreambleThatPromisesMoreSamplesIsACaution) {
  const ScratchFolder folder;
  EXPECT_TRUE(has_caution(load(folder.write("a.csv", "Record length,100\nTime,v\n0,1\n1,2\n2,3\n")).recording,
                          "length-disagrees"));
}

TEST(Delimited, UnevenStampsStayStamped) {
  const ScratchFolder folder;
  const Loaded loaded = load(folder.write("a.csv", "Time,v\n0,1\n1,2\n1.5,3\n4,4\n"));
  EXPECT_TRUE(loaded.recording.axis.stamped);
  EXPECT_TRUE(has_caution(loaded.recording, "axis-uneven"));
}

TEST(Delimited, ABadCellIsNamedByLineAndCellAndCounted) {
  std::string text = "Time,v\n";
  for (int n = 0; n < 3000; ++n) text += fmt::format("{},{}\n", n, n == 1202 || n == 2500 ? "x7" : "1.5");
  const ScratchFolder folder;
  const std::string path = folder.write("pier.csv", text);
  EXPECT_THAT(complaint_of(path),
              HasSubstr(path + ":1204:2: \"x7\" is not a number; 2 rows like this, first here"));
}

TEST(Delimited, BadCellsBeyondTheHeadAreFoundToo) {
  std::string text = "a,b\n";
  for (int n = 0; n < 100000; ++n) text += n == 90000 ? "1,\n" : "1,2\n";
  const ScratchFolder folder;
  ReadSettings settings;
  settings.rate_hz = 1;
  EXPECT_THAT(complaint_of(folder.write("a.csv", text), settings),
              HasSubstr("a.csv:90002:2: the cell is empty or missing"));
}

TEST(Delimited, ACutLastRowIsSaid) {
  const ScratchFolder folder;
  const Loaded loaded = load(folder.write("a.csv", "Time,v\n0,1\n1,2\n2,3\n3"));
  EXPECT_EQ(loaded.channels[0].size(), 3u);
  EXPECT_TRUE(has_caution(loaded.recording, "trailing-text"));
}

TEST(Delimited, FilesWithoutNumbersAreRefused) {
  const ScratchFolder folder;
  EXPECT_THAT(complaint_of(folder.write("empty.csv", "")), HasSubstr("the file is empty"));
  EXPECT_THAT(complaint_of(folder.write("head.csv", "Time (s),CH1 (V)\n")),
              HasSubstr("no row of numbers in its first 1 line"));
  EXPECT_THAT(complaint_of(folder.path("missing.csv")), HasSubstr("no such file"));
  EXPECT_THAT(complaint_of(folder.path()), HasSubstr("is a folder"));
  EXPECT_THAT(complaint_of(folder.write("still.csv", "Time,v\n1,1\n1,2\n1,3\n"),
                           [] {
                             ReadSettings s;
                             s.axis = "Time";
                             return s;
                           }()),
              HasSubstr("does not increase"));
}

TEST(Delimited, AxisMayBeNamedAndMisnamed) {
  const ScratchFolder folder;
  const std::string path = folder.write("a.csv", "pos,clock,v\n5,0,1\n6,1,2\n7,2,3\n8,3,1\n");
  ReadSettings settings;
  settings.axis = "clock";
  EXPECT_THAT(load(path, settings).channels, SizeIs(2));
  settings.axis = "clok";
  EXPECT_THAT(complaint_of(path, settings, Status::usage), HasSubstr("did you mean \"clock\""));
}

TEST(Delimited, RowsAreTheSameHoweverTheyFallIntoPieces) {
  // More than one batch of text, odd line lengths, blank lines in between.
  std::string text = "v\n";
  std::vector<double> expected;
  for (int n = 0; n < 1200000; ++n) {
    expected.push_back(n * 0.5);
    text += fmt::format("{}\n", expected.back());
    if (n % 100000 == 7) text += "\n";
  }
  const ScratchFolder folder;
  ReadSettings settings;
  settings.rate_hz = 1;
  EXPECT_EQ(load(folder.write("long.csv", text), settings).channels[0], expected);
}

TEST(Delimited, NamesInTheFileAreCleaned) {
  const ScratchFolder folder;
  const Loaded loaded = load(folder.write("a.csv", "Time,a\x1b[31m<b>`x`\n0,1\n1,2\n2,1\n"));
  EXPECT_EQ(loaded.recording.channels[0].name, "a [31m<b>`x`");
}

TEST(SplitCells, HonoursQuotesAndRunsOfBlanks) {
  std::vector<std::string_view> cells;
  split_cells("1, \"a,b\",,3", ',', cells);
  EXPECT_THAT(cells, ElementsAre("1", " \"a,b\"", "", "3"));
  split_cells("  1 \t 2   3 ", ' ', cells);
  EXPECT_THAT(cells, ElementsAre("1", "2", "3"));
}

TEST(ParseCell, TakesNumbersOnly) {
  double value = 0;
  EXPECT_TRUE(parse_cell(" +1.5e3 ", '.', value));
  EXPECT_DOUBLE_EQ(value, 1500);
  EXPECT_TRUE(parse_cell("\"-2,25\"", ',', value));
  EXPECT_DOUBLE_EQ(value, -2.25);
  for (const char* text : {"", "nan", "inf", "1.5V", "--", "0x10", "1 2"})
    EXPECT_FALSE(parse_cell(text, '.', value)) << text;
}

}  // namespace
}  // namespace vprism::delimited_test
