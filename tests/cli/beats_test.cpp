// What comes again and again: made by `generate`, found by `peaks`, by height and by shape.
#include <gmock/gmock.h>

#include <cmath>
#include <fstream>

#include "cli/run_program.h"

namespace vprism::beats_test {
namespace {

using nlohmann::json;
using testing::HasSubstr;

/// Times from the truth that `generate` writes, of its first channel and term.
std::vector<double> truth_times(const ScratchFolder& folder, const std::string& file) {
  std::ifstream in(folder.path(file));
  std::string line;
  while (std::getline(in, line)) {
    const std::size_t at = line.find("times_s");
    if (at == std::string::npos) continue;
    std::vector<double> out;
    for (std::size_t i = line.find('['); i != std::string::npos && line[i] != ']';
         i = line.find_first_of(",]", i + 1))
      out.push_back(std::stod(line.substr(i + 1)));
    return out;
  }
  return {};
}

void generate(const ScratchFolder& folder, const std::string& what, const std::string& rest) {
  const ProgramRun run =
      run_program(folder, "generate '" + what + "' " + rest + " --to npy --out made --force --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
}

TEST(Beats, ElectrocardiogramLikeTimesAreThoseOfTheTruth) {
  const ScratchFolder folder;
  generate(folder, "ecg (mV): beats 1.2Hz 1 heart width 25ms scatter 4% missed 2% + white 1e-3",
           "--rate 500Hz --duration 120s");
  const std::vector<double> times = truth_times(folder, "made/generated-truth.toml");
  ASSERT_GT(times.size(), 120u);
  const json r = document_of(folder, "peaks made/generated.npy --rate 500Hz --unit '*: mV'")["results"][0];
  ASSERT_EQ(r["peaks"].size(), times.size());
  int near = 0;
  for (std::size_t i = 0; i < times.size(); ++i)
    near +=
        std::abs(number_of(r["peaks"][i]["time_s"]) - times[i]) < 3 * number_of(r["peaks"][i]["time_std_s"])
            ? 1
            : 0;
  EXPECT_GE(near, static_cast<int>(0.97 * static_cast<double>(times.size())));
  EXPECT_GT(r["missed"].get<int>(), 0);
  EXPECT_NEAR(number_of(r["interval_mean_s"]), 1 / 1.2, 0.01);
}

TEST(Beats, ATemplateReachesBelowTheNoise) {
  const ScratchFolder folder;
  // Noise of 0.5 RMS on bells 1 high and 40 samples wide: by height nothing is sure, by shape nearly all.
  generate(folder, "u (V): beats 2Hz 1 bell width 40ms scatter 5% + white 0.0223607",
           "--rate 1kHz --duration 60s");
  const std::vector<double> times = truth_times(folder, "made/generated-truth.toml");
  const std::string file = "peaks made/generated.npy --rate 1kHz ";
  char stretch[60];
  std::snprintf(stretch, sizeof stretch, "--template %.3fs..%.3fs", times[3] - 0.06, times[3] + 0.06);
  const json r =
      document_of(folder, file + stretch + " --min-prominence 0.5 --min-distance 0.2s")["results"][0];
  int found = 0, sure = 0;
  for (const double t : times)
    for (const json& peak : r["peaks"])
      if (const double off = number_of(peak["time_s"]) - t; std::abs(off) < 0.03) {
        ++found;
        sure += std::abs(off) < 3 * number_of(peak["time_std_s"]) + 0.012 ? 1 : 0;
        EXPECT_GT(number_of(peak["likeness"]), 0.2);
        break;
      }
  EXPECT_GE(found, static_cast<int>(times.size()) - 3);
  EXPECT_GE(sure, static_cast<int>(0.95 * found));
  EXPECT_LE(r["peaks"].size(), times.size() + 6);
  EXPECT_NEAR(number_of(r["template_samples"]), 121, 1);
}

TEST(Beats, WhatIsUnlikeTheShapeIsLeftOutAndCounted) {
  const ScratchFolder folder;
  // Impacts, and steps up and down as high as they are, which match the shape badly.
  generate(folder, "u (V): beats 3Hz 1 bell width 20ms + square 0.5Hz 0.5 + white 1e-4",
           "--rate 1kHz --duration 20s");
  const json r = document_of(
      folder, "peaks made/generated.npy --rate 1kHz --template mean --min-likeness 80%")["results"][0];
  const std::vector<double> times = truth_times(folder, "made/generated-truth.toml");
  EXPECT_NEAR(static_cast<double>(r["peaks"].size()), static_cast<double>(times.size()), 2);
  for (const json& peak : r["peaks"]) {
    EXPECT_GT(number_of(peak["likeness"]), 0.8);
    EXPECT_NEAR(number_of(peak["height"]), 1, 0.15);
  }
}

TEST(Beats, MistakesOfATemplate) {
  const ScratchFolder folder;
  generate(folder, "u (V): tone 10Hz 1", "--rate 1kHz --duration 2s");
  const std::string file = "peaks made/generated.npy --rate 1kHz ";
  EXPECT_THAT(error_line(folder, file + "--template 3s..4s", 4), HasSubstr("does not lie within the record"));
  EXPECT_THAT(error_line(folder, file + "--template 1s..1.001s", 4), HasSubstr("fewer than 5 samples"));
  EXPECT_THAT(error_line(folder, file + "--template nonsense", 2), HasSubstr("template"));
  EXPECT_THAT(error_line(folder, file + "--template mean --both", 2), HasSubstr("one shape"));
  EXPECT_THAT(error_line(folder, file + "--min-likeness 50%", 2), HasSubstr("--template"));
  EXPECT_THAT(error_line(folder, file + "--template 1.002s..1.045s", 4), HasSubstr("no top"));
}

}  // namespace
}  // namespace vprism::beats_test
