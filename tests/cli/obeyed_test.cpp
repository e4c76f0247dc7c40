// obeyed_test.cpp: options that a command takes change its table, its document or its files.
#include <gmock/gmock.h>

#include <filesystem>
#include <map>

#include "cli/run_program.h"

namespace vprism::obeyed_test {
namespace {

/// All that a run gives: the table, the results and findings of its document, and the other files.
std::string all_of(const ScratchFolder& folder, const std::string& line, int& status) {
  std::filesystem::remove_all(folder.path("out"));
  const ProgramRun run = run_program(folder, line + " --out out --figure data --force");
  status = run.status;
  std::string out = run.out;
  std::map<std::string, std::string> files;
  for (const auto& entry : std::filesystem::directory_iterator(folder.path("out")))
    files[entry.path().filename().string()] = ScratchFolder::read(entry.path().string());
  for (const auto& [name, bytes] : files) {
    if (name.ends_with(".html")) continue;  // It names the settings.
    const auto document = nlohmann::json::parse(bytes, nullptr, false);
    if (document.is_object() && document.contains("settings"))
      out += document["results"].dump() + document["findings"].dump() + document["cautions"].dump();
    else
      out += name + bytes;
  }
  return out;
}

struct Command {
  const char* line;
  std::vector<const char*> options;
};

class Options : public ::testing::TestWithParam<Command> {};

TEST_P(Options, AreObeyed) {
  const ScratchFolder folder;
  for (const char* name : {"mount-daq.h5", "drive-scope.csv"})
    std::filesystem::create_symlink(std::string(VPRISM_SOURCE "/demo/data/") + name, folder.path(name));
  folder.write("high.csv", "frequency (Hz),level (V)\n10,1e-5\n2000,1e-5\n");
  folder.write(
      "sweep.csv",
      "frequency (Hz),h re (1),h im (1)\n1,1,0\n2,1,-0.1\n3,1.2,-0.6\n4,0.3,-1\n6,-0.2,-0.3\n9,-0.1,0\n");
  int status = 0;
  const std::string plain = all_of(folder, GetParam().line, status);
  ASSERT_LE(status, 1) << GetParam().line;
  for (const char* option : GetParam().options) {
    const std::string other = all_of(folder, std::string(GetParam().line) + " " + option, status);
    EXPECT_LE(status, 1) << option;
    EXPECT_NE(other, plain) << GetParam().line << " " << option << " changes nothing";
  }
}

INSTANTIATE_TEST_SUITE_P(
    OfCommands, Options,
    ::testing::Values(Command{"spectrum mount-daq.h5 --channel 1",
                              {"--db '2 V'", "--scale psd", "--peaks 2", "--average median",
                               "--span 10Hz..100Hz", "--phase-at 1s", "--overlap 75%", "--resolution 1Hz",
                               "--segment 1000", "--window blackman", "--bands third", "--confidence 95%",
                               "--phase-to 2", "--trace", "--chain 'scale 2'", "--gate 1s..9s"}},
                      Command{"identify mount-daq.h5 --channel 1,2",
                              {"--db '2 V'", "--scale psd", "--average median", "--span 10Hz..100Hz",
                               "--phase-at 1s", "--overlap 75%", "--resolution 1Hz", "--window blackman"}},
                      Command{"compare mount-daq.h5 --channel 1,2",
                              {"--db '2 V'", "--scale psd", "--peaks 2", "--average median",
                               "--span 10Hz..100Hz", "--overlap 75%", "--resolution 1Hz", "--window blackman",
                               "--bands third", "--before-after"}},
                      Command{"condition mount-daq.h5 --channel 1 --chain 'lowpass 900Hz'",
                              {"--db '2 V'", "--scale psd", "--average median", "--span 10Hz..100Hz",
                               "--resolution 1Hz", "--window blackman", "--versus despike"}},
                      Command{"limits mount-daq.h5 --channel 1 --limit high.csv --partial",
                              {"--average median", "--span 10Hz..100Hz", "--resolution 1Hz",
                               "--window blackman"}},
                      Command{"response sweep.csv",
                              {"--at 2Hz", "--phase unwrapped", "--input-density 1", "--span 2Hz..9Hz"}},
                      Command{"spectrum sweep.csv", {"--span 2Hz..9Hz"}},
                      Command{"levels drive-scope.csv --channel 1",
                              {"--every 1ms", "--time-constant 1ms", "--over 1V", "--gate 0s..5ms"}},
                      Command{"peaks drive-scope.csv --channel 1",
                              {"--min-prominence 3V", "--min-height 1V", "--min-distance 200us"}}));

TEST(Options, ThatWouldDoNothingAreNotTaken) {
  const ScratchFolder folder;
  std::filesystem::create_symlink(VPRISM_SOURCE "/demo/data/mount-daq.h5", folder.path("mount-daq.h5"));
  folder.write("high.csv", "frequency (Hz),level (V)\n10,1e-5\n2000,1e-5\n");
  for (const char* line : {"identify mount-daq.h5 --peaks 3", "compare mount-daq.h5 --phase-at 1s",
                           "limits mount-daq.h5 --limit high.csv --db '1 V'",
                           "condition mount-daq.h5 --chain despike --peaks 3"})
    EXPECT_EQ(run_program(folder, line).status, 2) << line;
  // Numbers and names, several at once.
  const auto document = run_program(folder, "inspect mount-daq.h5 --channel '1,pier' --json").json();
  EXPECT_EQ(document["results"].size(), 2u);
}

}  // namespace
}  // namespace vprism::obeyed_test
