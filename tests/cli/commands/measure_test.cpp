// The commands `distortion`, `limits` and `compare` as their users run them.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::measure_test {
namespace {

using ::testing::HasSubstr;
using Json = nlohmann::json;

const char* const mount =
    "'" VPRISM_SOURCE "/demo/data/mount-daq.wav' --calibrate '*: sensitivity 100 mV/(m/s^2)' ";

class Measure : public ::testing::Test {
 protected:
  void make(const std::string& name, const std::string& channels, const std::string& how) {
    const ProgramRun run = run_program(
        folder_, "generate " + channels + " " + how + " --to hdf5 --name " + name + " --out . --force");
    ASSERT_EQ(run.status, 0) << run.err;
  }
  Json json(const std::string& arguments, int status = 0) {
    const ProgramRun run = run_program(folder_, arguments + " --json --quiet");
    EXPECT_EQ(run.status, status) << arguments << ": " << run.err;
    return run.json();
  }
  ScratchFolder folder_;
};

TEST_F(Measure, AmplifierHasTheDistortionOfTheTruthTable) {
  const Json d =
      json("distortion '" VPRISM_SOURCE
           "/demo/data/amp-sim.raw' --chain 'regrid 200kHz cubic' --gate 8ms..25ms --channel 'V(out)'");
  const Json& r = d["results"][0];
  EXPECT_NEAR(number_of(r["fundamental_hz"]), 1000, 1e-4);
  EXPECT_NEAR(number_of(r["fundamental_level"]), 2.06029 / std::sqrt(2), 2e-4);
  EXPECT_NEAR(number_of(r["thd_percent"]), 0.105, 0.001);
  EXPECT_NEAR(number_of(r["harmonics"][0]["level"]), 0.002125 / std::sqrt(2), 2e-5);
  EXPECT_NEAR(number_of(r["harmonics"][1]["level"]), 0.0004107 / std::sqrt(2), 1e-5);
  EXPECT_NEAR(number_of(r["thd_n_db"]), -number_of(r["sinad_db"]), 1e-12);
}

TEST_F(Measure, TwoChannelsStandSideBySideAndFilesAreWritten) {
  make("two", "'clean (V): tone 997Hz 1' 'bent (V): tone 997Hz 1 harmonics 0.01,0.001'",
       "--rate 48kHz --duration 1s");
  const ProgramRun run = run_program(folder_, "distortion two.h5 --harmonics 5 --full-scale 2 --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("clean"));
  EXPECT_THAT(run.out, HasSubstr("1.005 %"));  // sqrt(1e-4 + 1e-6)
  EXPECT_THAT(ScratchFolder::read(folder_.path("o/two-distortion.csv")), HasSubstr("bent,2,1994,"));
  EXPECT_GT(ScratchFolder::read(folder_.path("o/two-distortion.png")).size(), 1000u);
}

TEST_F(Measure, NothingToMeasureIsOneClearLine) {
  make("noise", "'x (V): white 1'", "--rate 1kHz --duration 2s");
  ProgramRun run = run_program(folder_, "distortion noise.h5 --json");
  EXPECT_EQ(run.status, 4);
  EXPECT_THAT(run.err, HasSubstr("no line stands above the noise"));
  make("slow", "'x (V): tone 1Hz 1'", "--rate 1kHz --duration 2s");
  run = run_program(folder_, "distortion slow.h5 --json");
  EXPECT_EQ(run.status, 4);
  EXPECT_THAT(run.err, HasSubstr("record at least 3"));
  EXPECT_EQ(run_program(folder_, "distortion slow.h5 --full-scale 0 --json").status, 2);
}

TEST_F(Measure, TheMirrorCellExceedsItsLimitAtTheCooler) {
  const Json d = json(std::string("limits ") + mount +
                          "--channel 'mirror cell' --limit '" VPRISM_SOURCE "/demo/data/jitter-limit.csv'",
                      1);
  const Json& r = d["results"][0];
  EXPECT_EQ(text_of(r["verdict"]), "fail");
  EXPECT_EQ(text_of(d["verdict"]), "fail");
  EXPECT_NEAR(number_of(r["worst"]["frequency_hz"]), 31.2, 0.01);
  // 0.0566 m/s^2 in 0.1875 Hz over a line from (20, 1e-4) to (100, 1e-5), straight over logarithms.
  const double level = std::pow(0.0565685, 2) / 0.1875,
               limit = 1e-4 * std::pow(0.1, std::log(31.2 / 20) / std::log(5.0));
  EXPECT_NEAR(number_of(r["worst"]["limit"]), limit, 1e-3 * limit);
  EXPECT_NEAR(number_of(r["worst"]["margin_db"]), 10 * std::log10(limit / level), 0.1);
  EXPECT_EQ(text_of(json(std::string("limits ") + mount +
                             "--channel pier --limit '" VPRISM_SOURCE
                             "/demo/data/jitter-limit.csv' --span 50Hz..100Hz",
                         0)["verdict"]),
            "pass");
}

TEST_F(Measure, LimitsInTomlHaveTheirOwnCourseScaleAndDetector) {
  make("x", "'u (V): tone 100Hz 1 + burst 300Hz 1 from 4s for 1s' 'i (A): tone 50Hz 1'",
       "--rate 1kHz --duration 20s");
  folder_.write("l.toml", R"([[limit]]
name = "tone"
channel = "u"
scale = "peak"
course = "linear"
points = [["50 Hz", 0.9], ["150 Hz", 0.9]]
[[limit]]
name = "bursts"
channel = "u"
unit = "mV"
detector = "peak"
points = [["250 Hz", 300], [350, 300]]
[[limit]]
name = "mean"
channel = "u"
points = [[250, 0.3], [350, 0.3]]
)");
  const Json d = json("limits x.h5 --limit l.toml --segment 1000", 1);
  ASSERT_EQ(d["results"].size(), 3u);
  EXPECT_NEAR(number_of(d["results"][0]["worst"]["margin_db"]), 20 * std::log10(0.9), 0.01);
  EXPECT_EQ(text_of(d["results"][1]["verdict"]), "fail");
  EXPECT_EQ(text_of(d["results"][1]["detector"]), "peak");
  EXPECT_EQ(text_of(d["results"][2]["verdict"]), "pass");
}

TEST_F(Measure, LimitsThatDoNotFitAreOneClearLine) {
  make("x", "'u (V): tone 100Hz 1'", "--rate 1kHz --duration 2s");
  const auto complaint = [&](const std::string& name, const std::string& text, int status) {
    folder_.write(name, text);
    const ProgramRun run = run_program(folder_, "limits x.h5 --limit " + name + " --json --quiet");
    EXPECT_EQ(run.status, status) << run.err;
    return run.err;
  };
  EXPECT_THAT(complaint("a.csv", "frequency (Hz),l (A)\n10,1\n20,1\n", 2), HasSubstr("does not fit"));
  EXPECT_THAT(complaint("b.csv", "frequency (Hz),l (V)\n1000,1\n2000,1\n", 4),
              HasSubstr("no level to compare"));
  EXPECT_THAT(complaint("c.toml", "[[limit]]\npoints = [[1, 1]]\n", 2), HasSubstr("two points"));
  EXPECT_THAT(complaint("d.toml", "[[limit]]\npoint = 1\n", 2), HasSubstr("did you mean \"points\""));
  EXPECT_THAT(complaint("e.csv", "time (s),l (V)\n1,1\n2,1\n", 2), HasSubstr("frequency"));
  EXPECT_EQ(run_program(folder_, "limits x.h5 --json").status, 2);
}

TEST_F(Measure, BeforeAndAfterListWhatChanged) {
  make("before", "'u (V): tone 31.2Hz 1 + tone 50Hz 0.1 + tone 120Hz 0.2 + white 1e-4'",
       "--rate 1kHz --duration 20s");
  make("after", "'u (V): tone 31.2Hz 0.5 + tone 50Hz 0.1 + tone 77Hz 0.05 + white 1e-4'",
       "--rate 2kHz --duration 9s --seed 5");
  const Json d = json("compare before.h5 after.h5 --before-after");
  const Json& r = d["results"][0];
  ASSERT_EQ(r["peaks"].size(), 4u);
  EXPECT_NEAR(number_of(r["peaks"][0]["delta_db"]), 20 * std::log10(0.5), 0.02);
  EXPECT_EQ(text_of(r["peaks"][0]["fate"]), "down");
  EXPECT_EQ(text_of(r["peaks"][1]["fate"]), "same");
  EXPECT_EQ(text_of(r["peaks"][2]["fate"]), "new");
  EXPECT_EQ(text_of(r["peaks"][3]["fate"]), "gone");
  std::string codes;
  for (const Json& c : d["cautions"]) codes += text_of(c["code"]) + " ";
  EXPECT_THAT(codes, HasSubstr("common-rbw"));
  for (const Json& band : r["bands"])
    if (number_of(band["low_hz"]) < 31.2 && number_of(band["high_hz"]) > 31.2) {
      EXPECT_NEAR(number_of(band["delta_db"]), -6.02, 0.1);
    }
  EXPECT_GT(number_of(r["likeness"]), 0.1);
}

TEST_F(Measure, SavedResultsAndOtherSettingsAreSidesToo) {
  make("x", "'u (V): tone 100.3Hz 1 + white 1e-4' 'v (V): tone 100.3Hz 2 + white 1e-4'",
       "--rate 1kHz --duration 10s");
  folder_.write("saved.json",
                run_program(folder_, "spectrum x.h5 --channel u --json --quiet --scale peak").out);
  Json d = json("compare saved.json x.h5 --channel u");
  ASSERT_EQ(d["results"].size(), 1u);
  EXPECT_NEAR(number_of(d["results"][0]["peaks"][0]["delta_db"]), 0, 1e-6);
  d = json("compare x.h5 --channel u --versus '--window flat-top'");
  EXPECT_NEAR(number_of(d["results"][0]["peaks"][0]["delta_db"]), 0, 0.01);
  d = json("compare x.h5 --channel u --channel v");
  EXPECT_NEAR(number_of(d["results"][0]["peaks"][0]["delta_db"]), 6.0206, 0.01);
  EXPECT_EQ(run_program(folder_, "compare x.h5 --channel u --json").status, 2);
  EXPECT_EQ(run_program(folder_, "compare x.h5 --versus '--windoww hann' --json").status, 2);
  folder_.write("bad.json", "{}");
  EXPECT_EQ(run_program(folder_, "compare bad.json x.h5 --json").status, 3);
  ASSERT_EQ(run_program(folder_, "spectrum x.h5 --channel u --out s --quiet --figure none").status, 0);
  d = json("compare s/x-spectrum.csv x.h5 --channel 'u*'");
  EXPECT_NEAR(number_of(d["results"][0]["peaks"][0]["delta_db"]), 0, 0.05);
}

}  // namespace
}  // namespace vprism::measure_test
