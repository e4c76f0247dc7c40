// What comes again and again: made by `generate`, found by `peaks`, by height and by shape.
#include <gmock/gmock.h>

#include <cmath>
#include <random>
#include <sstream>

#include "cli/run_program.h"

namespace vprism::beats_test {
namespace {

using nlohmann::json;
using testing::HasSubstr;

/// Times from the truth that `generate` writes, of its first channel and term.
std::vector<double> truth_times(const ScratchFolder& folder, const std::string& file) {
  const std::string text = ScratchFolder::read(folder.path(file));
  const std::size_t from = text.find("times_s");
  if (from == std::string::npos) return {};
  std::vector<double> out;
  std::istringstream in(
      text.substr(text.find('[', from) + 1, text.find(']', from) - text.find('[', from) - 1));
  for (std::string cell; std::getline(in, cell, ',');)
    if (cell.find_first_of("0123456789") != std::string::npos) out.push_back(std::stod(cell));
  return out;
}

void generate(const ScratchFolder& folder, const std::string& what, const std::string& rest) {
  const ProgramRun run =
      run_program(folder, "generate '" + what + "' " + rest + " --to npy --out made --force --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
}

TEST(BeatRecords, ElectrocardiogramLikeTimesAreThoseOfTheTruth) {
  const ScratchFolder folder;
  generate(folder, "ecg (mV): beats 1.2Hz 1 heart width 25ms scatter 4% missed 2% + white 1e-3",
           "--rate 500Hz --duration 120s");
  const std::vector<double> times = truth_times(folder, "made/generated-truth.toml");
  ASSERT_GT(times.size(), 120u);
  const json r = document_of(folder, "peaks made/generated.npy --rate 500Hz")["results"][0];
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

TEST(BeatRecords, ATemplateFindsInNoiseWhatHeightAloneDoesNot) {
  const ScratchFolder folder;
  // Noise of 0.2 RMS on bells 1 high and 40 samples wide: few stand out by themselves.
  generate(folder, "u (V): beats 2Hz 1 bell width 40ms scatter 5% + white 0.00894427",
           "--rate 1kHz --duration 60s");
  const std::vector<double> times = truth_times(folder, "made/generated-truth.toml");
  const std::string file = "peaks made/generated.npy --rate 1kHz --min-distance 0.2s ";
  EXPECT_LT(document_of(folder, file)["results"][0]["peaks"].size(), 40u);
  const json by_height = document_of(folder, file + "--min-prominence 1")["results"][0];
  char stretch[60];
  std::snprintf(stretch, sizeof stretch, "--template %.3fs..%.3fs", times[3] - 0.06, times[3] + 0.06);
  const json r = document_of(folder, file + stretch)["results"][0];
  // The mean of how far they are off, and how they scatter about that.
  std::vector<double> off;
  for (const double t : times)
    for (const json& peak : r["peaks"])
      if (const double d = number_of(peak["time_s"]) - t; std::abs(d) < 0.03) {
        off.push_back(d);
        break;
      }
  EXPECT_GE(off.size() + 2, times.size());
  EXPECT_LE(r["peaks"].size(), times.size() + 4);
  double mean = 0, square = 0;
  for (const double d : off) mean += d / static_cast<double>(off.size());
  for (const double d : off) square += (d - mean) * (d - mean) / static_cast<double>(off.size());
  // A place has s / (a sqrt(sum p'^2)), 0.9 ms here; where the noisy shape has its top is common to all.
  EXPECT_LT(std::sqrt(square), 0.0016);
  EXPECT_LT(std::abs(mean), 0.006);
  EXPECT_GE(by_height["peaks"].size(), times.size() - 4);
}

TEST(BeatRecords, WhatIsUnlikeTheShapeIsLeftOutAndCounted) {
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

TEST(BeatRecords, UncertaintiesOfATemplateCoverInNoiseOfAnyColour) {
  const ScratchFolder folder;
  std::mt19937_64 bits(11);
  std::normal_distribution<double> normal;
  for (const double memory : {0.0, 0.95}) {
    // Noise of 0.05 RMS that forgets itself in 20 samples, or at once, and bells of known places and heights.
    std::vector<double> x(60000), times, heights;
    double before = 0;
    for (double& v : x) v = before = memory * before + 0.05 * std::sqrt(1 - memory * memory) * normal(bits);
    for (double t = 0.5; t < 59.5; t += 0.4 + 0.3 * std::uniform_real_distribution<double>()(bits)) {
      times.push_back(t), heights.push_back(1 + 0.1 * normal(bits));
      for (int n = static_cast<int>(1000 * t) - 100; n < 1000 * t + 100; ++n)
        x[static_cast<std::size_t>(n)] +=
            heights.back() * std::exp(-std::pow((n / 1000.0 - t) / 0.012, 2) / 2);
    }
    folder.write("bells.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
    const json r = document_of(folder,
                               "peaks bells.f64 --binary f64le:1ch --rate 1kHz --template mean --figure none "
                               "--force")["results"][0];
    ASSERT_EQ(r["peaks"].size(), times.size());
    int times_within[2] = {}, heights_within[2] = {};
    for (std::size_t i = 0; i < times.size(); ++i) {
      const json& peak = r["peaks"][i];
      const double t = std::abs(number_of(peak["time_s"]) - times[i]) / number_of(peak["time_std_s"]),
                   h = std::abs(number_of(peak["height"]) - heights[i]) / number_of(peak["height_std"]);
      times_within[0] += t < 1 ? 1 : 0, times_within[1] += t < 3 ? 1 : 0;
      heights_within[0] += h < 1 ? 1 : 0, heights_within[1] += h < 3 ? 1 : 0;
    }
    const auto all = static_cast<double>(times.size());
    for (const int* within : {times_within, heights_within}) {
      EXPECT_NEAR(within[0] / all, 0.68, 0.17) << memory;
      EXPECT_GT(within[1] / all, 0.96) << memory;
    }
  }
}

TEST(BeatRecords, MistakesOfATemplate) {
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
