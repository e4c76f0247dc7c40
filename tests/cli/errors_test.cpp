// Bad input: one clear line on standard error and the right status, for each way to go wrong.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "cli/run_program.h"

namespace vprism::errors_test {
namespace {

using ::testing::HasSubstr;
using ::testing::StartsWith;

struct Wrong {
  const char* name;
  const char* arguments;
  int status;
  const char* says;
};

class WrongInput : public ::testing::TestWithParam<Wrong> {
 protected:
  void SetUp() override {
    std::string good = "Time (s),CH1 (V)\n", letter = good, rateless = "CH1 (V)\n";
    for (int n = 0; n < 2000; ++n) {
      good += fmt::format("{},{}\n", n * 0.001, n % 17);
      letter += fmt::format("{},{}\n", n * 0.001, n == 1202 ? "q" : "1");
      rateless += fmt::format("{}\n", n % 17);
    }
    folder_.write("good.csv", good);
    folder_.write("letter.csv", letter);
    folder_.write("rateless.csv", rateless);
    folder_.write("empty.csv", "");
    folder_.write("header.csv", "Time (s),CH1 (V)\n");
    const std::string wav = ScratchFolder::read(VPRISM_SOURCE "/demo/data/mount-daq.wav");
    folder_.write("cut.wav", wav.substr(0, wav.size() / 2));
    folder_.write("uneven.csv", "Time (s),CH1 (V)\n0,1\n1,2\n1.2,3\n4,1\n5,2\n7,7\n");
    folder_.write("file", "x");
  }
  ScratchFolder folder_;
};

TEST_P(WrongInput, GetsOneLineAndTheRightStatus) {
  const ProgramRun run = run_program(folder_, GetParam().arguments);
  EXPECT_EQ(run.status, GetParam().status) << run.err;
  EXPECT_THAT(run.err, StartsWith("vprism: "));
  EXPECT_THAT(run.err, HasSubstr(GetParam().says));
  EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
  EXPECT_EQ(run.out, "");
  EXPECT_FALSE(std::filesystem::exists(folder_.path("vprism-out"))) << "nothing may be left behind";
}

INSTANTIATE_TEST_SUITE_P(
    Each, WrongInput,
    ::testing::Values(
        Wrong{"empty_file", "inspect empty.csv", 3, "empty.csv: the file is empty"},
        Wrong{"header_only", "spectrum header.csv", 3, "no row of numbers"},
        Wrong{"letter_in_row_1204", "spectrum letter.csv", 3, "letter.csv:1204:2: \"q\" is not a number"},
        Wrong{"truncated_wav", "spectrum cut.wav", 3, "cut short: its header promises"},
        Wrong{"no_time_and_no_rate", "spectrum rateless.csv", 4,
              "no time column and no rate; give --rate, --interval or --duration"},
        Wrong{"unknown_window", "spectrum good.csv --window hanning", 2,
              "--window: unknown window \"hanning\"; did you mean \"hann\"?"},
        Wrong{"unknown_command", "spektrum good.csv", 2, "did you mean \"spectrum\""},
        Wrong{"unknown_option", "spectrum good.csv --resolutoin 2Hz", 2, "did you mean \"--resolution\""},
        Wrong{"option_without_value", "spectrum good.csv --window", 2, "--window needs a value"},
        Wrong{"switch_with_value", "spectrum good.csv --json=yes", 2, "--json takes no value"},
        Wrong{"option_twice", "spectrum good.csv --window hann --window hann", 2, "--window is given twice"},
        Wrong{"two_rates", "spectrum good.csv --rate 1kHz --interval 1ms", 2,
              "only one of --rate, --interval and --duration"},
        Wrong{"resolution_and_segment", "spectrum good.csv --resolution 2Hz --segment 100", 2,
              "give one of them"},
        Wrong{"no_unit", "spectrum good.csv --resolution 2", 2,
              "--resolution: \"2\" has no unit; write for example \"2 Hz\""},
        Wrong{"wrong_unit", "spectrum good.csv --gate 1Hz..2Hz", 2, "--gate: \"1Hz\" is not a time"},
        Wrong{"unknown_channel", "spectrum good.csv --channel CH2", 2, "did you mean \"CH1\""},
        Wrong{"calibration_of_no_channel", "inspect good.csv --calibrate 'CH2: probe 10'", 2,
              "--calibrate: good.csv: unknown channel"},
        Wrong{"calibration_that_does_not_fit", "inspect good.csv --calibrate 'CH1: sensitivity 3 A/g'", 2,
              "does not fit a channel in V"},
        Wrong{"no_input", "spectrum", 2, "no input"},
        Wrong{"missing_file", "spectrum nowhere.csv", 3, "nowhere.csv: no such file"},
        Wrong{"record_too_short", "spectrum good.csv --resolution 0.1Hz", 4,
              "are needed, 2 s (2000) are there"},
        Wrong{"gate_outside", "spectrum good.csv --gate 5s..6s", 4, "the gate holds no sample"},
        Wrong{"span_outside", "spectrum good.csv --span 600Hz..700Hz", 4, "above half the rate"},
        Wrong{"bad_binary_layout", "inspect good.csv --binary f33le", 2, "did you mean \"f32le\""}),
    [](const auto& tested) { return tested.param.name; });

TEST(Outputs, AFolderThatCannotBeMadeIsStatusFive) {
  const ScratchFolder folder;
  folder.write("a.csv", "Time,v\n0,1\n1,2\n2,1\n3,2\n4,1\n");
  folder.write("file", "x");
  for (const char* out : {"file", "file/deeper", "/proc/nowhere"}) {
    const ProgramRun run = run_program(folder, std::string("spectrum a.csv --quiet --out ") + out);
    EXPECT_EQ(run.status, 5) << out << run.err;
    EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
  }
}

TEST(Outputs, OfTheSameCommandAreReplacedAndWhatWasChangedSinceNeedsForce) {
  const ScratchFolder folder;
  folder.write("a.csv", "Time,v\n0,1\n1,2\n2,1\n3,2\n4,1\n");
  EXPECT_EQ(run_program(folder, "spectrum a.csv --quiet").status, 0);
  EXPECT_EQ(run_program(folder, "spectrum a.csv --quiet").status, 0);  // The same bytes.
  const std::string before = ScratchFolder::read(folder.path("vprism-out/a-spectrum.csv"));
  EXPECT_EQ(run_program(folder, "spectrum a.csv --quiet --window rectangular").status, 0);
  EXPECT_NE(ScratchFolder::read(folder.path("vprism-out/a-spectrum.csv")), before);
  folder.write("vprism-out/a-spectrum.csv", "my notes");
  const ProgramRun other = run_program(folder, "spectrum a.csv --quiet");
  EXPECT_EQ(other.status, 5);
  EXPECT_THAT(other.err, HasSubstr("--force"));
  EXPECT_EQ(ScratchFolder::read(folder.path("vprism-out/a-spectrum.csv")), "my notes");
  EXPECT_EQ(run_program(folder, "spectrum a.csv --quiet --force").status, 0);
  EXPECT_EQ(ScratchFolder::read(folder.path("vprism-out/a-spectrum.csv")), before);
}

TEST(Outputs, AMissingGnuplotIsSaidAndCanBeDoneWithout) {
  const ScratchFolder folder;
  folder.write("a.csv", "Time,v\n0,1\n1,2\n2,1\n3,2\n4,1\n");
  ::setenv("VPRISM_KEPT_PATH", std::getenv("PATH"), 1);
  ::setenv("PATH", "/nowhere", 1);
  const ProgramRun with = run_program(folder, "spectrum a.csv --quiet");
  const ProgramRun without = run_program(folder, "spectrum a.csv --quiet --figure none");
  ::setenv("PATH", std::getenv("VPRISM_KEPT_PATH"), 1);
  EXPECT_EQ(with.status, 5);
  EXPECT_THAT(with.err, HasSubstr("install gnuplot-nox"));
  EXPECT_EQ(without.status, 0) << without.err;
}

}  // namespace
}  // namespace vprism::errors_test
