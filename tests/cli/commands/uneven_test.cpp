// uneven_test.cpp: simulations at uneven steps through every command, without a word about grids.
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>

#include "cli/run_program.h"

namespace vprism::uneven_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

/// Two channels of 700 Hz and its third harmonic, at steps of 4 to 16 us, as text.
std::string solver_text() {
  std::mt19937 bits(12);
  std::uniform_real_distribution<double> step(4e-6, 16e-6);
  std::string text = "time (s),v(in) (V),v(out) (V)\n";
  char line[120];
  double t = 0;
  for (int n = 0; n < 12000; ++n, t += step(bits)) {
    const double x = 2 * std::sin(2 * pi * 700 * t), y = x + 0.05 * std::cos(2 * pi * 2100 * t);
    std::snprintf(line, sizeof line, "%.12g,%.9g,%.9g\n", t, x, y);
    text += line;
  }
  return text;
}

class UnevenSteps : public ::testing::TestWithParam<const char*> {};

TEST_P(UnevenSteps, AreTakenByEveryCommand) {
  const ScratchFolder folder;
  folder.write("sim.csv", solver_text());
  folder.write("again.csv", solver_text());
  folder.write("high.csv", "frequency (Hz),level (V)\n100,10\n5000,10\n");
  const ProgramRun run = run_program(folder, GetParam());
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.err, HasSubstr("[regridded]"));
}

INSTANTIATE_TEST_SUITE_P(
    Commands, UnevenSteps,
    ::testing::Values("spectrum sim.csv", "identify sim.csv", "survey sim.csv", "distortion sim.csv",
                      "cycles sim.csv", "modulation sim.csv --span 300Hz..1100Hz", "spectrogram sim.csv",
                      "scalogram sim.csv --span 200Hz..5kHz", "occupancy sim.csv",
                      "response sim.csv --reference 1", "rebuild sim.csv", "levels sim.csv --bands octave",
                      "condition sim.csv --chain 'lowpass 5kHz'", "compare sim.csv again.csv",
                      "limits sim.csv --limit high.csv --channel 1 --span 100Hz..5kHz"));

TEST(UnevenStepsNumbers, LevelsStandOnTheStamps) {
  // A switch between -1 V and 48 V: a filter for a grid would ring to 52 V.
  const ScratchFolder folder;
  std::string text = "time (s),sw (V)\n";
  char line[80];
  for (int period = 0; period < 400; ++period)
    for (const auto& [at, value] : {std::pair{1e-9, 48.0},
                                    {4e-6, 48.0},
                                    {15e-6 - 1e-9, 48.0},
                                    {15e-6 + 1e-9, -1.0},
                                    {30e-6, -1.0},
                                    {40e-6 - 1e-9, -1.0}}) {
      std::snprintf(line, sizeof line, "%.12g,%g\n", period * 40e-6 + at, value);
      text += line;
    }
  folder.write("sw.csv", text);
  const auto run = run_program(folder, "levels sw.csv --every 200us --json");
  const auto result = run.json()["results"][0];
  EXPECT_NEAR(number_of(result["rms_total"]), std::sqrt(48 * 48 * 0.375 + 0.625), 0.01) << run.err;
  EXPECT_EQ(number_of(result["peak_total"]), 48);
  EXPECT_EQ(run.err.find("[regridded]"), std::string::npos);
}

TEST(UnevenStepsNumbers, AreThoseOfTheWave) {
  const ScratchFolder folder;
  folder.write("sim.csv", solver_text());
  const auto peaks = run_program(folder, "spectrum sim.csv --channel 2 --json").json();
  const auto& list = peaks["results"][0]["peaks"];
  ASSERT_EQ(list.size(), 2u) << list.dump();
  EXPECT_NEAR(number_of(list[0]["frequency_hz"]), 700, 1e-4);
  EXPECT_NEAR(number_of(list[0]["level"]), std::sqrt(2.0), 1e-5);
  EXPECT_NEAR(number_of(list[1]["level"]), 0.05 / std::sqrt(2.0), 1e-6);
  const auto thd = run_program(folder, "distortion sim.csv --channel 2 --json").json();
  EXPECT_NEAR(number_of(thd["results"][0]["thd_percent"]), 2.5, 2.5e-4);
}

TEST(UnevenStepsNumbers, ALoggerThatWritesAtEachChangeIsNoEvenRecordWithBadStamps) {
  // A sample wherever the signal has gone on by 0.05, to 100 us.
  const ScratchFolder folder;
  std::string text = "time (s),level (V)\n";
  char line[80];
  double last = 10;
  for (int n = 0; n < 400000; ++n) {
    const double t = n * 1e-4, x = std::sin(2 * pi * 1.7 * t) + 0.5 * std::sin(2 * pi * 0.31 * t);
    if (std::abs(x - last) < 0.05) continue;
    std::snprintf(line, sizeof line, "%.4f,%.6f\n", t, x);
    text += line, last = x;
  }
  folder.write("changes.csv", text);
  const auto document = document_of(folder, "spectrum changes.csv");
  EXPECT_THAT(codes_of(document), ::testing::Not(::testing::Contains("stamps-suspect")));
  const auto& list = document["results"][0]["peaks"];
  ASSERT_EQ(list.size(), 2u) << list.dump();
  const double levels[] = {std::sqrt(0.5), 0.5 * std::sqrt(0.5)}, hz[] = {1.7, 0.31};
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_NEAR(number_of(list[i]["frequency_hz"]), hz[i], 4 * number_of(list[i]["frequency_std_hz"]));
    EXPECT_NEAR(number_of(list[i]["level"]), levels[i], 4 * number_of(list[i]["level_std"]));
  }
}

}  // namespace
}  // namespace vprism::uneven_test
