// The command `response` on the demo's impact test and on made-up structures, held to TRUTH.md and closed
// forms.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>

#include "cli/run_program.h"

namespace vprism::response_cli_test {
namespace {

using nlohmann::json;
using std::numbers::pi;
using ::testing::HasSubstr;
const std::string data = VPRISM_SOURCE "/demo/data/";

TEST(TapTest, ModesAreThoseOfTheTruth) {
  const ScratchFolder folder;
  const json document = document_of(folder, "response " + data + "tap-test.uff");
  const double hz[] = {62.35, 118.72, 203.46}, damping[] = {0.0121, 0.0083, 0.0147};
  const double constant[3][3] = {{0.021, 0.034, -0.012}, {0.017, -0.011, 0.026}, {-0.009, 0.023, 0.019}};
  ASSERT_EQ(document["results"].size(), 3u);
  for (std::size_t point = 0; point < 3; ++point) {
    const json& result = document["results"][point];
    EXPECT_EQ(text_of(result["reference"]), "hammer");
    EXPECT_EQ(text_of(result["excitation"]), "blows");
    EXPECT_EQ(result["averages"].get<int>(), 5);
    ASSERT_EQ(result["resonances"].size(), 3u);
    for (std::size_t m = 0; m < 3; ++m) {
      const json& mode = result["resonances"][m];
      EXPECT_NEAR(number_of(mode["frequency_hz"]), hz[m], 4 * number_of(mode["frequency_std_hz"]));
      EXPECT_NEAR(number_of(mode["damping_ratio"]), damping[m], 4 * number_of(mode["damping_std"]));
      EXPECT_NEAR(number_of(mode["frequency_hz"]) / hz[m], 1, 1e-4);
      EXPECT_NEAR(number_of(mode["damping_ratio"]) / damping[m], 1, 0.01);
      EXPECT_GT(number_of(mode["coherence"]), 0.99);
      // Acceleration: residue A = r s^2 / (s - conj s).
      const std::complex<double> residue(number_of(mode["residue"][0]), number_of(mode["residue"][1]));
      const double w = 2 * pi * hz[m];
      const std::complex<double> s(-damping[m] * w, w * std::sqrt(1 - damping[m] * damping[m]));
      const std::complex<double> r = residue * (s - std::conj(s)) / (s * s);
      EXPECT_NEAR(r.real(), constant[m][point], 2e-4);
      EXPECT_NEAR(r.imag(), 0, 2e-4);
    }
  }
  // The other methods say the same, each within what it can.
  int checked = 0;
  for (const json& result : document["results"])
    for (std::size_t m = 0; m < 3; ++m) {
      const json& mode = result["resonances"][m];
      if (!mode.contains("checks")) continue;
      ++checked;
      for (const char* way : {"circle", "decay_envelope", "decay_decrement"}) {
        EXPECT_NEAR(number_of(mode["checks"][way]["frequency_hz"]) / hz[m], 1, 1e-3) << way;
        EXPECT_NEAR(number_of(mode["checks"][way]["damping_ratio"]) / damping[m], 1, 0.02) << way;
      }
      EXPECT_NEAR(number_of(mode["checks"]["half_power"]["damping_ratio"]) / damping[m], 1, 0.1);
    }
  EXPECT_EQ(checked, 3);
}

TEST(TapTest, RatiosComeBackFromTheUniversalFile) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(
      folder, "response " + data + "tap-test.uff --also universal,hdf5 --out o --figure none --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  for (const char* ending : {"uff", "h5"}) {
    const json read = document_of(folder, std::string("inspect o/tap-test-response.") + ending);
    ASSERT_EQ(read["inputs"][0]["channels"].size(), 3u) << ending;
    EXPECT_EQ(text_of(read["inputs"][0]["channels"][0]["unit"]), "(m/s²)/N") << ending;
  }
  const std::string bytes = ScratchFolder::read(folder.path("o/tap-test-response.uff"));
  // A frequency response (type 4), of node 2 in +Z by node 1 in +Z, acceleration over force.
  EXPECT_THAT(
      bytes, HasSubstr("    4         1    0         0 NONE               2   3 NONE               1   3\n"));
  EXPECT_THAT(bytes, HasSubstr("        13    0    1    0 force                N"));
  const std::string csv = ScratchFolder::read(folder.path("o/tap-test-response.csv"));
  EXPECT_THAT(csv, HasSubstr("fork 1 / hammer magnitude ((m/s^2)/N)"));
}

/// A chain of three masses between walls: w_j = 2 w0 sin(j pi / 8).
TEST(MadeUp, ADampedChainUnderNoiseHasItsClosedFormModes) {
  const ScratchFolder folder;
  const ProgramRun made = run_program(
      folder,
      "generate 'push (N): white 1' 'first (mm): channel push > chain 3 40Hz damping 1% at 1 from 1' "
      "'third (mm): channel push > chain 3 40Hz damping 1% at 3 from 1' --rate 1kHz --duration 800s --to "
      "hdf5 --out g --quiet");
  ASSERT_EQ(made.status, 0) << made.err;
  const json document = document_of(folder, "response g/generated.h5 --segment 32768 --span 10Hz..120Hz");
  EXPECT_EQ(text_of(document["results"][0]["excitation"]), "noise");
  ASSERT_EQ(document["results"][0]["resonances"].size(), 3u);
  for (std::size_t j = 1; j <= 3; ++j) {
    const json& mode = document["results"][0]["resonances"][j - 1];
    const double hz = 80 * std::sin(static_cast<double>(j) * pi / 8);
    EXPECT_NEAR(number_of(mode["frequency_hz"]) / hz, 1, 1e-4);
    EXPECT_NEAR(number_of(mode["damping_ratio"]) / 0.01, 1, 0.01);
    EXPECT_NEAR(number_of(mode["q"]), 50, 0.5);
  }
}

/// A series circuit's capacitor under a voltage step: w0 = 1 / sqrt(L C), Q = w0 L / R.
TEST(MadeUp, ASeriesResonanceUnderAStepHasItsClosedFormQ) {
  const ScratchFolder folder;
  ASSERT_EQ(
      run_program(
          folder,
          "generate 'source (V): step 2ms 1' 'capacitor (V): channel source > resonator 1kHz damping 2%' "
          "--rate 200kHz --duration 0.1s --to hdf5 --out g --quiet")
          .status,
      0);
  const json document = document_of(folder, "response g/generated.h5 --reference source --span 200Hz..5kHz");
  EXPECT_EQ(text_of(document["results"][0]["excitation"]), "step");
  ASSERT_EQ(document["results"][0]["resonances"].size(), 1u);
  const json& mode = document["results"][0]["resonances"][0];
  EXPECT_NEAR(number_of(mode["frequency_hz"]) / 1000, 1, 1e-4);
  EXPECT_NEAR(number_of(mode["q"]) / 25, 1, 0.01);
}

TEST(MadeUp, AnImpulseAloneIsEnough) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(folder,
                        "generate 'out (V): impulse 0s 1 > resonator 1kHz damping 2%' --rate 200kHz "
                        "--duration 0.1s --to hdf5 --out g --quiet")
                .status,
            0);
  const json document =
      document_of(folder, "response g/generated.h5 --excitation impulse --span 200Hz..5kHz");
  ASSERT_EQ(document["results"][0]["resonances"].size(), 1u);
  EXPECT_TRUE(document["results"][0]["reference"].is_null());
  EXPECT_NEAR(number_of(document["results"][0]["resonances"][0]["q"]) / 25, 1, 0.01);
}

/// One resonance of 2% at 150 Hz driven in different ways: each is recognised, and the damping is right.
TEST(MadeUp, WhateverDrivesIsRecognisedAndTreatedAsSuch) {
  const ScratchFolder folder;
  const std::pair<const char*, const char*> drives[] = {
      {"sweep 5Hz..400Hz 1", "sweep"},
      {"white 0.1", "noise"},
      {"step 2s 1 + step 3.5s -1", "transient"},
      {"pulses 2Hz 1 width 3ms + pulses 2Hz 0.5 width 31ms", "multi-sine"}};
  for (const auto& [drive, name] : drives) {
    const ProgramRun made =
        run_program(folder, std::string("generate 'push (N): ") + drive +
                                "' 'out (mm): channel push > resonator 150Hz damping 2%' "
                                "--rate 1kHz --duration 20s --to hdf5 --out g --quiet --force");
    ASSERT_EQ(made.status, 0) << made.err;
    const json document = document_of(folder, "response g/generated.h5");
    const json& result = document["results"][0];
    EXPECT_EQ(text_of(result["excitation"]), name);
    ASSERT_EQ(result["resonances"].size(), 1u) << drive;
    EXPECT_NEAR(number_of(result["resonances"][0]["frequency_hz"]), 150, 0.2) << drive;
    EXPECT_NEAR(number_of(result["resonances"][0]["damping_ratio"]), 0.02, 0.0005) << drive;
  }
  const json alone = document_of(folder, "response g/generated.h5 --no-resonances");
  EXPECT_EQ(alone["results"][0]["resonances"].size(), 0u);
  EXPECT_EQ(alone["findings"].size(), 0u);
}

TEST(MadeUp, CoarseSegmentsAreCautioned) {
  const ScratchFolder folder;
  ASSERT_EQ(
      run_program(
          folder,
          "generate 'push (N): white 1' 'x (mm): channel push > chain 1 40Hz damping 0.5%' --rate 500Hz "
          "--duration 60s --to hdf5 --out g --quiet")
          .status,
      0);
  EXPECT_THAT(codes_of(document_of(folder, "response g/generated.h5 --segment 1024 --estimator h2")),
              ::testing::Contains("resolution-coarse"));
}

TEST(Mount, OutputsAloneShowTheResonanceAndNameTheTones) {
  const ScratchFolder folder;
  const json document =
      document_of(folder, "response " + data + "mount-daq.wav --output-only --span 5Hz..200Hz");
  const json& modes = document["results"][0]["resonances"];
  ASSERT_EQ(modes.size(), 1u);
  EXPECT_NEAR(number_of(modes[0]["frequency_hz"]), 37.1, 4 * number_of(modes[0]["frequency_std_hz"]));
  EXPECT_NEAR(number_of(modes[0]["damping_ratio"]), 0.012, 4 * number_of(modes[0]["damping_std"]));
  EXPECT_THAT(codes_of(document), ::testing::Contains("excitation-unknown"));
}

TEST(WrongResponse, RecordsOfAFewSamplesAreSaidToBeTooShort) {
  const ScratchFolder folder;
  for (const int samples : {1, 2, 5, 16, 20, 40, 63}) {
    std::string text = "time (s),a (V),b (V)\n";
    for (int n = 0; n < samples; ++n)
      text += std::to_string(n) + "e-3," + std::to_string((n * 37) % 11) + "," + std::to_string((n * 5) % 7) +
              "\n";
    folder.write("short.csv", text);
    for (const char* excitation : {"sweep", "transient", "step", "noise"}) {
      const ProgramRun run = run_program(
          folder,
          std::string("response short.csv --reference a --figure none --out o --force --excitation ") +
              excitation);
      EXPECT_EQ(run.status, 4) << samples << " " << excitation << ": " << run.err;
    }
  }
}

TEST(WrongResponse, IsToldInOneLine) {
  const ScratchFolder folder;
  const auto error = [&](const std::string& arguments, int status) {
    return error_line(folder, "response " + arguments, status);
  };
  EXPECT_THAT(error(data + "mount-daq.wav", 4), HasSubstr("--reference CHANNEL"));
  EXPECT_THAT(error(data + "tap-test.uff --reference hamer", 2), HasSubstr("did you mean \"hammer\""));
  EXPECT_THAT(error(data + "tap-test.uff --channel hammer", 2), HasSubstr("no channel beside the reference"));
  EXPECT_THAT(error(data + "tap-test.uff --output-only --reference hammer", 2), HasSubstr("leave out"));
  EXPECT_THAT(error(data + "tap-test.uff --estimator h3", 2), HasSubstr("h1, h2, hv"));
  EXPECT_THAT(error(data + "mount-daq.wav --reference pier --excitation blows", 4), HasSubstr("blow"));
}

}  // namespace
}  // namespace vprism::response_cli_test
