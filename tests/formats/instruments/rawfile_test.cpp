// Rawfiles: two written by a circuit simulator (tests/data), the others laid out by hand.
#include <gmock/gmock.h>

#include <cmath>
#include <complex>
#include <numbers>

#include "formats/reading.h"

namespace vprism::rawfile_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

/// The simulated circuit: 1 V step at 1 us (1 ns rise) into 1 kohm and 1 uF; swept by 1 V.
constexpr double time_constant = 1e-3;

std::string simulated(const char* name) { return std::string(VPRISM_SOURCE "/tests/data/") + name; }

class SimulatorFiles : public ::testing::TestWithParam<const char*> {};

TEST_P(SimulatorFiles, TransientFollowsTheClosedForm) {
  const WholeRecording r = read_file(simulated(GetParam()));
  EXPECT_THAT(r.names(), ElementsAre("v(in)", "v(out)", "i(v1)"));
  ASSERT_EQ(r.recording.parts.size(), 3u);
  EXPECT_EQ(r.recording.part, 1u);
  EXPECT_TRUE(r.recording.axis.stamped);
  EXPECT_EQ(r.recording.channels[2].unit.text(), "A");
  ASSERT_EQ(r.stamps.size(), 281u);
  EXPECT_NEAR(r.stamps.back(), 5e-3, 1e-12);
  for (std::size_t n = 0; n < r.stamps.size(); ++n) {
    const double t = r.stamps[n] - 1.0005e-6;
    const double out = t > 0 ? 1 - std::exp(-t / time_constant) : 0;
    EXPECT_NEAR(r.columns[1][n], out, 1e-3) << r.stamps[n];  // The simulator's own tolerance.
    EXPECT_NEAR(r.columns[2][n], -(r.columns[0][n] - r.columns[1][n]) / 1e3, 1e-9);
  }
}

TEST_P(SimulatorFiles, SweepIsAComplexSpectrumWithItsPhase) {
  ReadSettings settings;
  settings.part = "AC Analysis";
  const WholeRecording r = read_file(simulated(GetParam()), settings);
  EXPECT_TRUE(r.recording.complex);
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  ASSERT_EQ(r.stamps.size(), 16u);
  EXPECT_NEAR(r.stamps.front(), 10, 1e-9);
  EXPECT_NEAR(r.stamps.back(), 1e4, 1e-6);
  for (std::size_t n = 0; n < 16; ++n) {
    const std::complex<double> h =
        1.0 / std::complex<double>(1, 2 * std::numbers::pi * r.stamps[n] * time_constant);
    EXPECT_NEAR(r.columns[1][n], h.real(), 1e-9);
    EXPECT_NEAR(r.columns[4][n], h.imag(), 1e-9);
  }
}

TEST_P(SimulatorFiles, OperatingPointHasOneSampleAndNoAxis) {
  ReadSettings settings;
  settings.part = "1";
  const WholeRecording r = read_file(simulated(GetParam()), settings);
  EXPECT_EQ(r.recording.samples, 1);
  EXPECT_EQ(r.columns.size(), 3u);
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::other);
}

INSTANTIATE_TEST_SUITE_P(Both, SimulatorFiles, ::testing::Values("rc-binary.raw", "rc-text.raw"));

std::string header(const std::string& flags, int points, const char* mark = "Binary:\n") {
  return "Title: t\nDate: d\nPlotname: Transient Analysis\nFlags: " + flags +
         "\nNo. Variables: 3\nNo. Points: " + std::to_string(points) +
         "\nVariables:\n\t0\ttime\ttime\n\t1\tV(a)\tvoltage\n\t2\tI(b)\tcurrent\n" + mark;
}

template <typename T>
void put(std::string& bytes, T value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

TEST(Rawfile, SinglePrecisionBehindADoubleTimeIsToldByTheLength) {
  const ScratchFolder folder;
  std::string bytes = header("real forward", 4);
  for (int n = 0; n < 4; ++n) {
    put(bytes, (n == 2 ? -1 : 1) * 1e-3 * n);  // A negative time marks a compressed point.
    put(bytes, 0.5f * static_cast<float>(n));
    put(bytes, -2.0f * static_cast<float>(n));
  }
  const WholeRecording r = read_file(folder.write("x.raw", bytes));
  EXPECT_THAT(r.columns[0], ElementsAre(0, 0.5, 1, 1.5));
  EXPECT_THAT(r.columns[1], ElementsAre(0, -2, -4, -6));
  EXPECT_DOUBLE_EQ(r.stamps[2], 2e-3);
  EXPECT_FALSE(r.recording.axis.stamped);
}

TEST(Rawfile, AHeaderInUtf16IsRead) {
  const ScratchFolder folder;
  std::string wide;
  for (const char c : header("real", 2)) (wide += c) += '\0';
  for (int n = 0; n < 2; ++n)
    for (int v = 0; v < 3; ++v) put(wide, double(n + v));
  const WholeRecording r = read_file(folder.write("x.raw", wide));
  EXPECT_THAT(r.names(), ElementsAre("V(a)", "I(b)"));
  EXPECT_THAT(r.columns[1], ElementsAre(2, 3));
}

TEST(Rawfile, SteppedRunsAreParts) {
  const ScratchFolder folder;
  std::string bytes = header("real stepped", 7);
  for (const double t : {0., 1., 2., 0., 1., 2., 3.})
    for (const double v : {t, 10 * t, -t}) put(bytes, v);
  const std::string path = folder.write("x.raw", bytes);
  const WholeRecording first = read_file(path);
  ASSERT_EQ(first.recording.parts.size(), 2u);
  EXPECT_EQ(first.recording.samples, 3);
  ReadSettings settings;
  settings.part = "Transient Analysis, run 2";
  EXPECT_THAT(read_file(path, settings).columns[0], ElementsAre(0, 10, 20, 30));
}

TEST(Rawfile, CountsThatDoNotFitAreErrorsOrCautions) {
  const ScratchFolder folder;
  const std::string three = [] {
    std::string bytes;
    for (int n = 0; n < 9; ++n) put(bytes, double(n));
    return bytes;
  }();
  EXPECT_THAT(error_of(folder.write("a.raw", header("real", 9) + three)), HasSubstr("cut short"));
  const WholeRecording stopped = read_file(folder.write("b.raw", header("real", 0) + three));
  EXPECT_EQ(stopped.recording.samples, 3);
  EXPECT_TRUE(stopped.warns_of("length-disagrees"));
  EXPECT_TRUE(read_file(folder.write("c.raw", header("real", 2) + three)).warns_of("trailing-data"));
  EXPECT_THAT(error_of(folder.write("d.raw", header("real", 3, "Values:\n") + "0 0\n1\n2\n1 1\nx\n3\n")),
              HasSubstr("\"x\""));
  EXPECT_THAT(error_of(folder.write("e.raw", header("real", 3, "Values:\n") + "0 0\n1\n2\n1 1\n2\n3\n")),
              HasSubstr("cut short"));
  std::string negative = header("real", 3);
  negative.replace(negative.find("Points: 3"), 9, "Points: -3");
  EXPECT_THAT(error_of(folder.write("f.raw", negative + three)), HasSubstr("no count"));
}

}  // namespace
}  // namespace vprism::rawfile_test
