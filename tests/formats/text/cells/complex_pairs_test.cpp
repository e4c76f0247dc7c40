// complex_pairs_test.cpp: columns that are parts of complex channels.
#include "formats/text/cells/complex_pairs.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "formats/reading.h"

namespace vprism::complex_pairs_test {
namespace {

using Kind = TitlePart::Kind;

TEST(ComplexPairs, TitlesSayWhatTheirColumnsAre) {
  const std::tuple<const char*, Kind, const char*> titles[] = {{"Re(V(out))", Kind::real, "V(out)"},
                                                               {"S21 imag", Kind::imaginary, "S21"},
                                                               {"|H|", Kind::magnitude, "H"},
                                                               {"mag_in", Kind::magnitude, "in"},
                                                               {"Phase", Kind::phase, ""},
                                                               {"response.im", Kind::imaginary, "response"},
                                                               {"real", Kind::real, ""},
                                                               {"reference", Kind::none, ""},
                                                               {"image height", Kind::none, ""},
                                                               {"Abs(Z)", Kind::magnitude, "Z"},
                                                               {"phase U", Kind::phase, "U"},
                                                               {"remote", Kind::none, ""}};
  for (const auto& [title, kind, base] : titles) {
    const TitlePart part = part_of_title(title);
    EXPECT_EQ(part.kind, kind) << title;
    EXPECT_EQ(part.base, base) << title;
  }
}

class ComplexText : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const std::string& complex = "auto") {
    ReadSettings settings;
    settings.complex = complex;
    folder_.write("t.csv", text);
    return read_file(folder_.path("t.csv"), settings);
  }
  ScratchFolder folder_;
};

TEST_F(ComplexText, RealAndImaginaryColumnsAreOneChannel) {
  const WholeRecording r = read(
      "frequency (Hz),V(out) im (V),V(out) re (V),I(R1) re (A),I(R1) im (A)\n"
      "10,-1,2,3,4\n20,-2,3,4,5\n30,-3,4,5,6\n40,-4,5,6,7\n");
  ASSERT_TRUE(r.recording.complex);
  ASSERT_EQ(r.recording.channels.size(), 2u);
  EXPECT_EQ(r.recording.channels[0].name, "V(out)");
  EXPECT_EQ(r.recording.channels[0].unit.text(), "V");
  EXPECT_EQ(r.columns[0], (std::vector<double>{2, 3, 4, 5}));
  EXPECT_EQ(r.columns[2], (std::vector<double>{-1, -2, -3, -4}));
  EXPECT_EQ(r.columns[3], (std::vector<double>{4, 5, 6, 7}));
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
}

TEST_F(ComplexText, MagnitudesInDecibelsAndPhasesAreTurned) {
  const WholeRecording r =
      read("Frequency (Hz);Magnitude (dB);Phase (deg)\n10;-20;90\n20;0;-180\n30;6.0206;45\n40;20;0\n");
  ASSERT_TRUE(r.recording.complex);
  ASSERT_EQ(r.columns.size(), 2u);
  EXPECT_NEAR(r.columns[0][0], 0, 1e-12);
  EXPECT_NEAR(r.columns[1][0], 0.1, 1e-12);
  EXPECT_NEAR(r.columns[0][1], -1, 1e-12);
  EXPECT_NEAR(r.columns[0][2], 2 * std::sqrt(0.5), 1e-5);
  EXPECT_NEAR(r.columns[0][3], 10, 1e-12);
  EXPECT_EQ(r.recording.channels[0].unit.text(), "1");
}

TEST_F(ComplexText, WhatDoesNotPairStaysAsItIs) {
  for (const char* text : {"time (s),x re (V),x im (A)\n0,1,2\n1,2,3\n2,3,4\n",
                           "time (s),x re (V),x im (V),temperature (K)\n0,1,2,3\n1,2,3,4\n2,3,4,5\n",
                           "time (s),phase U (V),phase V (V)\n0,1,2\n1,2,3\n2,3,4\n"})
    EXPECT_FALSE(read(text).recording.complex) << text;
  const char* pair = "time (s),x re (V),x im (V)\n0,1,2\n1,2,3\n2,3,4\n";
  EXPECT_TRUE(read(pair).recording.complex);
  EXPECT_FALSE(read(pair, "off").recording.complex);
  EXPECT_TRUE(read("time (s),a (V),b (V)\n0,1,2\n1,2,3\n2,3,4\n", "pairs").recording.complex);
  EXPECT_THROW(read("time (s),a (V)\n0,1\n1,2\n2,3\n", "pairs"), Error);
}

}  // namespace
}  // namespace vprism::complex_pairs_test
