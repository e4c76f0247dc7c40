// The ten awkward layouts of docs/formats.md, and what is understood of each; missing cells; overrides.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::awkward_text_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

struct Awkward {
  const char* what;
  std::string text;
  std::vector<std::string> names, units;
  double start, interval;
  std::vector<double> first_channel;
};

std::string utf16(const std::string& text) {
  std::string out = "\xFF\xFE";
  for (const char c : text) (out += c) += '\0';
  return out;
}

void PrintTo(const Awkward& a, std::ostream* out) { *out << a.what; }

class TenLayouts : public ::testing::TestWithParam<Awkward> {};

TEST_P(TenLayouts, AreUnderstoodWithoutOptions) {
  const Awkward& a = GetParam();
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write("x.txt", a.text));
  EXPECT_EQ(r.names(), a.names);
  std::vector<std::string> units;
  for (const Channel& channel : r.recording.channels) units.push_back(channel.unit.text());
  EXPECT_EQ(units, a.units);
  EXPECT_NEAR(r.recording.axis.start, a.start, 1e-12);
  EXPECT_NEAR(r.recording.axis.interval, a.interval, 1e-9 * a.interval);
  EXPECT_FALSE(r.recording.axis.stamped);
  ASSERT_FALSE(r.columns.empty());
  EXPECT_EQ(r.columns[0], a.first_channel);
}

INSTANTIATE_TEST_SUITE_P(
    Ten, TenLayouts,
    ::testing::Values(
        Awkward{"semicolons, decimal commas, a row of units",
                "Messung 12\nZeit;Spannung;Strom\ns;V;mA\n0,0;1,5;10\n0,1;1,25;20\n0,2;1,0;30\n",
                {"Spannung", "Strom"},
                {"V", "mA"},
                0,
                0.1,
                {1.5, 1.25, 1.0}},
        Awkward{"settings beside the first rows",
                "Record Length,4,points,-0.002,1.5\nSample "
                "Interval,0.001,s,-0.001,2.5\nProbe,10,,0.000,3.5\n,,,0.001,4.5\n",
                {"channel 1"},
                {"1"},
                -0.002,
                0.001,
                {1.5, 2.5, 3.5, 4.5}},
        Awkward{"no time column, a rate in the preamble",
                "# Sampling rate: 2 kHz\n# Sensor: fork\nacc [m/s^2]\n0.5\n0.25\n-0.5\n-0.25\n",
                {"acc"},
                {"m/s^2"},
                0,
                0.0005,
                {0.5, 0.25, -0.5, -0.25}},
        Awkward{"no time column, a total time in the preamble",
                "Total time,8,ms\nCH1 (V),CH2 (V)\n1,5\n3,6\n2,5\n4,7\n",
                {"CH1", "CH2"},
                {"V", "V"},
                0,
                0.002,
                {1, 3, 2, 4}},
        Awkward{"blanks in columns, blanks in titles",
                "   Time  Motor current  Load\n   (ms)            (A)   (N)\n    0.0           1.50    7\n   "
                " 2.0           2.50    8\n    4.0           3.50    9\n",
                {"Motor current", "Load"},
                {"A", "N"},
                0,
                0.002,
                {1.5, 2.5, 3.5}},
        Awkward{"UTF-16 with tabs and CRLF",
                utf16("t (ms)\tU/V\r\n0\t1\r\n1\t2\r\n2\t4\r\n"),
                {"U"},
                {"V"},
                0,
                0.001,
                {1, 2, 4}},
        Awkward{"dates and times as stamps",
                "when,level "
                "(Pa)\n2026-11-03T21:14:05.000Z,1\n2026-11-03T21:14:05.010Z,2\n2026-11-03T21:14:05.020Z,4\n",
                {"level"},
                {"Pa"},
                0,
                0.01,
                {1, 2, 4}},
        Awkward{
            "date and time of day in two columns",
            "Date;Time;Tilt "
            "(urad)\n2026/11/03;23:59:59,950;1,5\n2026/11/04;00:00:00,000;2,5\n2026/11/04;00:00:00,050;3,5\n",
            {"Tilt"},
            {"urad"},
            0,
            0.05,
            {1.5, 2.5, 3.5}},
        Awkward{"three header rows, quotes, a counting column, notes at the end",
                "\"No\",\"Time\",\"Force, north\"\n\"\",\"s\",\"kN\"\n\"\",\"base\",\"left "
                "cell\"\n1,0.0,5\n2,0.5,6\n3,1.0,7\n4,1.5,8\n\nEnd of test\n",
                {"Force, north"},
                {"kN"},
                0,
                0.5,
                {5, 6, 7, 8}},
        Awkward{"a time column for every channel, all the same",
                "t1 (s),A (V),t2 (s),B (V)\n0,1,0,9\n0.1,2,0.1,8\n0.2,4,0.2,7\n",
                {"A", "B"},
                {"V", "V"},
                0,
                0.1,
                {1, 2, 4}}));

TEST(AwkwardText, ChannelsWithTimesOfTheirOwnAreParts) {
  const ScratchFolder folder;
  const std::string path =
      folder.write("x.csv", "t1 (s),A (V),t2 (ms),B (V)\n0,1,0,9\n0.1,2,1,8\n0.2,4,2,7\n0.3,8,3,6\n");
  const WholeRecording a = read_file(path);
  ASSERT_EQ(a.recording.parts.size(), 2u);
  EXPECT_THAT(a.names(), ElementsAre("A"));
  EXPECT_NEAR(a.recording.axis.interval, 0.1, 1e-12);
  ReadSettings settings;
  settings.part = "B";
  const WholeRecording b = read_file(path, settings);
  EXPECT_THAT(b.columns[0], ElementsAre(9, 8, 7, 6));
  EXPECT_NEAR(b.recording.axis.interval, 0.001, 1e-12);
}

const char* const holes = "t (s),A (V),B (V)\n0,1,10\n1,--,20\n2,3,\n3,nan,40\n4,OVLD,50\n5,6,60\n6,7,\n";

TEST(MissingCells, AreAnErrorUnlessSaidOtherwise) {
  const ScratchFolder folder;
  const std::string text = error_of(folder.write("x.csv", holes));
  // An overload is a gap in any case.
  EXPECT_THAT(text, HasSubstr("x.csv:3:2: \"--\" is not a number; 4 rows like this, first here"));
  EXPECT_THAT(text, HasSubstr("--missing gap"));
}

TEST(MissingCells, AreGapsOrFilledBetweenNeighbours) {
  const ScratchFolder folder;
  const std::string path = folder.write("x.csv", holes);
  ReadSettings settings;
  settings.missing = ReadSettings::Missing::gap;
  const WholeRecording gap = read_file(path, settings);
  ASSERT_EQ(gap.columns[0].size(), 7u);
  EXPECT_TRUE(std::isnan(gap.columns[0][1]));
  EXPECT_EQ(gap.columns[1][1], 20);
  EXPECT_TRUE(std::isnan(gap.columns[1][2]));
  EXPECT_TRUE(std::isnan(gap.columns[1][6]));
  ASSERT_TRUE(gap.warns_of("gaps"));
  EXPECT_THAT(gap.recording.cautions[0].text, HasSubstr("3 cells hold no number, the first in line 3"));
  settings.missing = ReadSettings::Missing::interpolate;
  const WholeRecording filled = read_file(path, settings);
  EXPECT_THAT(filled.columns[0], ElementsAre(1, 2, 3, 4, 5, 6, 7));
  EXPECT_THAT(filled.columns[1], ElementsAre(10, 20, 30, 40, 50, 60, 60));
  EXPECT_TRUE(filled.warns_of("interpolated"));
}

TEST(MissingCells, WordsAreMissingWhereGapsAreAskedFor) {
  const ScratchFolder folder;
  std::string text = "t (s),A (V),B (V)\n";
  for (int n = 0; n < 300; ++n)
    text += std::to_string(n) + "," + (n == 202 ? "<0.01" : std::to_string(n + 1)) + "," +
            (n == 201 || n == 204 ? "BDL" : std::to_string(10 * n)) + "\n";
  const std::string path = folder.write("x.csv", text + "end of data\n");
  EXPECT_THAT(error_of(path),
              HasSubstr("x.csv:203:3: \"BDL\" is not a number; 4 rows like this, first here; use "
                        "--missing gap"));
  ReadSettings settings;
  settings.missing = ReadSettings::Missing::gap;
  const WholeRecording gap = read_file(path, settings);
  ASSERT_EQ(gap.columns[0].size(), 300u);
  EXPECT_TRUE(std::isnan(gap.columns[0][202]));
  EXPECT_TRUE(std::isnan(gap.columns[1][201]));
  EXPECT_EQ(gap.columns[1][202], 2020);
  const auto listed = std::ranges::find(gap.recording.cautions, "B", &Caution::channel);
  ASSERT_NE(listed, gap.recording.cautions.end());
  EXPECT_THAT(
      listed->text,
      HasSubstr("2 cells hold no number, the first in line 203, some of them words, such as \"BDL\""));
  settings.missing = ReadSettings::Missing::interpolate;
  EXPECT_EQ(read_file(path, settings).columns[0][202], 203);
}

TEST(MissingCells, AreFilledAcrossTheBatchesOfALongFile) {
  const ScratchFolder folder;
  // Over 8 MB, so that gaps lie across pieces and batches; every third number is missing.
  std::string text = "t (s),A (V)\n";
  for (int n = 0; n < 600000; ++n) {
    text += std::to_string(n) + "," + (n % 3 == 1 ? "--" : std::to_string(2 * n) + ".000000") + "\n";
  }
  ReadSettings settings;
  settings.missing = ReadSettings::Missing::interpolate;
  const auto source = open_recording(folder.write("x.csv", text), settings);
  Block block = source->make_block();
  std::int64_t n = 0;
  while (source->read(block) > 0)
    for (const double x : block.samples(0)) ASSERT_NEAR(x, 2.0 * static_cast<double>(n++), 1e-6);
  EXPECT_EQ(n, 600000);
}

TEST(MissingCells, ATimeCanNotBeMissing) {
  const ScratchFolder folder;
  ReadSettings settings;
  settings.missing = ReadSettings::Missing::gap;
  EXPECT_THAT(error_of(folder.write("x.csv", "t (s),A (V)\n0,1\n--,2\n2,3\n3,4\n"), settings),
              HasSubstr(":3:1:"));
}

TEST(Overrides, EveryGuessCanBeOverruled) {
  const ScratchFolder folder;
  // One column with decimal commas, or two of whole numbers.
  const std::string path = folder.write("x.txt", "1,5\n2,5\n3,5\n4,5\n");
  EXPECT_EQ(read_file(path).columns[0][0], 5);  // Two columns, the first rising: time.
  ReadSettings comma;
  comma.decimal = ',';
  EXPECT_THAT(read_file(path, comma).columns[0], ElementsAre(1.5, 2.5, 3.5, 4.5));
  ReadSettings rows;
  rows.header_rows = 2;
  rows.axis = "none";
  EXPECT_THAT(read_file(path, rows).columns[0], ElementsAre(3, 4));
  const std::string odd = folder.write("y.txt", "t (s):A:B\n0:1:7\n1:2:8\n2:4:9\n");
  ReadSettings colon;
  colon.delimiter = ':';
  EXPECT_THAT(read_file(odd, colon).names(), ElementsAre("A", "B"));
  colon.columns = "3";
  EXPECT_THAT(read_file(odd, colon).names(), ElementsAre("B"));
  colon.columns = "C";
  EXPECT_THAT(error_of(odd, colon), HasSubstr("unknown column \"C\""));
  rows.header_rows = 40;
  EXPECT_THAT(error_of(path, rows), HasSubstr("--header-rows 40"));
}

TEST(Overrides, TheLayoutIsTold) {
  const ScratchFolder folder;
  const WholeRecording r =
      read_file(folder.write("x.txt", "Recorder: bench 4\n\nt,A\ns,V\n0,1\n1,2\n2,3\nend\n"));
  ASSERT_EQ(r.recording.layout.size(), 6u);
  EXPECT_THAT(r.recording.layout[0].second, HasSubstr("preamble"));
  EXPECT_THAT(r.recording.layout[1].second, HasSubstr("blank"));
  EXPECT_THAT(r.recording.layout[2].second, HasSubstr("names"));
  EXPECT_THAT(r.recording.layout[3].second, HasSubstr("units"));
  EXPECT_EQ(r.recording.layout[4], (std::pair<std::string, std::string>("5..", "data")));
  EXPECT_THAT(r.recording.layout[5].second, HasSubstr("notes"));
}

struct TimeCaution {
  const char* code;
  const char* with;
  const char* without;
};

class TextCautions : public ::testing::TestWithParam<TimeCaution> {};

TEST_P(TextCautions, AreGivenToTheFileThatNeedsThemOnly) {
  const ScratchFolder folder;
  EXPECT_TRUE(read_file(folder.write("with.csv", GetParam().with)).warns_of(GetParam().code));
  EXPECT_FALSE(read_file(folder.write("without.csv", GetParam().without)).warns_of(GetParam().code));
}

const char* const even =
    "t (s),A\n0,1\n0.1,2\n0.2,1\n0.3,2\n0.4,3\n0.5,1\n0.6,2\n0.7,1\n0.8,2\n0.9,3\n1.0,1\n1.1,2\n";

INSTANTIATE_TEST_SUITE_P(
    All, TextCautions,
    ::testing::Values(
        TimeCaution{"axis-jitter", "t (s),A\n0,1\n0.10020,2\n0.19980,1\n0.30020,2\n0.40000,2\n", even},
        TimeCaution{"axis-gap",
                    "t "
                    "(s),A\n0,1\n0.1,2\n0.2,1\n0.3,2\n0.4,3\n0.5,1\n0.6,2\n0.7,1\n0.8,2\n0.9,3\n1.0,1\n1.5,"
                    "2\n1.6,1\n",
                    even},
        TimeCaution{"axis-repeated", "t (s),A\n0,1\n0.1,2\n0.1,1\n0.3,2\n0.4,3\n", even},
        TimeCaution{"axis-reversed", "t (s),A\n0,1\n0.1,2\n0.2,1\n0.15,2\n0.4,3\n0.5,3\n0.6,3\n", even},
        TimeCaution{"axis-uneven", "t (s),A\n0,1\n0.1,2\n0.4,1\n0.45,2\n0.9,3\n", even},
        TimeCaution{"rate-disagrees", "Sampling rate: 100 Hz\nt (s),A\n0,1\n0.1,2\n0.2,1\n",
                    "Sampling rate: 10 Hz\nt (s),A\n0,1\n0.1,2\n0.2,1\n"},
        TimeCaution{"rate-disagrees", "Sampling rate: 100 Hz\nTotal time: 5 s\nA,B\n1,2\n2,1\n1,2\n",
                    "Sampling rate: 100 Hz\nTotal time: 0.03 s\nA,B\n1,2\n2,1\n1,2\n"},
        TimeCaution{"length-disagrees", "Record Length,9\nt (s),A\n0,1\n0.1,2\n0.2,1\n",
                    "Record Length,3\nt (s),A\n0,1\n0.1,2\n0.2,1\n"},
        TimeCaution{"axis-counts", "time,A\n0,1\n1,2\n2,1\n3,2\n", even},
        TimeCaution{"looks-like-spectrum", "Frequency (Hz),Level (dB)\n0,1\n10,2\n20,1\n", even},
        TimeCaution{"trailing-text", "t (s),A\n0,1\n0.1,2\n0.2,1\nend\n", even}));

TEST(TextCautions, ACountingTimeColumnYieldsToTheRateOfThePreamble) {
  const ScratchFolder folder;
  const WholeRecording r =
      read_file(folder.write("x.csv", "Sampling rate: 50 Hz\ntime,A\n0,1\n1,2\n2,1\n3,2\n"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 50, 1e-9);
  EXPECT_FALSE(r.recording.axis.stamped);
}

TEST(AwkwardText, FourThousandColumnsAreChannels) {
  const ScratchFolder folder;
  std::string text = "t (s)", row[3];
  for (int c = 0; c < 4095; ++c) {
    text += ",c" + std::to_string(c);
    for (int n = 0; n < 3; ++n) row[n] += "," + std::to_string(n + c);
  }
  for (int n = 0; n < 3; ++n) text += "\n" + std::to_string(n) + row[n];
  const WholeRecording r = read_file(folder.write("x.csv", text + "\n"));
  ASSERT_EQ(r.columns.size(), 4095u);
  EXPECT_EQ(r.columns[4094][2], 4096);
}

TEST(AwkwardText, NumbersOfEveryFormAreExact) {
  const ScratchFolder folder;
  const char* const forms[] = {"1",
                               "-1",
                               "+1.5",
                               "1.",
                               ".5",
                               "1e3",
                               "1E-3",
                               "-2.5e+10",
                               "0.1",
                               "123456789012345678",
                               "0.30000000000000004",
                               "1e-320",
                               "1.7976931348623157e308",
                               "9007199254740993",
                               "00012.50",
                               "3.14159265358979323846"};
  std::string text = "v\n";
  for (const char* form : forms) text += std::string(form) + "\n";
  ReadSettings settings;
  settings.axis = "none";
  const WholeRecording r = read_file(folder.write("x.txt", text), settings);
  ASSERT_EQ(r.columns[0].size(), std::size(forms));
  for (std::size_t i = 0; i < std::size(forms); ++i)
    EXPECT_EQ(r.columns[0][i], std::strtod(forms[i], nullptr)) << forms[i];
}

// Ticks are settled by the rate that the head says, but not where the user says what they are.
TEST(AwkwardText, TicksAreWhatTheUserSays) {
  const ScratchFolder folder;
  std::string text = "// Update Rate: 100.0Hz\nTick\tu\n";
  for (int n = 0; n < 40; ++n) text += std::to_string(100 * n) + "\t" + std::to_string(n % 7) + "\n";
  text.replace(text.find("Tick"), 4, "SampleTime");
  const std::string path = folder.write("x.txt", text);
  EXPECT_NEAR(read_file(path).recording.axis.rate_hz(), 100, 1e-9);
  ReadSettings settings;
  settings.axis_scaled = true;
  EXPECT_NEAR(read_file(path, settings).recording.axis.rate_hz(), 0.01, 1e-12);
}

// A number alone below a table is none of its rows.
TEST(AwkwardText, ANumberBelowATableEndsNoColumn) {
  const ScratchFolder folder;
  std::string text = "t (s),u (V),i (A)\n";
  for (int n = 0; n < 40; ++n) text += std::to_string(0.01 * n) + "," + std::to_string(n % 7) + ",1.5\n";
  const WholeRecording r = read_file(folder.write("x.csv", text + "40\n"));
  EXPECT_EQ(r.columns[0].size(), 40u);
  EXPECT_TRUE(r.warns_of("trailing-text"));
}

}  // namespace
}  // namespace vprism::awkward_text_test
