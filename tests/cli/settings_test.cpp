// settings_test.cpp: options from vprism.toml.
#include <gmock/gmock.h>

#include <filesystem>

#include "cli/run_program.h"

namespace vprism::settings_test {
namespace {

using testing::HasSubstr;

class SettingsFile : public testing::Test {
 protected:
  SettingsFile() {
    std::string rows = "t (s),u (V)\n";
    for (int n = 0; n < 2000; ++n)
      rows += std::to_string(n * 1e-3) + "," + std::to_string((n * 37) % 11) + "\n";
    folder.write("drive-1.csv", rows);
    folder.write("other.csv", rows);
  }
  nlohmann::json run(const std::string& arguments) {
    return document_of(folder, arguments + " --figure none");
  }
  ScratchFolder folder;
};

TEST_F(SettingsFile, GivesWhatIsNotTyped) {
  folder.write("vprism.toml",
               "[all]\npeaks = 3\n\n[spectrum]\nwindow = \"flat-top\"\nsegment = 500\n\n[file.\"drive*\"]\n"
               "calibrate = [\"u: probe 10\"]\n");
  const auto plain = run("spectrum drive-1.csv");
  EXPECT_EQ(text_of(plain["settings"]["window"]), "flat-top");
  EXPECT_EQ(plain["settings"]["segment"].get<int>(), 500);
  EXPECT_EQ(plain["settings"]["peaks"].get<int>(), 3);
  EXPECT_THAT(text_of(plain["settings"]["saved"]["window"]), HasSubstr("vprism.toml:5"));
  EXPECT_THAT(plain["settings"]["calibrate"].dump(), HasSubstr("probe 10"));
  // What is typed goes before, other files have no calibration, and all of it can be left out.
  const auto typed = run("spectrum other.csv --window hann");
  EXPECT_EQ(text_of(typed["settings"]["window"]), "hann");
  EXPECT_EQ(typed["settings"]["segment"].get<int>(), 500);
  EXPECT_FALSE(typed["settings"]["saved"].contains("window"));
  EXPECT_EQ(typed["settings"]["calibrate"].size(), 0u);
  EXPECT_FALSE(run("spectrum drive-1.csv --no-settings")["settings"].contains("saved"));
  EXPECT_THAT(run_program(folder, "settings spectrum").out, HasSubstr("spectrum --window 'flat-top'"));
  // From a folder below as well.
  std::filesystem::create_directory(folder.path("below"));
  const ProgramRun below =
      run_program(folder, "inspect other.csv -q -f none; cd below; '" + tested_program() +
                              "' spectrum ../drive-1.csv --figure none --json -q");
  EXPECT_THAT(below.out, HasSubstr("flat-top"));
}

TEST_F(SettingsFile, MistakesNameFileAndLine) {
  for (const auto& [text, said] : std::vector<std::pair<std::string, std::string>>{
           {"[spectrum]\nwindo = \"hann\"\n", "did you mean \"window\""},
           {"[spectrun]\nwindow = \"hann\"\n", "did you mean \"spectrum\""},
           {"[spectrum]\nwindow = \"hanning-x\"\n", "window"},
           {"[spectrum]\npeaks = true\n", "needs a value"},
           {"window = \"hann\"\n", "unknown section"},
           {"[spectrum\n", "vprism.toml:"},
           {"[all]\nforce = true\n", "type it"},
           {"[spectrum]\nsegment = [1000, 2000]\n", "takes one value"}}) {
    folder.write("vprism.toml", text);
    const std::string line = error_line(folder, "spectrum other.csv", 2);
    EXPECT_THAT(line, HasSubstr(said)) << text;
    EXPECT_THAT(line, HasSubstr("vprism.toml:")) << text;
  }
}

TEST_F(SettingsFile, IsWrittenFromWhatWasTyped) {
  ASSERT_EQ(
      run_program(folder,
                  "spectrum other.csv --window blackman --segment 400 --figure none --quiet --save-settings")
          .status,
      0);
  const std::string text = ScratchFolder::read(folder.path("vprism.toml"));
  EXPECT_THAT(text, HasSubstr("[spectrum]\nwindow = \"blackman\"\nsegment = \"400\""));
  EXPECT_EQ(text_of(run("spectrum other.csv")["settings"]["window"]), "blackman");
  EXPECT_EQ(run_program(folder, "spectrum other.csv --peaks 2 --figure none --quiet --save-settings").status,
            5);
}

}  // namespace
}  // namespace vprism::settings_test
