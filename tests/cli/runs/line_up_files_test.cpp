// Line-ups and limits as files, and the module that is loaded when it is needed.
#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>

#include "cli/run_program.h"

namespace vprism::line_up_files_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using Json = nlohmann::json;

class Files : public ::testing::Test {
 protected:
  void make(const std::string& channels, const std::string& how) {
    ASSERT_EQ(run_program(folder_, "generate " + channels + " " + how + " --to hdf5 --name x --out . --force")
                  .status,
              0);
  }
  Json json(const std::string& arguments, int status = 0) {
    const ProgramRun run = run_program(folder_, arguments + " --json --quiet");
    EXPECT_EQ(run.status, status) << arguments << ": " << run.err;
    return run.json();
  }
  Json verdict(const Json& document, const std::string& name) {
    for (const Json& v : document["suspects"])
      if (text_of(v["name"]) == name) return v;
    ADD_FAILURE() << name;
    return {};
  }
  ScratchFolder folder_;
};

TEST_F(Files, GearsBearingsAndFormulasAreWorkedOut) {
  // 29 Hz; 17 teeth: 493 Hz and a shaft's turn beside it; outer race 3.5848 orders: 103.96 Hz.
  make(
      "'a (g): tone 29Hz 0.1 + tone 493Hz 1 + tone 464Hz 0.2 + tone 522Hz 0.2 + tone 103.959Hz 0.05 + tone "
      "71Hz 0.3 + "
      "white 1e-4'",
      "--rate 4kHz --duration 10s");
  folder_.write("s.toml", R"([[suspect]]
name = "box"
speed = "1700 rpm..1780 rpm"
orders = [1]
gear = { teeth = 17 }
bearing = { balls = 9, ball_diameter = "7.94 mm", pitch_diameter = "3.904 cm" }
[[suspect]]
name = "beat"
lines = ["100 Hz - box"]
[[suspect]]
name = "line frequency"
mains = "60 Hz"
)");
  const Json d = json("identify x.h5 --suspects s.toml");
  const Json box = verdict(d, "box");
  EXPECT_EQ(text_of(box["verdict"]), "seen");
  EXPECT_NEAR(number_of(box["frequency_hz"]), 29, 1e-3);
  EXPECT_THAT(box["evidence"].dump(), HasSubstr("outer race at 103.9"));
  EXPECT_THAT(box["evidence"].dump(),
              HasSubstr("not found: bearing, inner race, bearing, ball, bearing, cage"));
  EXPECT_EQ(text_of(verdict(d, "beat")["verdict"]), "seen");
  EXPECT_EQ(text_of(verdict(d, "line frequency")["verdict"]), "cleared");
  for (const Json& f : d["findings"]) EXPECT_NE(text_of(f["suspect"]), "") << f["text"];
}

TEST_F(Files, ASuspectWhoseLinesAnotherExplainsBetterIsCleared) {
  make("'a (V): tone 24.6Hz 1 + tone 172.2Hz 0.5 + white 1e-4'", "--rate 1kHz --duration 20s");
  folder_.write("s.toml", R"([[suspect]]
name = "fan"
speed = "24 Hz..25 Hz"
orders = [1, 7]
[[suspect]]
name = "compressor"
speed = "12.2 Hz..12.4 Hz"
orders = [2, 4, 6]
)");
  const Json d = json("identify x.h5 --suspects s.toml");
  EXPECT_EQ(text_of(verdict(d, "fan")["verdict"]), "seen");
  EXPECT_EQ(text_of(verdict(d, "compressor")["verdict"]), "cleared");
  bool runner_up = false;
  for (const Json& f : d["findings"])
    if (f.contains("runner_up")) {
      runner_up = true;
      EXPECT_THAT(text_of(f["runner_up"]), HasSubstr("compressor"));
      EXPECT_THAT(text_of(f["runner_up"]), HasSubstr("missing"));
    }
  EXPECT_TRUE(runner_up);
}

TEST_F(Files, LinesBeyondHalfTheRateAreOutOfReach) {
  make("'a (V): tone 24.6Hz 1 + white 1e-4'", "--rate 1kHz --duration 4s");
  folder_.write("s.toml", "[[suspect]]\nname = \"inverter\"\nfrequency = \"16 kHz\"\n");
  const Json d = json("identify x.h5 --suspects s.toml");
  EXPECT_EQ(text_of(verdict(d, "inverter")["verdict"]), "out of reach");
}

TEST_F(Files, DecibelLimitsAndStoredSpectraAreHeldToo) {
  make("'u (V): tone 100Hz 1 + white 1e-4'", "--rate 1kHz --duration 4s");
  // -3.01 dB re 1 V RMS is what the tone has.
  folder_.write("l.csv", "frequency (Hz),line (dB)\n50,-2\n200,-2\n");
  const Json d = json("limits x.h5 --limit l.csv");
  EXPECT_NEAR(number_of(d["results"][0]["worst"]["margin_db"]), 1.01, 0.02);
  folder_.write("s.csv", "frequency (Hz),level (V)\n10,0.1\n20,0.5\n30,0.1\n40,0.1\n");
  folder_.write("m.csv", "frequency (Hz),line (mV)\n15,250\n35,250\n");
  const Json stored = json("limits s.csv --limit m.csv", 1);
  EXPECT_NEAR(number_of(stored["results"][0]["worst"]["margin_db"]), -6.02, 0.01);
  EXPECT_EQ(stored["results"][0]["compared"].get<int>(), 2);
}

TEST_F(Files, TwoTonesAndUnitsThatDifferAreTold) {
  make("'u (V): tone 900Hz 1 + tone 1010Hz 1 + tone 790Hz 0.001 + white 1e-6' 'i (A): tone 900Hz 1'",
       "--rate 8kHz --duration 4s");
  const Json d = json("distortion x.h5 --channel u --two-tone");
  bool product = false;
  for (const Json& h : d["results"][0]["harmonics"])
    if (h["order"].get<int>() == 2 && h["second_order"].get<int>() == -1) {
      product = true;
      EXPECT_NEAR(number_of(h["relative_db"]), -60, 0.01);
    }
  EXPECT_TRUE(product);
  const ProgramRun run = run_program(folder_, "compare x.h5 --json");
  EXPECT_THAT(run.err, HasSubstr("units-differ"));
  EXPECT_TRUE(run.json()["results"][0]["peaks"][0]["delta_db"].is_null());
}

TEST_F(Files, CoursesDecideBetweenPointsAndSpansWhatIsHeld) {
  make("'u (V): tone 100Hz 1 + tone 300Hz 1 + white 1e-4'", "--rate 1kHz --duration 4s");
  // 0.707 V RMS at 100 Hz: between (10, 10) and (1000, 0.1) the logarithmic course gives 1, the linear 9.1.
  folder_.write("l.csv", "frequency (Hz),line (V)\n10,10\n1000,0.1\n");
  const auto limit_at_100 = [&](const std::string& course) {
    return number_of(json("limits x.h5 --limit l.csv --span 90Hz..110Hz --course " +
                          course)["results"][0]["worst"]["limit"]);
  };
  EXPECT_NEAR(limit_at_100("logarithmic"), 1, 1e-3);
  EXPECT_NEAR(limit_at_100("linear"), 10 - 9.9 * 90 / 990, 1e-3);
  EXPECT_NEAR(limit_at_100("step"), 10, 1e-9);
  // At 300 Hz the logarithmic course gives 1/3.
  const Json d = json("limits x.h5 --limit l.csv", 1);
  EXPECT_NEAR(number_of(d["results"][0]["worst"]["frequency_hz"]), 300, 0.01);
  EXPECT_NEAR(number_of(d["results"][0]["worst"]["margin_db"]), 20 * std::log10(std::sqrt(2) / 3), 0.02);
}

TEST_F(Files, LinesAsFarApartAsAskedAreTheSame) {
  make("'u (V): tone 100Hz 1 + white 1e-4' 'v (V): tone 101Hz 0.5 + white 1e-4'",
       "--rate 1kHz --duration 4s");
  EXPECT_EQ(json("compare x.h5")["results"][0]["peaks"].size(), 2u);
  const Json d = json("compare x.h5 --pair-within 2Hz");
  ASSERT_EQ(d["results"][0]["peaks"].size(), 1u);
  EXPECT_NEAR(number_of(d["results"][0]["peaks"][0]["delta_db"]), 20 * std::log10(0.5), 0.02);
}

TEST_F(Files, TheProgramAloneSaysWhichPartIsMissing) {
  make("'u (V): tone 100Hz 1'", "--rate 1kHz --duration 1s");
  fs::create_directories(folder_.path("alone/bin"));
  fs::copy_file(tested_program(), folder_.path("alone/bin/vprism"));
  const auto run = [&] {
    return std::system(
        ("cd '" + folder_.path() + "' && alone/bin/vprism inspect x.h5 --json > .out 2> .err").c_str());
  };
  EXPECT_EQ(WEXITSTATUS(run()), 3);
  EXPECT_THAT(ScratchFolder::read(folder_.path(".err")), HasSubstr("vprism-containers.so"));
  // Installed, it stands in lib.
  fs::create_directories(folder_.path("alone/lib/vprism"));
  fs::copy_file(fs::path(tested_program()).parent_path() / "vprism-containers.so",
                folder_.path("alone/lib/vprism/vprism-containers.so"));
  EXPECT_EQ(WEXITSTATUS(run()), 0) << ScratchFolder::read(folder_.path(".err"));
}

}  // namespace
}  // namespace vprism::line_up_files_test
