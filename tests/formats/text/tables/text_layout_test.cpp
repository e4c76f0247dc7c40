// The layout of a text table by itself: where it starts, what the preamble says, what is not a preamble.
#include "formats/text/tables/text_layout.h"

#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::text_layout_test {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::Pair;

TextLayout layout_of(const std::string& text, const ReadSettings& settings = {}) {
  FileHead head;
  head.path = "x.txt";
  head.bytes = text;
  head.size = text.size();
  return find_text_layout(head, settings);
}

TEST(TextLayout, FindsTheFirstRowOfNumbers) {
  const TextLayout layout = layout_of("Recorder,none\n\nTime,A\n0,1\n1,2\n2,3\n");
  EXPECT_EQ(layout.data_line, 4);
  EXPECT_EQ(layout.data_offset, 22u);
  EXPECT_EQ(layout.delimiter, ',');
  EXPECT_EQ(layout.time, 0u);
  EXPECT_THAT(layout.cells, ElementsAre(0, 1));
}

struct Key {
  const char* line;
  double interval_s;
};

class PreambleKeys : public ::testing::TestWithParam<Key> {};

TEST_P(PreambleKeys, GiveTheInterval) {
  const TextLayout layout = layout_of(std::string(GetParam().line) + "\nA,B\n1,5\n1,6\n2,5\n1,7\n");
  EXPECT_NEAR(layout.interval_s, GetParam().interval_s, 1e-9 * GetParam().interval_s) << GetParam().line;
}

INSTANTIATE_TEST_SUITE_P(Usual, PreambleKeys,
                         ::testing::Values(Key{"Sample Interval,1e-6,s", 1e-6},
                                           Key{"Sample interval: 20 us", 2e-5}, Key{"XIncrement,0.5", 0.5},
                                           Key{"Sampling rate (kHz): 4", 0.25e-3},
                                           Key{"# fs = 1000 Hz", 1e-3}, Key{"Sample Rate,2,MS/s", 0.5e-6},
                                           Key{"dt=0.01", 0.01}, Key{"Sampling frequency,50,Hz", 0.02},
                                           Key{"Time step,2,ms", 2e-3}, Key{"Horizontal rate: 10", 0.1}));

class OtherKeys : public ::testing::TestWithParam<const char*> {};

TEST_P(OtherKeys, GiveNone) {
  const TextLayout layout = layout_of(std::string(GetParam()) + "\nA,B\n1,5\n1,6\n2,5\n1,7\n");
  EXPECT_EQ(layout.interval_s, 0) << GetParam();
}

INSTANTIATE_TEST_SUITE_P(Unrelated, OtherKeys,
                         ::testing::Values("Heart rate: 60 1/min", "Sample interval: 5 V",
                                           "Sample interval: none", "Sampling rate: -5 Hz",
                                           "Sampling rate: 0 Hz", "Operator: dt"));

TEST(TextLayout, KeepsThePreambleAsNotes) {
  const TextLayout layout = layout_of("Recorder: bench 4\nRange,5,V\nTime (s),A (V)\n0,1\n1,2\n2,3\n3,1\n");
  EXPECT_THAT(layout.notes, Contains(Pair("Recorder", "bench 4")));
  EXPECT_THAT(layout.notes, Contains(Pair("Range", "5 V")));
  EXPECT_EQ(layout.columns[1].name, "A");
}

TEST(TextLayout, DeclaredLengthIsKept) {
  EXPECT_EQ(layout_of("Record Length,4,points\nTime,A\n0,1\n1,2\n2,3\n3,1\n").declared, 4);
  EXPECT_EQ(layout_of("Points: many\nTime,A\n0,1\n1,2\n2,3\n3,1\n").declared, -1);
}

TEST(TextLayout, TimeUnitsAreTurnedIntoSeconds) {
  EXPECT_DOUBLE_EQ(layout_of("t (ms),A\n0,1\n1,2\n2,3\n").time_factor, 1e-3);
  EXPECT_DOUBLE_EQ(layout_of("Time [min],A\n0,1\n1,2\n2,3\n").time_factor, 60);
  EXPECT_DOUBLE_EQ(layout_of("time/us,A\n0,1\n1,2\n2,3\n").time_factor, 1e-6);
}

TEST(TextLayout, AnAxisInAnotherUnitIsAPositionOrAFrequency) {
  const TextLayout scan = layout_of("Stage position (um),A\n0,1\n1,2\n2.5,3\n");
  EXPECT_EQ(scan.time, 0u);
  EXPECT_EQ(scan.axis.domain, Axis::Domain::other);
  EXPECT_EQ(scan.axis.unit.text(), "um");
  const TextLayout spectrum = layout_of("Frequency (kHz),Level (dB)\n0,1\n1,2\n2.5,3\n");
  EXPECT_EQ(spectrum.axis.domain, Axis::Domain::frequency);
  EXPECT_DOUBLE_EQ(spectrum.time_factor, 1000);
  ASSERT_EQ(spectrum.cautions.size(), 1u);
  EXPECT_EQ(spectrum.cautions[0].code, "looks-like-spectrum");
  EXPECT_EQ(layout_of("Force (N),A\n0,1\n1,2\n2.5,3\n").time, std::nullopt);
}

TEST(TextLayout, ACommaIsDelimiterOrDecimalMarkAsTheRowsSay) {
  EXPECT_EQ(layout_of("0,5;1,5\n0,6;1,4\n0,7;1,3\n").decimal, ',');
  EXPECT_EQ(layout_of("0,5 1,5\n0,6 1,4\n0,7 1,3\n").decimal, ',');
  EXPECT_EQ(layout_of("0.5,1.5\n0.6,1.4\n0.7,1.3\n").decimal, '.');
  EXPECT_EQ(layout_of("0,5\t1,5\n0,6\t1,4\n0,7\t1,3\n").delimiter, '\t');
}

TEST(TextLayout, TextWithoutATableIsRefused) {
  EXPECT_THROW(layout_of("no numbers here\nnor here\n"), Error);
  EXPECT_THROW(layout_of("nan,nan\nnan,nan\n"), Error);
}

}  // namespace
}  // namespace vprism::text_layout_test
