// bounds_test.cpp: documented bounds, at each and one past it.
#include <gmock/gmock.h>

#include "cli/run_program.h"

namespace vprism::bounds_test {
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
    const ProgramRun run = run_program(folder, "inspect x.csv --no-rows --rate 1kHz --quiet --figure none");
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
      {"spectrum", "--peaks", 10000},      {"spectrum", "--threads", 1024},
      {"distortion", "--harmonics", 1000}, {"cycles", "--orders", 10000},
      {"spectrogram", "--ridges", 64},     {"scalogram", "--rows-per-octave", 96}};
  for (const auto& [command, option, most] : bounds) {
    const std::string line = command + " a.csv --figure none --quiet " + option + " ";
    const ProgramRun at = run_program(folder, line + std::to_string(most));
    EXPECT_TRUE(at.status == 0 || at.status == 4) << line << at.err;
    EXPECT_THAT(error_line(folder, command + " a.csv " + option + " " + std::to_string(most + 1), 2),
                HasSubstr("at most " + std::to_string(most)));
  }
}

TEST(Bounds, ASoundFileHoldsAThousandAndTwentyFourChannels) {
  const ScratchFolder folder;
  folder.write("x.bin", std::string(1025 * 1024, '\3'));
  for (const int channels : {1024, 1025}) {
    const std::string line = "convert x.bin --binary i8:" + std::to_string(channels) +
                             "ch --rate 1kHz --gate 0s..10ms --to wav --out w" + std::to_string(channels);
    if (channels == 1024)
      EXPECT_EQ(run_program(folder, line + " --quiet").status, 0);
    else
      EXPECT_THAT(error_line(folder, line, 4), HasSubstr("at most 1024 channels"));
  }
}

TEST(Bounds, FramesMayBeMissingUpToFourTimesThoseThatAreThere) {
  for (const int last : {79, 80}) {
    const ScratchFolder folder;
    ASSERT_EQ(std::system(("mkdir '" + folder.path("f") + "'").c_str()), 0);
    // Four files: 4 x 4 + 64 frames at most.
    for (const int number : {0, 1, 2, last}) {
      std::string rows = "x (mm),y (mm),u (m/s)\n";
      for (int p = 0; p < 6; ++p)
        rows += std::to_string(p) + ",0," + std::to_string((p * 7 + number) % 5 + 1) + "\n";
      folder.write("f/s_" + std::to_string(number) + ".csv", rows);
    }
    // Too many are missing for an analysis, but the folder is one recording.
    const ProgramRun run = run_program(folder, "field f --rate 1kHz --figure none --quiet");
    EXPECT_EQ(run.status, last == 79 ? 4 : 3) << run.err;
  }
}

}  // namespace
}  // namespace vprism::bounds_test
