// Universal files laid out by hand in the columns of the specification.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "formats/reading.h"

namespace vprism::universal_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

struct FunctionText {
  int type = 1, data = 2, values = 6, even = 1, node = 12, direction = 3;
  double minimum = 0, increment = 0.125;
  int abscissa = 17, ordinate = 12;
  std::string abscissa_unit = "s", ordinate_unit = "m/s^2";
  std::string first = "    58";

  std::string header() const {
    std::string out = "    -1\n" + first + "\nNONE\nrun 7\nNONE\nNONE\nNONE\n";
    out += fmt::format("{:5d}{:10d}{:5d}{:10d} {:<10}{:10d}{:4d} {:<10}{:10d}{:4d}\n", type, 1, 1, 0, "NONE",
                       node, direction, "NONE", 3, -1);
    out += fmt::format("{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", data, values, even, minimum, increment,
                       0.0);
    out += fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20} {:<20}\n", abscissa, 0, 0, 0, "Axis", abscissa_unit);
    out += fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20} {:<20}\n", ordinate, 0, 0, 0, "Level", ordinate_unit);
    for (int i = 0; i < 2; ++i)
      out += fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20} {:<20}\n", 0, 0, 0, 0, "NONE", "NONE");
    return out;
  }
};

std::string numbers(const std::vector<double>& values, int width, int per_line) {
  std::string out;
  for (std::size_t i = 0; i < values.size(); ++i) {
    out += width == 13 ? fmt::format("{:13.5e}", values[i]) : fmt::format("{:20.12e}", values[i]);
    if ((i + 1) % static_cast<std::size_t>(per_line) == 0 || i + 1 == values.size()) out += "\n";
  }
  return out;
}

TEST(Universal, EvenRealFunctionsOfOneKindAreTheChannels) {
  const ScratchFolder folder;
  FunctionText a, b;
  b.data = 4;
  b.node = 13;
  b.direction = -1;
  b.ordinate = 13;
  b.ordinate_unit = "N";
  // No blanks stand between negative numbers in 13 columns.
  const WholeRecording r = read_file(
      folder.write("x.uff", a.header() + numbers({-1, -2, -3, -4, -5, -6}, 13, 6) + "    -1\n" + b.header() +
                                numbers({1.5, 2.5, 3.5, 4.5, 5.5, 6.123456789012}, 20, 4) + "    -1\n"));
  EXPECT_THAT(r.names(), ElementsAre("12+Z", "13-X"));
  EXPECT_EQ(r.recording.channels[1].point, "13-X");
  EXPECT_EQ(r.recording.channels[0].unit.text(), "m/s^2");
  EXPECT_EQ(r.recording.channels[1].quantity, "force");
  EXPECT_DOUBLE_EQ(r.recording.axis.interval, 0.125);
  EXPECT_THAT(r.columns[0], ElementsAre(-1, -2, -3, -4, -5, -6));
  EXPECT_DOUBLE_EQ(r.columns[1][5], 6.123456789012);
}

TEST(Universal, UnevenAbscissaeAreStamps) {
  const ScratchFolder folder;
  FunctionText f;
  f.even = 0;
  f.values = 3;
  f.abscissa_unit = "ms";
  const WholeRecording r =
      read_file(folder.write("x.uff", f.header() + numbers({0, 1, 0.5, 2, 4, 3}, 13, 6) + "    -1\n"));
  EXPECT_TRUE(r.recording.axis.stamped);
  EXPECT_THAT(r.stamps, ElementsAre(0, ::testing::DoubleEq(0.5e-3), ::testing::DoubleEq(4e-3)));
  EXPECT_THAT(r.columns[0], ElementsAre(1, 2, 3));
  // Double precision: the abscissa keeps its 13 columns.
  f.data = 4;
  const WholeRecording wide = read_file(folder.write(
      "y.uff",
      f.header() +
          fmt::format("{:13.5e}{:20.12e}{:13.5e}{:20.12e}\n{:13.5e}{:20.12e}\n", 0., 1., .5, 2., 4., 3.) +
          "    -1\n"));
  EXPECT_THAT(wide.columns[0], ElementsAre(1, 2, 3));
}

TEST(Universal, FrequencyFunctionsAreComplexSpectraOverTheirReference) {
  const ScratchFolder folder;
  FunctionText f;
  f.type = 4;
  f.data = 5;
  f.values = 2;
  f.abscissa = 18;
  f.abscissa_unit = "Hz";
  f.minimum = 10;
  f.increment = 0.5;
  std::string text = f.header();
  // The denominator: force.
  const std::size_t ten = text.find("         0    0    0    0 NONE");
  text.replace(ten, 10, "        13");
  const WholeRecording r =
      read_file(folder.write("x.uff", text + numbers({1, -2, 3, -4}, 13, 6) + "    -1\n"));
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_TRUE(r.recording.complex);
  EXPECT_THAT(r.columns[0], ElementsAre(1, 3));
  EXPECT_THAT(r.columns[1], ElementsAre(-2, -4));
  EXPECT_EQ(r.recording.axis.start, 10);
  EXPECT_EQ(r.recording.channels[0].name, "12+Z / 3-X");
  EXPECT_TRUE(r.recording.channels[0].unit.converts_to(Unit::parse("m/(s^2 N)")))
      << r.recording.channels[0].unit.text();
}

TEST(Universal, BinaryBlocksOfEitherByteOrder) {
  const ScratchFolder folder;
  for (const bool big : {false, true}) {
    FunctionText f;
    f.values = 3;
    f.first = fmt::format("    58b{:6d}{:6d}{:12d}{:12d}{:6d}{:6d}{:12d}{:12d}", big ? 2 : 1, 2, 11, 12, 0, 0,
                          0, 0);
    std::string bytes;
    for (const float x : {1.5f, -2.5f, 3.5f}) {
      char raw[4];
      std::copy_n(reinterpret_cast<const char*>(&x), 4, raw);
      if (big) std::reverse(raw, raw + 4);
      bytes.append(raw, 4);
    }
    const WholeRecording r = read_file(folder.write("x.uff", f.header() + bytes + "\n    -1\n"));
    EXPECT_THAT(r.columns[0], ElementsAre(1.5, -2.5, 3.5)) << big;
  }
}

TEST(Universal, NodesAreKeptAndOtherSetsPassedOver) {
  const ScratchFolder folder;
  const std::string nodes =
      "    -1\n    15\n" +
      fmt::format("{:10d}{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", 12, 0, 0, 8, 0.5, -1.0, 2.0) +
      "    -1\n";
  const std::string other = "    -1\n   151\nmodel\n\n    -1\n";
  const WholeRecording r = read_file(folder.write(
      "x.uff", other + nodes + FunctionText().header() + numbers({1, 2, 3, 4, 5, 6}, 13, 6) + "    -1\n"));
  ASSERT_EQ(r.recording.nodes.size(), 1u);
  EXPECT_EQ(r.recording.nodes[0].label, 12);
  EXPECT_EQ(r.recording.nodes[0].y, -1);
}

TEST(Universal, SixDigitsOfIntervalStandForTheWholeRate) {
  const ScratchFolder folder;
  FunctionText f;
  f.increment = 1.0 / 4096;
  const std::string values = numbers({1, 2, 3, 4, 5, 6}, 13, 6) + "    -1\n";
  const WholeRecording r = read_file(folder.write("x.uff", f.header() + values));
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 4096);
  EXPECT_TRUE(r.warns_of("rate-rounded"));
  f.increment = 0.00024;
  EXPECT_FALSE(read_file(folder.write("y.uff", f.header() + values)).warns_of("rate-rounded"));
}

TEST(Universal, DamageIsTold) {
  const ScratchFolder folder;
  const FunctionText f;
  const auto error_with = [&](const std::string& text) { return error_of(folder.write("x.uff", text)); };
  const std::string values = numbers({1, 2, 3, 4, 5, 6}, 13, 6);
  EXPECT_THAT(error_with(f.header() + numbers({1, 2}, 13, 6) + "    -1\n"), HasSubstr("promises 6 values"));
  EXPECT_THAT(error_with(f.header() + values), HasSubstr("no end"));
  EXPECT_THAT(error_with(f.header() + "  1.00000E+00  oops\n    -1\n"), HasSubstr("\"oops\""));
  FunctionText bad = f;
  bad.values = -6;
  EXPECT_THAT(error_with(bad.header() + values + "    -1\n"), HasSubstr("-6 values"));
  bad = f;
  bad.data = 3;
  EXPECT_THAT(error_with(bad.header() + values + "    -1\n"), HasSubstr("data type 3"));
  bad = f;
  bad.increment = -1;
  EXPECT_THAT(error_with(bad.header() + values + "    -1\n"), HasSubstr("increment"));
  bad = f;
  bad.values = 2000000000;
  EXPECT_THAT(error_with(bad.header() + values + "    -1\n"), HasSubstr("promised"));
  bad = f;
  bad.first = "    58b     1     2          11   999999999     0     0           0           0";
  EXPECT_THAT(error_with(bad.header() + "xx\n    -1\n"), HasSubstr("cut short"));
}

TEST(Universal, OfUnequalLengthsTheShortestCounts) {
  const ScratchFolder folder;
  FunctionText shorter;
  shorter.values = 4;
  const WholeRecording r = read_file(
      folder.write("x.uff", FunctionText().header() + numbers({1, 2, 3, 4, 5, 6}, 13, 6) + "    -1\n" +
                                shorter.header() + numbers({1, 2, 3, 4}, 13, 6) + "    -1\n"));
  EXPECT_EQ(r.recording.samples, 4);
  EXPECT_TRUE(r.warns_of("unequal-lengths"));
}

}  // namespace
}  // namespace vprism::universal_test
