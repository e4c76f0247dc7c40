// The command `identify`: the truth of the demo, verdicts on the line-up, and what must not be found.
#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <sstream>

#include "base/text.h"
#include "cli/run_program.h"
#include "tern_point.h"

namespace vprism::identify_test {
namespace {

using ::testing::HasSubstr;
using Json = nlohmann::json;

std::string demo_file(const std::string& name) { return "'" VPRISM_SOURCE "/demo/data/" + name + "' "; }

std::string demo_options(bool drive = false) {
  std::string out = "--json --quiet --suspects " + demo_file("suspects.toml");
  for (const std::string& rule : demo::calibrations())
    if (drive == (rule.rfind("phase U", 0) == 0)) out += " --calibrate '" + rule + "'";
  return out;
}

struct Expected {
  std::string what, suspect;
};

/// Who makes each row of the truth table.
std::string suspect_of(const std::string& what) {
  static const std::vector<Expected> table = {{"motor field", "motor field"},
                                              {"switching", "drive switching"},
                                              {"mains", "mains"},
                                              {"cooler", "cryocooler"},
                                              {"fan", "dome fan"},
                                              {"gear", "azimuth gear"}};
  for (const Expected& e : table)
    if (what.rfind(e.what, 0) == 0) return e.suspect;
  return "";
}

const Json* verdict_of(const Json& document, const std::string& name) {
  for (const Json& v : document["suspects"])
    if (text_of(v["name"]) == name) return &v;
  return nullptr;
}

void hold_to_truth(const std::string& recording, const Json& document, int least_rows) {
  std::istringstream lines(ScratchFolder::read(VPRISM_SOURCE "/demo/TRUTH.md"));
  int rows = 0;
  for (std::string line; std::getline(lines, line);) {
    const auto cells = split(line, '|');
    if (cells.size() != 9 || std::string(trimmed(cells[1])) != recording) continue;
    ++rows;
    const std::string channel(trimmed(cells[2])), what(trimmed(cells[3]));
    const double hz = std::stod(std::string(trimmed(cells[4]))),
                 rms = std::stod(std::string(trimmed(cells[5])));
    bool found = false;
    for (const Json& result : document["results"]) {
      if (text_of(result["channel"]) != channel) continue;
      for (const Json& p : result["peaks"]) {
        const double off = std::abs(number_of(p["frequency_hz"]) - hz),
                     std_hz = number_of(p["frequency_std_hz"]);
        if (off > std::max(4 * std_hz, 1e-6 * hz)) continue;
        found = found || std::abs(number_of(p["level"]) - rms) < 0.03 * rms;
      }
    }
    EXPECT_TRUE(found) << line;
    // Some finding of the channel, at this frequency or on the family it belongs to, names the suspect.
    bool accused = false;
    for (const Json& f : document["findings"])
      accused = accused || (text_of(f["channel"]) == channel && text_of(f["suspect"]) == suspect_of(what));
    EXPECT_TRUE(accused) << line;
  }
  EXPECT_GE(rows, least_rows);
}

TEST(Identify, MountRecordingIsSolvedAsTheTruthTableSays) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "identify " + demo_file("mount-daq.wav") + demo_options());
  ASSERT_EQ(run.status, 0) << run.err;
  const Json document = run.json();
  hold_to_truth("mount-daq.wav", document, 20);
  for (const Json& f : document["findings"]) EXPECT_NE(text_of(f["suspect"]), "") << f["text"];
  int resonances = 0;
  for (const Json& f : document["findings"]) {
    if (text_of(f["kind"]) != "resonance") continue;
    ++resonances;
    EXPECT_LT(std::abs(number_of(f["frequency_hz"]) - 37.1), 3 * number_of(f["frequency_std_hz"]));
    EXPECT_LT(std::abs(number_of(f["damping_ratio"]) - 0.012), 3 * number_of(f["damping_std"]));
    EXPECT_EQ(text_of(f["suspect"]), "mount resonance");
  }
  EXPECT_EQ(resonances, 3);
  for (const char* name : {"mains", "motor field", "coolant pump", "guide camera shutter", "servo clock"}) {
    const Json* v = verdict_of(document, name);
    ASSERT_NE(v, nullptr);
    EXPECT_EQ(text_of((*v)["verdict"]), "cleared") << name;
    EXPECT_GT(number_of((*v)["level"]), 0);
  }
  EXPECT_EQ(text_of((*verdict_of(document, "drive switching"))["verdict"]), "out of reach");
}

TEST(Identify, DriveRecordingIsSolvedAsTheTruthTableSays) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(
      folder, "identify " + demo_file("drive-scope.csv") + demo_options(true) + " --chain despike");
  ASSERT_EQ(run.status, 0) << run.err;
  const Json document = run.json();
  hold_to_truth("drive-scope.csv", document, 10);
  EXPECT_EQ(text_of((*verdict_of(document, "servo clock"))["verdict"]), "cleared");
  // 20 ms hold less than three of their periods.
  for (const char* name : {"cryocooler", "dome fan", "azimuth gear", "coolant pump"})
    EXPECT_EQ(text_of((*verdict_of(document, name))["verdict"]), "out of reach") << name;
}

TEST(Identify, AmplifierShowsItsOscillatorAndTheHarmonicsThatItMakes) {
  const ScratchFolder folder;
  const ProgramRun run =
      run_program(folder, "identify " + demo_file("amp-sim.raw") + " --json --quiet --suspects " +
                              demo_file("suspects.toml") + " --chain 'regrid 200kHz cubic' --gate 8ms..25ms");
  ASSERT_EQ(run.status, 0) << run.err;
  const Json document = run.json();
  EXPECT_EQ(text_of((*verdict_of(document, "bench oscillator"))["verdict"]), "seen");
  EXPECT_EQ(text_of((*verdict_of(document, "servo clock"))["verdict"]), "cleared");
  EXPECT_EQ(document["findings"].size(), 3u);
}

class IdentifyMade : public ::testing::Test {
 protected:
  Json identify(const std::string& signal, const std::string& how, const std::string& options = "") {
    std::string each;
    for (const std::string& channel : split(signal, ';')) each += "'" + std::string(trimmed(channel)) + "' ";
    EXPECT_EQ(run_program(folder_, "generate " + each + how + " --to hdf5 --out . --force").status, 0);
    const ProgramRun run = run_program(folder_, "identify generated.h5 --json --quiet " + options);
    EXPECT_EQ(run.status, 0) << run.err;
    return run.json();
  }
  ScratchFolder folder_;
};

TEST_F(IdentifyMade, PureNoiseGivesNoFinding) {
  EXPECT_TRUE(identify("x (V): white 1", "--rate 10kHz --duration 20s")["findings"].empty());
  EXPECT_TRUE(identify("x (V): white 1", "--rate 1kHz --duration 2s --seed 7")["findings"].empty());
}

TEST_F(IdentifyMade, ADriftingToneIsCalledDrifting) {
  const Json document =
      identify("x (V): sweep 100Hz..112Hz 1 + white 0.05", "--rate 1kHz --duration 60s", "--segment 8192");
  ASSERT_EQ(document["findings"].size(), 1u);
  const Json& f = document["findings"][0];
  EXPECT_EQ(text_of(f["kind"]), "drift");
  EXPECT_NEAR(number_of(f["from_hz"]), 100, 1);
  EXPECT_NEAR(number_of(f["to_hz"]), 112, 1);
}

TEST_F(IdentifyMade, SuspectsThatTheRecordCanNotPartAreToldWithTheLengthItTakes) {
  folder_.write("s.toml",
                "[[suspect]]\nname = \"a\"\nfrequency = \"100 Hz\"\n[[suspect]]\nname = \"b\"\nfrequency = "
                "\"100.4 Hz\"\n");
  const Json document =
      identify("x (V): tone 100Hz 1 + white 0.01", "--rate 1kHz --duration 2s", "--suspects s.toml");
  std::string codes;
  for (const Json& c : document["cautions"]) codes += text_of(c["code"]) + " " + text_of(c["remedy"]);
  EXPECT_THAT(codes, HasSubstr("suspects-close"));
  EXPECT_THAT(codes, HasSubstr("record of at least"));
  ASSERT_EQ(document["findings"].size(), 1u);
  EXPECT_THAT(text_of(document["findings"][0]["runner_up"]), HasSubstr("the same lines"));
}

TEST_F(IdentifyMade, AReferenceChannelGetsTheShareThatItExplains) {
  // Half of b's power around 200 Hz is a's; c has nothing of it.
  std::mt19937_64 bits(3);
  std::normal_distribution<double> normal(0, 1);
  std::string csv = "time (s),a (V),b (V),c (V)\n";
  double slow_b = 0, slow_a = 0;
  for (int n = 0; n < 40000; ++n) {
    char line[128];
    slow_a += 0.02 * (normal(bits) - slow_a);
    slow_b += 0.02 * (normal(bits) - slow_b);
    const double carried = slow_a * std::cos(6.283185307179586 * 0.2 * n);
    std::snprintf(line, sizeof line, "%.3f,%.6f,%.6f,%.6f\n", n * 1e-3, carried + 0.01 * normal(bits),
                  carried + slow_b * std::cos(6.283185307179586 * 0.2 * n), normal(bits));
    csv += line;
  }
  folder_.write("r.csv", csv);
  const ProgramRun run = run_program(folder_, "identify r.csv --json --quiet --reference a");
  ASSERT_EQ(run.status, 0) << run.err;
  bool listed = false;
  const Json document = run.json();
  for (const Json& f : document["findings"]) {
    if (text_of(f["channel"]) != "b") continue;
    listed = true;
    EXPECT_NEAR(number_of(f["attributed_share"]), 0.5, 0.2);
  }
  EXPECT_TRUE(listed);
}

TEST_F(IdentifyMade, ATachometerSetsTheSpeedOfItsOrders) {
  folder_.write("s.toml",
                "[[suspect]]\nname = \"shaft\"\nspeed = \"tachometer tach\"\npulses = 2\norders = [1, 17]\n");
  const Json document =
      identify("tach (V): tone 46.912Hz 1; x (V): tone 23.456Hz 0.1 + tone 398.752Hz 0.1 + white 0.001",
               "--rate 2kHz --duration 10s", "--suspects s.toml");
  const Json* v = verdict_of(document, "shaft");
  EXPECT_EQ(text_of((*v)["verdict"]), "seen");
  EXPECT_NEAR(number_of((*v)["frequency_hz"]), 23.456, 1e-3);
}

TEST_F(IdentifyMade, ClippingIsSaidToMakeItsHarmonics) {
  std::string csv = "time (s),x (V)\n";
  for (int n = 0; n < 4000; ++n) {
    char line[64];
    std::snprintf(line, sizeof line, "%.4f,%.6f\n", n * 1e-3,
                  std::max(-0.7, std::min(0.7, std::sin(6.283185307 * 31.3 * n * 1e-3))));
    csv += line;
  }
  folder_.write("clip.csv", csv);
  const ProgramRun run = run_program(folder_, "identify clip.csv --json --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("the channel is clipped, and clipping makes harmonics"));
}

TEST_F(IdentifyMade, AnEventIsToldWithItsTimes) {
  const Json document = identify("x (V): white 0.001 + burst 200Hz 1 from 4s for 100ms",
                                 "--rate 10kHz --duration 20s --start 2s");
  const Json* event = nullptr;
  for (const Json& f : document["findings"])
    if (text_of(f["kind"]) == "event") event = &f;
  ASSERT_NE(event, nullptr);
  EXPECT_NEAR(number_of((*event)["start_s"]), 4, 0.05);
  EXPECT_NEAR(number_of((*event)["end_s"]), 4.1, 0.05);
}

TEST_F(IdentifyMade, AToneThatStopsIsATone) {
  std::string csv = "t (s),x (V)\n";
  for (int n = 0; n < 60000; ++n) {
    const double noise = 0.02 * std::remainder(n * 0.618034 * (n % 1009 + 1), 1.0);
    csv += std::to_string(n * 1e-4) + "," +
           std::to_string((n < 37000 ? std::cos(2 * M_PI * 440e-4 * n) : 0) + noise) + "\n";
  }
  folder_.write("stops.csv", csv);
  const ProgramRun run = run_program(folder_, "identify stops.csv --json --quiet --figure none");
  ASSERT_EQ(run.status, 0) << run.err;
  const Json document = Json::parse(run.out);
  ASSERT_EQ(document["findings"].size(), 1u);
  const Json& f = document["findings"][0];
  EXPECT_EQ(text_of(f["kind"]), "burst");
  EXPECT_THAT(text_of(f["text"]), HasSubstr("707."));
  EXPECT_THAT(text_of(f["text"]), HasSubstr("while it is there, until 3.7"));
  EXPECT_NEAR(number_of(f["frequency_hz"]), 440, 4 * number_of(f["frequency_std_hz"]));
  EXPECT_NEAR(number_of(f["start_s"]), 0, 1e-6);
  EXPECT_NEAR(number_of(f["end_s"]), 3.7, 1e-3);
}

TEST_F(IdentifyMade, ALevelThatMovesOnceIsAStepAndTheLineBesideItStays) {
  std::string csv = "t (s),x (V)\n";
  for (int n = 0; n < 8000; ++n)
    csv += std::to_string(n * 1e-3) + "," +
           std::to_string((n >= 3000 ? 1.0 : 0) + 0.3 * std::cos(2 * M_PI * 0.1234 * n) +
                          0.01 * std::remainder(n * 0.618034 * (n % 1009 + 1), 1.0)) +
           "\n";
  folder_.write("moves.csv", csv);
  const ProgramRun run = run_program(folder_, "identify moves.csv --json --quiet --figure none");
  ASSERT_EQ(run.status, 0) << run.err;
  const Json document = Json::parse(run.out);
  ASSERT_EQ(document["findings"].size(), 2u);
  const Json &step = document["findings"][0], &tone = document["findings"][1];
  EXPECT_EQ(text_of(step["kind"]), "step");
  EXPECT_NEAR(number_of(step["step"]), 1, 3 * number_of(step["step_std"]) + 1e-4);
  EXPECT_NEAR(number_of(step["at_s"]), 3, 2e-3);
  EXPECT_NEAR(number_of(step["level"]), std::sqrt(0.375 * 0.625), 1e-3);
  EXPECT_EQ(text_of(tone["kind"]), "tone");
  EXPECT_NEAR(number_of(tone["frequency_hz"]), 123.4, 1e-3);
}

TEST_F(IdentifyMade, LeastAndMostKeepFindingsBack) {
  const std::string signal = "x (V): tone 100Hz 1 + tone 103Hz 0.01 + tone 300Hz 0.001 + white 1e-4",
                    how = "--rate 1kHz --duration 10s";
  EXPECT_EQ(identify(signal, how)["findings"].size(), 3u);
  EXPECT_EQ(identify(signal, how, "--min-level 0.003")["findings"].size(), 2u);
  EXPECT_EQ(identify(signal, how, "--min-apart 5Hz")["findings"].size(), 2u);
}

TEST(SuspectsFile, WhatIsWrongIsToldWithItsPlace) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(folder, "generate 'x (V): tone 10Hz 1' --rate 100Hz --duration 2s --to hdf5 --out .")
                .status,
            0);
  const auto complaint = [&](const std::string& toml) {
    folder.write("s.toml", toml);
    const ProgramRun run = run_program(folder, "identify generated.h5 --suspects s.toml --json");
    EXPECT_EQ(run.status, 2) << toml;
    EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
    return run.err;
  };
  EXPECT_THAT(complaint("[[suspect]]\nname = \"a\"\nfrequenzy = \"3 Hz\"\n"),
              HasSubstr("did you mean \"frequency\""));
  EXPECT_THAT(complaint("[[suspect]]\nname = \"a\"\n"), HasSubstr("needs one of frequency"));
  EXPECT_THAT(complaint("[[suspect]]\nname = \"a\"\nfrequency = \"3 V\"\n"), HasSubstr("s.toml:3"));
  EXPECT_THAT(complaint("[[suspect]]\nname = \"a\"\nlines = [\"2 * b\"]\n"), HasSubstr("suspect"));
  EXPECT_THAT(complaint("[[suspect]\n"), HasSubstr("s.toml:1"));
  EXPECT_THAT(complaint("x = 1\n"), HasSubstr("[[suspect]]"));
  EXPECT_THAT(complaint("[[suspect]]\nname = \"a\"\nfrequency = \"3 Hz\"\n[[suspect]]\nname = "
                        "\"a\"\nfrequency = \"4 Hz\"\n"),
              HasSubstr("two suspects"));
  EXPECT_EQ(run_program(folder, "identify generated.h5 --suspects none.toml --json").status, 3);
}

}  // namespace
}  // namespace vprism::identify_test
