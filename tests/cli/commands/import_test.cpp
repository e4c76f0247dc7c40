// Import from the command line: every demo recording without options, convert and back, layouts, joins, axes.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::import_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

std::string data(const std::string& name) { return "'" VPRISM_SOURCE "/demo/data/" + name + "'"; }

struct DemoRecording {
  const char* file;
  std::size_t channels;
  int samples;
  double rate_hz;  ///< 0: no time axis.
  const char* says;
};

class DemoRecordings : public ::testing::TestWithParam<DemoRecording> {};

TEST_P(DemoRecordings, AreRightWithoutOptions) {
  const ScratchFolder folder;
  const DemoRecording& d = GetParam();
  const ProgramRun run = run_program(folder, "inspect " + data(d.file) + " --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  EXPECT_EQ(document["results"].size(), d.channels);
  const auto& first = document["results"][0];
  EXPECT_EQ(number_of(first["samples"]), d.samples);
  if (d.rate_hz > 0) {
    EXPECT_NEAR(number_of(first["rate_hz"]), d.rate_hz, 1e-6 * d.rate_hz);
  }
  EXPECT_THAT(run_program(folder, "inspect " + data(d.file) + " --figure none").out, HasSubstr(d.says));
}

INSTANTIATE_TEST_SUITE_P(
    All, DemoRecordings,
    ::testing::Values(
        DemoRecording{"drive-scope.csv", 2, 20000, 1e6, "rate 1 MHz (time column)"},
        DemoRecording{"mount-daq.wav", 4, 98304, 4096, "mirror cell"},
        DemoRecording{"mount-daq.h5", 4, 98304, 4096, "HDF5, recording layout"},
        DemoRecording{"amp-sim.raw", 3, 1422, 1421 / 25e-3, "* 2  Transient Analysis"},
        DemoRecording{"tap-test.uff", 4, 20480, 2048, "universal file, data set 58b, time response"},
        DemoRecording{"fringe-scan.txt", 1, 1690, 0, "along \"Stage position\" from -42 um to 41.9586 um"},
        DemoRecording{"laser-beat.sigmf-meta", 2, 200000, 2e5, "1 complex channel"}));

TEST(Inspect, GivesMomentsMedianAndThumbnailInOneScreen) {
  const ScratchFolder folder;
  folder.write("x.csv", "t (s),a (V)\n0,1\n1,2\n2,3\n3,10\n");
  const ProgramRun run = run_program(folder, "inspect x.csv --json");
  const auto r = run.json()["results"][0];
  EXPECT_EQ(number_of(r["median"]), 2.5);
  EXPECT_EQ(number_of(r["mean"]), 4);
  EXPECT_NEAR(number_of(r["variance"]), 50.0 / 3, 1e-12);
  EXPECT_NEAR(number_of(r["std"]), std::sqrt(50.0 / 3), 1e-12);
  // Third central moment 45 over (50/4)^1.5.
  EXPECT_NEAR(number_of(r["skewness"]), 45 / std::pow(12.5, 1.5), 1e-12);
  const std::string text = run_program(folder, "inspect x.csv --figure none").out;
  for (const char* word : {"median", "variance", "skew", "kurtosis", "shape", "\u2588"})
    EXPECT_THAT(text, HasSubstr(word));
}

TEST(Inspect, LayoutTellsWhatEachLineIs) {
  const ScratchFolder folder;
  folder.write("x.csv", "Recorder: bench\nt,a\ns,V\n0,1\n1,2\n2,3\n");
  const std::string text = run_program(folder, "inspect x.csv --layout --figure none").out;
  EXPECT_THAT(text, HasSubstr("preamble: Recorder: bench"));
  EXPECT_THAT(text, HasSubstr("units of the columns: s,V"));
  EXPECT_THAT(run_program(folder, "inspect " + data("mount-daq.wav") + " --layout --figure none").out,
              HasSubstr("not a text table"));
}

TEST(Inspect, PartsAreListedAndChosen) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "inspect " + data("amp-sim.raw") + " --part 1 --json");
  EXPECT_EQ(number_of(run.json()["inputs"][0]["part"]), 1);
  EXPECT_EQ(number_of(run.json()["results"][0]["samples"]), 1);
  const ProgramRun wrong = run_program(folder, "inspect " + data("amp-sim.raw") + " --part 3");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("--part"));
}

TEST(Import, MissingCellsAreToldHowToBeTreated) {
  const ScratchFolder folder;
  folder.write("x.csv", "t (s),a (V)\n0,1\n1,--\n2,3\n3,4\n");
  const ProgramRun refused = run_program(folder, "inspect x.csv");
  EXPECT_EQ(refused.status, 3);
  EXPECT_THAT(refused.err, HasSubstr("x.csv:3:2"));
  const ProgramRun filled = run_program(folder, "inspect x.csv --missing interpolate --json");
  EXPECT_EQ(number_of(filled.json()["results"][0]["mean"]), 2.5);
  const ProgramRun gaps = run_program(folder, "inspect x.csv --missing gap --json");
  EXPECT_EQ(number_of(gaps.json()["results"][0]["missing"]), 1);
}

TEST(Import, NumbersThatStandForMissingAreGaps) {
  const ScratchFolder folder;
  std::string text = "t (s),a (V)\n";
  for (int n = 0; n < 2000; ++n)
    text += fmt::format("{:.3f},{:.6f}\n", 0.001 * n,
                        n == 700 || n == 701 || n == 1990 ? -9999 : 2 + std::sin(0.4 * n));
  folder.write("x.csv", text);
  const ProgramRun run = run_program(folder, "inspect x.csv --json");
  const auto found = run.json()["results"][0];
  EXPECT_EQ(number_of(found["missing"]), 3);
  EXPECT_NEAR(number_of(found["mean"]), 2, 0.01);
  EXPECT_THAT(run.err, HasSubstr("-9999 stands 3 times, first at sample 701 (700 ms)"));
  EXPECT_THAT(run.err, HasSubstr("[missing-marks]"));
  const auto none = run_program(folder, "inspect x.csv --missing-value none --json").json();
  EXPECT_NEAR(number_of(none["results"][0]["min"]), -9999, 1e-9);
  EXPECT_THAT(run_program(folder, "inspect x.csv --missing-value -9999 --missing-value 5 --json").err,
              HasSubstr("--missing-value: no sample is 5"));
  // A stream can't be looked through beforehand: what is said counts.
  const std::string watch =
      "watch x.csv --every 200ms --idle-end 100ms --resolution 20Hz --out w --figure none";
  EXPECT_THAT(run_program(folder, watch).out, HasSubstr("-10 kV"));
  const ProgramRun given = run_program(folder, watch + " --missing-value -9999");
  EXPECT_THAT(given.out, ::testing::AllOf(HasSubstr("least"), ::testing::Not(HasSubstr("-10 kV"))));
}

TEST(Import, OverridesReachTheReader) {
  const ScratchFolder folder;
  folder.write("x.txt", "1:2:3\n2:4:6\n3:6:8\n");
  const auto run =
      run_program(folder, "inspect x.txt --delimiter : --axis 1 --columns 3 --axis-scale '2 ms' --json")
          .json();
  EXPECT_EQ(run["results"].size(), 1u);
  EXPECT_NEAR(number_of(run["results"][0]["rate_hz"]), 500, 1e-9);
  EXPECT_EQ(number_of(run["results"][0]["max"]), 8);
  for (const char* bad : {"--delimiter dot", "--decimal colon", "--missing maybe", "--join sideways",
                          "--axis-scale s", "--delay-line V", "--header-rows -1", "--unit x"}) {
    const ProgramRun wrong = run_program(folder, std::string("inspect x.txt ") + bad);
    EXPECT_EQ(wrong.status, 2) << bad;
    EXPECT_THAT(wrong.err, HasSubstr(std::string(bad).substr(0, 6))) << bad;
  }
}

TEST(Import, ADelayLineMakesTimesOfPositions) {
  const ScratchFolder folder;
  const auto r = run_program(folder, "inspect " + data("fringe-scan.txt") + " --delay-line um --json").json();
  // 83.9586 um of stage: 2 x / c = 560.11 fs.
  EXPECT_NEAR(number_of(r["results"][0]["duration_s"]), 2 * 83.9586e-6 / 299792458, 1e-18);
  EXPECT_THAT(run_program(folder, "spectrum " + data("fringe-scan.txt")).err, HasSubstr("--delay-line"));
}

TEST(Import, FilesAreJoinedByChannelsAndInTime) {
  const ScratchFolder folder;
  folder.write("a.csv", "t (s),a (V)\n0,1\n1,2\n2,3\n");
  folder.write("b.csv", "t (s),b (V)\n0,4\n1,5\n2,6\n");
  folder.write("c.csv", "t (s),a (V)\n5,7\n6,8\n7,9\n");
  const auto channels = run_program(folder, "inspect a.csv b.csv --join channels --json").json();
  EXPECT_EQ(channels["results"].size(), 2u);
  EXPECT_EQ(text_of(channels["results"][1]["channel"]), "b");
  const ProgramRun time = run_program(folder, "inspect a.csv c.csv --join time --json");
  EXPECT_EQ(number_of(time.json()["results"][0]["samples"]), 8);
  EXPECT_EQ(number_of(time.json()["results"][0]["missing"]), 2);
  EXPECT_THAT(time.err, HasSubstr("join-gap"));
  EXPECT_EQ(run_program(folder, "inspect a.csv --join time").status, 2);
  folder.write("d.csv", "t (s),d (V)\n0,4\n0.5,5\n1,6\n");
  const ProgramRun rates = run_program(folder, "inspect a.csv d.csv --join channels --json");
  EXPECT_EQ(number_of(rates.json()["results"][0]["rate_hz"]), 2);
  EXPECT_THAT(rates.err, HasSubstr("rate-joined"));
  folder.write("e.csv", "Frequency (Hz),e (V)\n1,4\n2,5\n3,6\n");
  EXPECT_EQ(run_program(folder, "inspect a.csv e.csv --join channels").status, 4);
}

TEST(Import, NoneOfTheJoinedFilesIsEverWritten) {
  const ScratchFolder folder;
  folder.write("a.csv", "t (s),a (V)\n0,1\n1,2\n2,3\n");
  const std::string second = "t (s),b (V)\n0,4\n1,5\n2,6\n";
  folder.write("a-inspect.csv", second);
  const ProgramRun run = run_program(folder, "inspect a.csv a-inspect.csv --join channels --out . --force");
  EXPECT_EQ(run.status, 5);
  EXPECT_EQ(ScratchFolder::read(folder.path("a-inspect.csv")), second);
}

TEST(Import, UnitsAreConvertedOrRefused) {
  const ScratchFolder folder;
  folder.write("x.csv", "t (s),acc (g)\n0,1\n1,2\n2,3\n");
  const auto r = run_program(folder, "inspect x.csv --unit 'acc: m/s^2' --json").json();
  EXPECT_NEAR(number_of(r["results"][0]["max"]), 3 * 9.80665, 1e-12);
  const ProgramRun wrong = run_program(folder, "inspect x.csv --unit 'acc: V'");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("can't be converted"));
  EXPECT_EQ(run_program(folder, "inspect x.csv --unit 'force: N'").status, 2);
}

TEST(Import, AUnitThatCanNotBeReadIsKeptAndTold) {
  const ScratchFolder folder;
  folder.write("with.csv", "t (s),a (blorp)\n0,1\n1,2\n2,3\n");
  folder.write("without.csv", "t (s),a (kPa)\n0,1\n1,2\n2,3\n");
  const ProgramRun with = run_program(folder, "inspect with.csv --json");
  EXPECT_EQ(text_of(with.json()["results"][0]["unit"]), "blorp");
  EXPECT_THAT(with.err, HasSubstr("the unit \"blorp\" can't be read"));
  EXPECT_THAT(run_program(folder, "inspect without.csv --json").err, Not(HasSubstr("can't be read")));
  EXPECT_EQ(run_program(folder, "inspect with.csv --unit 'a: Pa'").status, 2);
}

TEST(Import, AComplexSweepIsShownAsAmplitudeAndPhase) {
  const ScratchFolder folder;
  const ProgramRun run =
      run_program(folder, "inspect '" VPRISM_SOURCE "/tests/data/rc-binary.raw' --part 'AC Analysis' --json");
  const auto results = run.json()["results"];
  ASSERT_EQ(results.size(), 6u);
  EXPECT_EQ(text_of(results[1]["part"]), "amplitude");
  EXPECT_EQ(text_of(results[4]["part"]), "phase");
  // v(out) at 10 Hz and 10 kHz: |1 / (1 + j w RC)|, -atan(w RC), RC = 1 ms.
  EXPECT_NEAR(number_of(results[1]["max"]), 1 / std::hypot(1, 2 * M_PI * 0.01), 1e-6);
  EXPECT_NEAR(number_of(results[4]["min"]), -std::atan(2 * M_PI * 10) * 180 / M_PI, 1e-4);
}

TEST(Convert, WritesEveryFormatAndReadsItBack) {
  const ScratchFolder folder;
  for (const std::string to : {"hdf5", "wav", "csv", "universal", "universal-text", "sigmf"}) {
    const ProgramRun run = run_program(
        folder, "convert " + data("mount-daq.wav") + " --to " + to + " --gate 0s..2s --out " + to);
    ASSERT_EQ(run.status, 0) << to << run.err;
    std::string written;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path(to)))
      if (entry.path().extension() != ".sigmf-data") written = entry.path().string();
    const auto back = run_program(folder, "inspect '" + written + "' --json").json();
    EXPECT_EQ(number_of(back["results"][0]["samples"]), 8192) << to;
    EXPECT_EQ(text_of(back["results"][1]["channel"]), "fork") << to;
    EXPECT_EQ(text_of(back["results"][1]["unit"]), "V") << to;
    EXPECT_NEAR(number_of(back["results"][1]["rate_hz"]), 4096, 1e-6) << to;
  }
}

TEST(Convert, CalibratesOnTheWayAndKeepsExistingOutputs) {
  const ScratchFolder folder;
  folder.write("x.csv", "t (s),a\n0,1\n1,2\n2,3\n");
  ASSERT_EQ(run_program(folder, "convert x.csv --to csv --calibrate 'a: sensitivity 1 V/g' --unit 'a: m/s^2'")
                .status,
            0);
  EXPECT_THAT(ScratchFolder::read(folder.path("vprism-out/x.csv")), HasSubstr("a (m/s^2)\n0,9.80665\n"));
  EXPECT_EQ(run_program(folder, "convert x.csv --to csv").status, 0);  // Its own earlier output.
  EXPECT_THAT(ScratchFolder::read(folder.path("vprism-out/x.csv")), HasSubstr("0,1\n"));
  folder.write("vprism-out/x.csv", "edited");
  EXPECT_EQ(run_program(folder, "convert x.csv --to csv").status, 5);
  EXPECT_EQ(ScratchFolder::read(folder.path("vprism-out/x.csv")), "edited");
  EXPECT_EQ(run_program(folder, "convert x.csv --to csv --out . --force").status,
            5);  // An input is never written.
  EXPECT_EQ(run_program(folder, "convert x.csv").status, 2);
  const ProgramRun wrong = run_program(folder, "convert x.csv --to hdf");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("did you mean \"hdf5\""));
  const ProgramRun refused = run_program(folder, "convert " + data("laser-beat.sigmf-meta") + " --to wav");
  EXPECT_EQ(refused.status, 4);
  EXPECT_FALSE(std::filesystem::exists(folder.path("vprism-out/laser-beat.wav")));
}

TEST(Memory, StaysBelowAHundredMegabytesForLongText) {
  const ScratchFolder folder;
  {
    std::ofstream out(folder.path("long.csv"));
    out << "t (s),a (V)\n";
    std::string piece;
    for (int n = 0; n < 2500000; ++n) {
      piece += std::to_string(n) + "e-6,0." + std::to_string(100000 + n % 7919) + "\n";
      if (piece.size() > 1 << 20) out << piece, piece.clear();
    }
    out << piece;
  }
  const double megabytes = peak_memory_mb(folder, "inspect long.csv --figure none --json");
  EXPECT_GT(megabytes, 0);
  if (tested_program_is_sanitized()) GTEST_SKIP() << "the sanitizer takes memory of its own";
  EXPECT_LT(megabytes, 100);
}

TEST(Inspect, SaysWhatAFileIsForWithALineToType) {
  const ScratchFolder folder;
  folder.write("ac sweep.csv", "f (Hz),H re,H im\n10,1,0\n20,1,-1\n40,0,-1\n");
  folder.write("levels.csv", "f (Hz),level (dBuV)\n10,1\n20,3\n40,2\n");
  folder.write("counts.csv", "x\n1\n5\n2\n9\n");
  const std::pair<std::string, std::string> expected[] = {
      {"'" VPRISM_SOURCE "/demo/data/cell-field.h5'", "vprism field "},
      {"'" VPRISM_SOURCE "/demo/data/tap-test.uff'", " --reference hammer"},
      {"'" VPRISM_SOURCE "/demo/data/drive-scope.csv'", "vprism survey "},
      {"'" VPRISM_SOURCE "/demo/data/laser-beat.sigmf-meta'", "vprism spectrum "},
      {"'" VPRISM_SOURCE "/demo/data/amp-sim.raw'", "vprism spectrum "},
      {"'ac sweep.csv'", "vprism response 'ac sweep.csv'"},
      {"levels.csv", "vprism limits levels.csv"},
      {"counts.csv", "--rate RATE"}};
  for (const auto& [file, line] : expected) {
    const ProgramRun run = run_program(folder, "inspect --force --figure none " + file);
    EXPECT_EQ(run.status, 0) << file << run.err;
    EXPECT_THAT(run.out, ::testing::HasSubstr("for example")) << file;
    EXPECT_THAT(run.out, ::testing::HasSubstr(line)) << file;
  }
  // What was typed to read the file stands in the lines, too.
  const ProgramRun rated = run_program(folder, "inspect --force --figure none --rate '2 kHz' counts.csv");
  EXPECT_THAT(rated.out, ::testing::HasSubstr("vprism inspect counts.csv --rate '2 kHz'"));
  const auto document = document_of(folder, "inspect levels.csv --figure none");
  EXPECT_EQ(document["inputs"][0]["purpose"], "a spectrum");
  EXPECT_GE(document["inputs"][0]["next"].size(), 2u);
}

}  // namespace
}  // namespace vprism::import_test
