// folder_recording_test.cpp: recordings of several files: their folder, and what they were made from.
#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>

#include "cli/run_program.h"

namespace vprism::folder_recording_test {
namespace {

using ::testing::HasSubstr;

/// A channel file as vehicle tests have it.
std::string channel_text(const std::string& name, const std::string& unit, double interval, int count,
                         double size) {
  std::string text =
      "Test object number          :1\nName of the channel         :" + name +
      "\nLaboratory channel code     :NOVALUE\nChannel code                :11HEAD0000H3ACXA\n"
      "Direction                   :X\nChannel frequency class     :1000\nUnit                        :" +
      unit + "\nSampling interval           :" + std::to_string(interval) +
      "\nBit resolution              :16\nTime of first sample        :-5.00000E-02\n"
      "Number of samples           :" +
      std::to_string(count) + "\n";
  char line[40];
  for (int n = 0; n < count; ++n) {
    std::snprintf(line, sizeof line, "%.6E\n", size * std::sin(0.2 * n));
    text += line;
  }
  return text;
}

TEST(VehicleTests, AreReadFromTheirFolder) {
  const ScratchFolder folder;
  std::filesystem::create_directories(folder.path("run7/Channel"));
  folder.write("run7/run7.mme", "Data format edition number  :1.6\nLaboratory name             :made up\n");
  folder.write("run7/Channel/run7.chn",
               "Instrumentation standard    :NOVALUE\nNumber of channels          :3\n");
  folder.write("run7/Channel/run7.001", channel_text("Head X", "m/(s*s)", 1e-4, 800, 50));
  folder.write("run7/Channel/run7.002", channel_text("Belt force", "N", 1e-4, 800, 900));
  folder.write("run7/Channel/run7.003", channel_text("Seat", "mm", 1e-3, 90, 3));
  for (const char* path : {"run7", "run7/run7.mme", "run7/Channel/run7.chn"}) {
    const ProgramRun run = run_program(folder, std::string("inspect ") + path + " --json");
    ASSERT_EQ(run.status, 0) << path << run.err;
    const auto document = run.json();
    const auto& input = document["inputs"][0];
    ASSERT_EQ(input["channels"].size(), 2u) << path;
    EXPECT_EQ(input["channels"][0]["name"], "Head X");
    EXPECT_EQ(input["channels"][1]["unit"], "N");
    EXPECT_NEAR(number_of(input["channels"][0]["rate_hz"]), 1e4, 1e-6);
    EXPECT_NEAR(number_of(input["channels"][0]["start_s"]), -0.05, 1e-12);
    EXPECT_EQ(input["parts"].size(), 2u);
    EXPECT_NEAR(number_of(document["results"][1]["max"]), 900, 5);
  }
  const auto other = run_program(folder, "inspect run7 --part 2 --json").json();
  EXPECT_EQ(other["inputs"][0]["channels"][0]["name"], "Seat");
  EXPECT_EQ(run_program(folder, "inspect run7 --part 5").status, 2);
  EXPECT_THAT(codes_of(document_of(folder, "inspect run7")),
              ::testing::Not(::testing::Contains("channels-disagree")));
  folder.write("run7/Channel/run7.chn",
               "Instrumentation standard    :NOVALUE\nNumber of channels          :4\n");
  EXPECT_THAT(codes_of(document_of(folder, "inspect run7")), ::testing::Contains("channels-disagree"));
  std::filesystem::create_directories(folder.path("empty"));
  EXPECT_EQ(run_program(folder, "inspect empty").status, 3);
  folder.write("alone.mme", "Data format edition number  :1.6\n");
  const ProgramRun alone = run_program(folder, "inspect alone.mme");
  EXPECT_EQ(alone.status, 3);
  EXPECT_THAT(alone.err, HasSubstr("no channel file"));
}

TEST(Digests, AreThoseOfAllFilesOfARecording) {
  const ScratchFolder folder;
  for (const char* name : {"laser-beat.sigmf-meta", "laser-beat.sigmf-data"})
    std::filesystem::copy_file(std::string(VPRISM_SOURCE "/demo/data/") + name, folder.path(name));
  const auto digest = [&] {
    const auto document = run_program(folder, "inspect laser-beat.sigmf-meta --json").json();
    return document["inputs"][0]["digest"].get<std::string>();
  };
  const std::string before = digest();
  std::string data = ScratchFolder::read(folder.path("laser-beat.sigmf-data"));
  data[1000] = static_cast<char>(data[1000] ^ 1);
  folder.write("laser-beat.sigmf-data", data);
  EXPECT_NE(digest(), before);
}

}  // namespace
}  // namespace vprism::folder_recording_test
