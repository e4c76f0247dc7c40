// bounds_test.cpp: documented bounds, at each and one past it.
#include <gmock/gmock.h>

#include "cli/run_program.h"

namespace vprism {
namespace {

using testing::HasSubstr;

TEST(Bounds, FourThousandAndNinetySixChannelsAreRead) {
  const ScratchFolder folder;
  folder.write("x.bin", std::string(2 * 4097 * 4096, '\3'));
  EXPECT_EQ(
      run_program(folder, "inspect x.bin --binary i8:4096ch --rate 1kHz --gate 0s..2ms --quiet --figure none")
          .status,
      0);
  EXPECT_THAT(error_line(folder, "inspect x.bin --binary i8:4097ch --rate 1kHz", 2),
              HasSubstr("at most 4096"));
  for (const std::size_t channels : {std::size_t{4096}, std::size_t{4097}}) {
    std::string row;
    for (std::size_t c = 0; c < channels; ++c) row += (c > 0 ? "," : "") + std::to_string(c % 7);
    folder.write("x.csv", row + "\n" + row + "\n" + row + "\n");
    const ProgramRun run = run_program(folder, "inspect x.csv --rate 1kHz --quiet --figure none");
    EXPECT_EQ(run.status, channels == 4096 ? 0 : 3) << run.err;
  }
}

TEST(Bounds, CountsAreTakenUpToTheirs) {
  const ScratchFolder folder;
  std::string rows = "t (s),u (V)\n";
  for (int n = 0; n < 3000; ++n)
    rows += std::to_string(n * 1e-3) + "," + std::to_string((n * n) % 17 + 5 * (n % 20)) + "\n";
  folder.write("a.csv", rows);
  const std::vector<std::tuple<std::string, std::string, int>> bounds = {
      {"spectrum", "--peaks", 10000}, {"spectrum", "--threads", 1024}, {"distortion", "--harmonics", 1000},
      {"cycles", "--orders", 10000},  {"spectrogram", "--ridges", 64}, {"scalogram", "--voices", 96}};
  for (const auto& [command, option, most] : bounds) {
    const std::string line = command + " a.csv --figure none --quiet " + option + " ";
    const ProgramRun at = run_program(folder, line + std::to_string(most));
    EXPECT_TRUE(at.status == 0 || at.status == 4) << line << at.err;
    EXPECT_THAT(error_line(folder, command + " a.csv " + option + " " + std::to_string(most + 1), 2),
                HasSubstr("at most " + std::to_string(most)));
  }
}

}  // namespace
}  // namespace vprism
