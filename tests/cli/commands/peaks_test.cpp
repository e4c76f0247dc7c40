// peaks_test.cpp: the command `peaks` on made-up beats.
#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "cli/run_program.h"

namespace vprism::peaks_test {
namespace {

using testing::Contains;
using testing::HasSubstr;

/// Beats 0.8 s apart with a lesser wave behind each, on a slow course, in a second channel 60 ms later; beat
/// 20 is missing.
class Beats : public testing::Test {
 protected:
  Beats() {
    std::mt19937_64 random(9);
    std::normal_distribution<double> normal;
    for (int i = 0; i < 70; ++i) times.push_back(0.6 + 0.8 * i + 0.01 * normal(random));
    std::string text = "time (s),lead (mV),wrist (mV)\n";
    for (int n = 0; n < 14500; ++n) {
      const double t = n / 250.0;
      double lead = 0.3 * std::sin(1.3 * t) + 0.01 * normal(random), wrist = 0.01 * normal(random);
      for (int i = 0; i < 70; ++i) {
        if (i == 20) continue;
        const double u = t - times[static_cast<std::size_t>(i)];
        lead += 1.2 * std::exp(-0.5 * std::pow(u / 0.015, 2)) +
                0.3 * std::exp(-0.5 * std::pow((u - 0.25) / 0.04, 2));
        wrist += 2 * std::exp(-0.5 * std::pow((u - 0.06) / 0.03, 2));
      }
      char row[80];
      std::snprintf(row, sizeof row, "%.4f,%.6f,%.6f\n", t, lead, wrist);
      text += row;
    }
    folder.write("beats.csv", text);
    times.erase(times.begin() + 20);
  }
  ScratchFolder folder;
  std::vector<double> times;
};

TEST_F(Beats, AreFoundByThemselvesWithRateAndWhatIsMissing) {
  const auto document = document_of(folder, "peaks beats.csv --figure none");
  const auto& lead = document["results"][0];
  ASSERT_EQ(lead["peaks"].size(), times.size());
  std::size_t within = 0;
  for (std::size_t i = 0; i < times.size(); ++i) {
    const double off = std::abs(number_of(lead["peaks"][i]["time_s"]) - times[i]);
    EXPECT_LT(off, 5e-4) << i;
    within += off < 3 * number_of(lead["peaks"][i]["time_std_s"]);
  }
  EXPECT_GE(within, 62u);
  EXPECT_LT(number_of(lead["peaks"][3]["time_std_s"]), 5e-4);
  EXPECT_TRUE(lead["peaks"][0]["interval_s"].is_null());
  EXPECT_NEAR(number_of(lead["rate_hz"]), 1.25, 3e-3);
  EXPECT_NEAR(number_of(lead["interval_mean_s"]), 0.8, 2e-3);
  EXPECT_NEAR(number_of(lead["interval_std_s"]), 0.0141, 0.004);
  EXPECT_EQ(lead["missed"].get<int>(), 1);
  EXPECT_THAT(codes_of(document), Contains("peaks-missed"));
  // Full width at half height of a bell.
  EXPECT_NEAR(number_of(document["results"][1]["peaks"][5]["width_s"]), 0.03 * 2.3548, 0.003);
  EXPECT_NEAR(number_of(document["pairs"][0]["delay_mean_s"]), 0.06, 1e-3);
  EXPECT_EQ(text_of(document["pairs"][0]["leads"]), "lead");
}

TEST_F(Beats, RulesAreInTheChannelsUnit) {
  const auto count = [&](const std::string& options) {
    return document_of(folder,
                       "peaks beats.csv --channel lead --figure none " + options)["results"][0]["peaks"]
        .size();
  };
  EXPECT_EQ(count("--min-prominence 0.2"), 2 * times.size());
  EXPECT_EQ(count("--min-prominence 200uV"), 2 * times.size());
  EXPECT_EQ(count("--min-prominence 0.2mV --max-width 60ms"), times.size());
  EXPECT_EQ(count("--min-prominence 0.2mV --min-width 60ms"), times.size());
  EXPECT_EQ(count("--min-prominence 0.2mV --min-distance 0.5s"), times.size());
  EXPECT_LT(count("--min-height 1.3mV --min-distance 0.1s"), times.size());
  EXPECT_THAT(error_line(folder, "peaks beats.csv --min-height 1A", 2), HasSubstr("not in A"));
  EXPECT_THAT(error_line(folder, "peaks beats.csv --minima --both", 2), HasSubstr("not both"));
}

TEST_F(Beats, MinimaAreTheMaximaOfTheNegative) {
  const auto lowest =
      document_of(folder, "peaks beats.csv --channel lead --chain invert --minima --figure none");
  const auto highest = document_of(folder, "peaks beats.csv --channel lead --figure none");
  const auto &a = lowest["results"][0]["peaks"], &b = highest["results"][0]["peaks"];
  ASSERT_EQ(a.size(), b.size());
  for (std::size_t i = 0; i < a.size(); ++i) {
    EXPECT_NEAR(number_of(a[i]["time_s"]), number_of(b[i]["time_s"]), 1e-9);
    EXPECT_NEAR(number_of(a[i]["height"]), -number_of(b[i]["height"]), 1e-9);
  }
}

TEST_F(Beats, FilesAndTextSayTheSame) {
  const ProgramRun run = run_program(folder, "peaks beats.csv --channel lead --out out --quiet --figure svg");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("69 peaks"));
  EXPECT_THAT(run.out, HasSubstr("75"));
  const std::string table = ScratchFolder::read(folder.path("out/beats-peaks.csv"));
  EXPECT_EQ(std::count(table.begin(), table.end(), '\n'), 70);
}

TEST(PeaksOfUnevenStamps, LieOnTheirTimes) {
  const ScratchFolder folder;
  std::mt19937_64 random(2);
  std::uniform_real_distribution<double> step(0.5e-3, 1.5e-3);
  std::string text = "time (s),u (V)\n";
  double t = 0;
  for (int n = 0; n < 20000; ++n, t += step(random)) {
    const double u = std::remainder(t - 0.5, 1.0) / 0.02;
    text += std::to_string(t) + "," + std::to_string(std::exp(-0.5 * u * u)) + "\n";
  }
  folder.write("uneven.csv", text);
  const auto peaks = document_of(folder, "peaks uneven.csv --figure none")["results"][0]["peaks"];
  ASSERT_GE(peaks.size(), 19u);
  for (std::size_t i = 0; i < peaks.size(); ++i)
    EXPECT_NEAR(number_of(peaks[i]["time_s"]), 0.5 + static_cast<double>(i), 3e-4) << i;
}

TEST(PeaksOfAConverter, OneStepHighAreSaidToBe) {
  const ScratchFolder folder;
  std::mt19937_64 random(6);
  std::string quiet = "time (s),u (V)\n";
  for (int n = 0; n < 20000; ++n)
    quiet += std::to_string(n * 1e-3) + "," + (random() % 50 == 0 ? "0.005" : "0") + "\n";
  folder.write("quiet.csv", quiet);
  EXPECT_THAT(codes_of(document_of(folder, "peaks quiet.csv --figure none")), Contains("peaks-one-step"));
}

TEST(PeaksOfNoise, AreNone) {
  const ScratchFolder folder;
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  std::string text = "time (s),u (V)\n";
  for (int n = 0; n < 20000; ++n)
    text += std::to_string(n * 1e-3) + "," + std::to_string(normal(random)) + "\n";
  folder.write("noise.csv", text);
  const auto document = document_of(folder, "peaks noise.csv --figure none");
  EXPECT_EQ(document["results"][0]["peaks"].size(), 0u);
  EXPECT_TRUE(document["results"][0]["rate_hz"].is_null());
  EXPECT_THAT(codes_of(document), Contains("no-peaks"));
}

}  // namespace
}  // namespace vprism::peaks_test
