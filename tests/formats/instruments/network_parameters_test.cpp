// network_parameters_test.cpp: files after the specification of the IBIS Open Forum: its defaults, orders,
// units, triangles and what may follow the data.
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "formats/reading.h"

namespace vprism::network_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

WholeRecording read_as(const std::string& name, const std::string& text) {
  const ScratchFolder folder;
  return read_file(folder.write(name, text));
}

double part(const WholeRecording& r, std::size_t channel, std::size_t at, bool imaginary) {
  return r.columns[channel + (imaginary ? r.recording.channels.size() : 0)][at];
}

TEST(NetworkParameters, DefaultsAreThoseOfTheSpecification) {
  // GHz, S, magnitude and angle, 50 ohm.
  const WholeRecording r =
      read_as("load.s1p", "! a load\n#\n0.5 0.25 90 ! first\n1.0 0.5 -180\n1.5 0.75 0\n");
  EXPECT_THAT(r.names(), ElementsAre("S11"));
  EXPECT_TRUE(r.recording.complex);
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_NEAR(r.recording.axis.start, 0.5e9, 1);
  EXPECT_NEAR(r.recording.axis.interval, 0.5e9, 1);
  EXPECT_NEAR(part(r, 0, 0, true), 0.25, 1e-12);
  EXPECT_NEAR(part(r, 0, 1, false), -0.5, 1e-12);
}

TEST(NetworkParameters, ANegativeMagnitudeIsHalfATurn) {
  const WholeRecording r = read_as("odd.s1p", "# GHz S MA R 50\n1 -0.5 0\n2 0.5 0\n3 0.5 90\n");
  EXPECT_EQ(part(r, 0, 0, false), -0.5);
  EXPECT_NEAR(part(r, 0, 2, true), 0.5, 1e-12);
}

TEST(NetworkParameters, TwoPortsStandColumnByColumnAndNoiseIsNamed) {
  const WholeRecording r = read_as("amp.s2p",
                                   "# MHz S RI R 75\n100 11 0 21 0 12 0 22 0\n200 11.5 1 21 0 12 0 22 0\n"
                                   "300 11 0 21 0 12 0 22 0\n100 2 0.5 30 0.4\n200 2 0.5 30 0.4\n");
  EXPECT_THAT(r.names(), ElementsAre("S11", "S21", "S12", "S22"));
  EXPECT_EQ(r.columns[0].size(), 3u);
  EXPECT_EQ(part(r, 1, 0, false), 21);
  EXPECT_EQ(part(r, 2, 0, false), 12);
  EXPECT_EQ(part(r, 0, 1, true), 1);
  EXPECT_TRUE(r.warns_of("sets-left-out"));
  EXPECT_THAT(r.recording.notes,
              ::testing::Contains(std::pair<std::string, std::string>("reference", "75 ohm")));
}

TEST(NetworkParameters, ThreePortsGoRowByRowOverLines) {
  const WholeRecording r =
      read_as("tee.s3p",
              "# kHz S DB R 50\n1 -20 0 -40 90 -60 0\n  -6 0 0 0 -20 180\n  0 0 0 0 -20 0\n"
              "2 -20 0 -40 90 -60 0\n  -6 0 0 0 -20 180\n  0 0 0 0 -20 0\n");
  EXPECT_THAT(r.names(), ElementsAre("S11", "S12", "S13", "S21", "S22", "S23", "S31", "S32", "S33"));
  EXPECT_NEAR(part(r, 1, 0, true), 0.01, 1e-12);
  EXPECT_NEAR(part(r, 5, 1, false), -0.1, 1e-12);
  EXPECT_NEAR(r.recording.axis.start, 1000, 1e-9);
}

TEST(NetworkParameters, ImpedancesOfVersion1AreFreedFromTheReference) {
  const WholeRecording one = read_as("coil.z1p", "# Hz Z RI R 50\n10 1 2\n20 1 4\n");
  EXPECT_THAT(one.names(), ElementsAre("Z11"));
  EXPECT_EQ(part(one, 0, 1, true), 200);
  EXPECT_EQ(one.recording.channels[0].unit.text(), "ohm");
  const std::string two =
      "[Version] 2.0\n# Hz Z RI R 50\n[Number of Ports] 2\n[Two-Port Data Order] 12_21\n"
      "[Number of Frequencies] 2\n[Reference] 50 25.0\n[Matrix Format] Lower\n[Network Data]\n"
      "10 1 0 2 0 3 0\n20 1 0 2 5 3 0\n[End]\n";
  const WholeRecording lower = read_as("two.ts", two);
  EXPECT_THAT(lower.names(), ElementsAre("Z11", "Z21", "Z22"));
  EXPECT_EQ(part(lower, 1, 1, true), 5);
  EXPECT_EQ(lower.columns[0].size(), 2u);
}

TEST(NetworkParameters, WhatIsMissingOrDamagedIsSaid) {
  const WholeRecording cut =
      read_as("amp.s2p", "# GHz S RI R 50\n1 1 2 3 4 5 6 7 8\n2 1 2 3 4 5 6 7 8\n3 1 2\n");
  EXPECT_TRUE(cut.warns_of("values-left-out"));
  const auto complaint = [](const std::string& name, const std::string& text) -> std::string {
    try {
      read_as(name, text);
    } catch (const Error& error) {
      EXPECT_EQ(error.status(), Status::input);
      return error.what();
    }
    return "read";
  };
  EXPECT_THAT(complaint("a.s1p", "# GHz S MA R 50\n1 0.5 x\n"), HasSubstr("a.s1p:2: \"x\" is not a number"));
  EXPECT_THAT(complaint("a.s99p", "# GHz S MA R 50\n1 0.5 1\n"), HasSubstr("99 ports"));
  EXPECT_THAT(complaint("a.s2p", "# GHz S MA R 50\n1 0.5 1\n"), HasSubstr("no whole set"));
  // Text with a comment of that kind is still text.
  const WholeRecording text = read_as("a.csv", "# Hz of each row\n1,2\n2,3\n3,4\n4,5\n");
  EXPECT_FALSE(text.recording.complex);
}

}  // namespace
}  // namespace vprism::network_test
