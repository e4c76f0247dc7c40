// Heads that say names, units, rate and start in statements of their own: other files than those of the
// corpus.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"
#include "formats/text/clock/clock.h"

namespace vprism::heads_test {
namespace {

using ::testing::ElementsAre;

double u_at(int n) { return std::round(1e4 * std::sin(0.37 * n)) / 1e4; }

template <typename Row>
std::string with_rows(const std::string& head, int count, Row row) {
  std::string text = head;
  for (int n = 0; n < count; ++n) text += row(n);
  return text;
}

class Heads : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const ReadSettings& settings = {}) const {
    return read_file(folder_.write("x.txt", text), settings);
  }
  ScratchFolder folder_;
};

TEST_F(Heads, BlocksBesideEachOtherNeedNoBlankLine) {
  const WholeRecording r = read(with_rows(
      "Export;7\nSignal;a;Signal;b;Signal;c\nCycle [ms];4;Cycle [ms];4;Cycle [ms];4\n", 60, [](int n) {
        return fmt::format("{};{};{};{};{};{}\n", 4 * n, u_at(n), 4 * n, 2 * u_at(n), 4 * n, n % 5);
      }));
  EXPECT_THAT(r.names(), ElementsAre("a", "b", "c"));
  EXPECT_NEAR(r.columns[1][7], 2 * u_at(7), 1e-12);
}

TEST_F(Heads, BlocksBesideEachOtherHaveTheirOwnUnits) {
  const std::string text = with_rows(
      "Name,speed,Name,torque\nUnit,rpm,Unit,N.m\nRange,10,Range,20\n", 60,
      [](int n) { return fmt::format("{},{},{},{}\n", 0.001 * n, u_at(n), 0.002 * n, 3 * u_at(n)); });
  const WholeRecording first = read(text);
  EXPECT_THAT(first.names(), ElementsAre("speed"));
  EXPECT_EQ(first.recording.channels[0].unit.text(), "rpm");
  ReadSettings settings;
  settings.part = "2";
  const WholeRecording second = read(text, settings);
  EXPECT_THAT(second.names(), ElementsAre("torque"));
  EXPECT_EQ(second.recording.channels[0].unit.text(), "N.m");
  EXPECT_NEAR(second.recording.axis.rate_hz(), 500, 1e-6);
}

TEST_F(Heads, WavesAreScaledByAStepALastValueOrAnEnd) {
  for (const char* scale : {"/P x 2,0.005", "/I x 2,2.295", " x 2,2.3"}) {
    const WholeRecording r = read(with_rows("IGOR\nWAVES/D\t'my wave'\tb\nBEGIN\n", 60,
                                            [](int n) { return fmt::format("\t{}\t{}\n", u_at(n), n % 7); }) +
                                  fmt::format("END\nX SetScale{},\"s\", 'my wave', b\n", scale) +
                                  "X SetScale y 0,0,\"V\", 'my wave'\n");
    EXPECT_THAT(r.names(), ElementsAre("my wave", "b")) << scale;
    EXPECT_EQ(r.recording.channels[0].unit.text(), "V") << scale;
    EXPECT_NEAR(r.recording.axis.rate_hz(), 200, 1e-6) << scale;
    EXPECT_NEAR(r.recording.axis.start, 2, 1e-12) << scale;
  }
}

TEST_F(Heads, WavesOfOneBlockThatLieElsewhereGiveNoRate) {
  const WholeRecording r = read(with_rows("IGOR\nWAVES a b\nBEGIN\n", 60,
                                          [](int n) { return fmt::format("{} {}\n", u_at(n), n % 7); }) +
                                "END\nX SetScale/P x 0,0.005,\"s\", a\nX SetScale/P x 0,0.001,\"s\", b\n");
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_EQ(r.recording.axis.interval, 0);
}

TEST_F(Heads, EachWaveHasItsOwnScaling) {
  const std::string text =
      with_rows("IGOR\nWAVES/D\tacc\nBEGIN\n", 40, [](int n) { return fmt::format("\t{}\n", u_at(n)); }) +
      "END\nX SetScale/P x 0,0.002,\"s\", acc; SetScale d 0,0,\"g\", acc\n" +
      with_rows("WAVES/D\tvel\nBEGIN\n", 30, [](int n) { return fmt::format("\t{}\n", 3 * u_at(n)); }) +
      "END\nX SetScale/P x 1,0.004,\"s\", vel; SetScale d 0,0,\"mm/s\", vel\n";
  const WholeRecording first = read(text);
  EXPECT_EQ(first.recording.parts.size(), 2u);
  EXPECT_THAT(first.names(), ElementsAre("acc"));
  EXPECT_NEAR(first.recording.axis.rate_hz(), 500, 1e-9);
  ReadSettings settings;
  settings.part = "2";
  const WholeRecording second = read(text, settings);
  EXPECT_THAT(second.names(), ElementsAre("vel"));
  EXPECT_EQ(second.recording.channels[0].unit.text(), "mm/s");
  EXPECT_NEAR(second.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_NEAR(second.recording.axis.start, 1, 1e-12);
}

TEST_F(Heads, AGraphOfOneCurveIsCalledByItsAxes) {
  const WholeRecording r =
      read(with_rows("# made\n@ title \"Distance\"\n@ xaxis label \"Time (ns)\"\n@ yaxis label \"d (nm)\"\n",
                     50, [](int n) { return fmt::format("{:.2f} {}\n", 0.05 * n, u_at(n)); }));
  EXPECT_THAT(r.names(), ElementsAre("d"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "nm");
  EXPECT_NEAR(r.recording.axis.interval, 0.05e-9, 1e-15);
}

TEST_F(Heads, KeysOfCurvesArePartsByTheirNames) {
  std::string text = "(title \"Wall\")\n(labels \"x\" \"shear\")\n";
  for (const char* name : {"inner", "outer"})
    text += with_rows(fmt::format("\n((xy/key/label \"{}\")\n", name), 30,
                      [](int n) { return fmt::format("{}\t{}\n", 0.25 * n, u_at(n)); }) +
            ")\n";
  ReadSettings settings;
  settings.part = "2";
  const WholeRecording r = read(text, settings);
  EXPECT_EQ(r.recording.parts.size(), 2u);
  EXPECT_THAT(r.names(), ElementsAre("outer"));
}

TEST_F(Heads, AStartAndARateAboveASingleColumn) {
  const WholeRecording r =
      read(with_rows("1700000000.5\n64.0\n", 200, [](int n) { return fmt::format("{}\n", n % 61 - 30); }));
  EXPECT_EQ(r.columns[0].size(), 200u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 64, 1e-9);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_EQ(utc_text(*r.recording.zero_ns).substr(0, 21), "2023-11-14T22:13:20.5");
  EXPECT_TRUE(r.warns_of("numbers-above-the-rows"));
  // A number that is no such start is a sample.
  EXPECT_EQ(read(with_rows("17.5\n64.0\n", 200, [](int n) { return fmt::format("{}.5\n", n % 61); }))
                .columns[0]
                .size(),
            202u);
}

// Far beyond what is looked at first.
TEST_F(Heads, PagesGoOnToTheEndOfALongFile) {
  constexpr int rows = 12'000;
  std::string text;
  for (int n = 0; n < rows; ++n) {
    if (n % 57 == 0)
      text +=
          fmt::format("        * amplifier\n   Transient Analysis  page {}\n{}\nIndex   time      v(1)\n{}\n",
                      n / 57, std::string(70, '-'), std::string(70, '-'));
    text += fmt::format("{}\t{:.6e}\t{:.6e}\t\n", n, 1e-6 * n, u_at(n));
    if (n % 57 == 56) text += "\f\n";
  }
  ASSERT_GT(text.size(), 300'000u);
  const WholeRecording r = read(text);
  ASSERT_EQ(r.columns[0].size(), static_cast<std::size_t>(rows));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1e6, 1e-3);
  EXPECT_NEAR(r.columns[0].back(), u_at(rows - 1), 1e-6);
}

TEST_F(Heads, KindsDefinedFarAboveTheirRows) {
  std::string text =
      "FMT, 128, 89, FMT, BBnNZ, Type,Length,Name,Format,Columns\nFMT, 9, 20, VIBE, Qff, TimeUS,X,Y\n"
      "FMT, 7, 20, BAT, Qf, TimeUS,Volt\n";
  constexpr int rows = 9000;
  for (int n = 0; n < rows; ++n) {
    text += fmt::format("VIBE, {}, {}, {}\n", 5000 * n, u_at(n), -u_at(n));
    if (n % 9 == 0) text += fmt::format("BAT, {}, {}\n", 5000 * n + 11, 12 + u_at(n));
  }
  const WholeRecording r = read(text);
  EXPECT_THAT(r.names(), ElementsAre("X", "Y"));
  EXPECT_EQ(r.columns[0].size(), static_cast<std::size_t>(rows));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 200, 1e-6);
}

TEST_F(Heads, StepsThatAreWrittenUnevenlyHaveTheirOwnTimes) {
  const WholeRecording r = read(with_rows("timestep = 0.01\nstep energy\n", 60, [](int n) {
    return fmt::format("{} {}\n", n < 30 ? 10 * n : 300 + 20 * (n - 30), u_at(n));
  }));
  EXPECT_THAT(r.names(), ElementsAre("energy"));
  EXPECT_TRUE(r.recording.axis.stamped);
  EXPECT_TRUE(r.warns_of("steps-counted"));
}

TEST_F(Heads, CountsWithinAScreenStayVolts) {
  const auto scope = [](double largest) {
    return with_rows(
        "Source,CH1\nVertical Units,V\nVertical Scale,2.0\nSampling Period,1e-6\nWaveform Data,\n", 60,
        [largest](int n) { return fmt::format("{},\n", std::lround(largest * std::sin(0.3 * n))); });
  };
  EXPECT_EQ(read(scope(8)).recording.channels[0].unit.text(), "V");
  const WholeRecording counts = read(scope(120));
  EXPECT_EQ(counts.recording.channels[0].unit.text(), "1");
  EXPECT_TRUE(counts.warns_of("scale-not-applied"));
}

}  // namespace
}  // namespace vprism::heads_test
