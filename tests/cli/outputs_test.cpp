// outputs_test.cpp: what a user is left with when things are run again, missing or full.
#include <gmock/gmock.h>
#include <sys/wait.h>

#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include "cli/run_program.h"

namespace vprism::outputs_test {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;

/// A shell command in the folder, `vprism` being the built program; its exit status.
int shell(const ScratchFolder& folder, const std::string& command) {
  const std::string script =
      "vprism() { '" + tested_program() + "' \"$@\"; }\ncd '" + folder.path() + "'\n" + command;
  folder.write("script.sh", script);
  const int code = std::system(("bash '" + folder.path("script.sh") + "'").c_str());
  return WIFEXITED(code) ? WEXITSTATUS(code) : 128;
}

void write_record(const ScratchFolder& folder, const std::string& name = "a.csv") {
  std::string text = "t (s),u (V),i (A)\n";
  for (int n = 0; n < 2000; ++n) {
    const double t = n * 1e-3;
    text += std::to_string(t) + "," + std::to_string(std::sin(628.3 * t)) + "," +
            std::to_string(std::cos(314.2 * t) + 0.01 * (n % 7)) + "\n";
  }
  folder.write(name, text);
}

TEST(StandardOutput, TakesARecordingOrTheDocument) {
  const ScratchFolder folder;
  write_record(folder);
  const std::string temporary = folder.path("tmp");
  fs::create_directory(temporary);
  EXPECT_EQ(run_program(folder, "convert a.csv --to csv --out o").status, 0);
  for (const std::string& made :
       {"TMPDIR=tmp '" + tested_program() + "' convert a.csv --to csv -o - > x.csv 2> err",
        "TMPDIR=tmp '" + tested_program() + "' convert - --to csv --out - < a.csv > x.csv 2> err"}) {
    EXPECT_EQ(shell(folder, made), 0) << ScratchFolder::read(folder.path("err"));
    EXPECT_EQ(ScratchFolder::read(folder.path("x.csv")), ScratchFolder::read(folder.path("o/a.csv"))) << made;
  }
  // Goes on into the next, whole numbers and all.
  EXPECT_EQ(
      shell(folder,
            "vprism generate 'mast (V): tone 50Hz 2' --rate 1kHz --duration 1s --to wav --out - --quiet | "
            "vprism spectrum - --json --out - --quiet > d.json"),
      0);
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("d.json")));
  EXPECT_EQ(document["command"], "spectrum");
  EXPECT_NEAR(document["results"][0]["peaks"][0]["frequency_hz"].get<double>(), 50, 1e-3);
  EXPECT_EQ(run_program(folder, "spectrum a.csv --out - --quiet").json()["command"], "spectrum");
  EXPECT_FALSE(fs::exists(folder.path("-")));
  EXPECT_FALSE(fs::exists(folder.path("vprism-out")));
  EXPECT_TRUE(fs::is_empty(temporary));
  // Two files have no place there.
  EXPECT_THAT(run_program(folder, "convert a.csv --to sigmf --out - --quiet").err, HasSubstr("--out -"));
}

TEST(Readme, ItsLinesAndTheGuidesRunInTheOrderInWhichTheyStand) {
  const ScratchFolder folder;
  int lines = 0;
  std::set<std::string> seen;
  for (const char* page : {"/README.md", "/docs/guide.md"}) {
    std::ifstream in(std::string(VPRISM_SOURCE) + page);
    for (std::string line; std::getline(in, line);) {
      if (line.rfind("    vprism ", 0) != 0) continue;
      line = line.substr(4 + 7);
      for (const char* tail : {"  #", " | jq", " >> "}) line = line.substr(0, line.find(tail));
      // Placeholders, other nights and devices are not there.
      const bool there = line.find("tern-point") != std::string::npos || line.rfind("demo", 0) == 0 ||
                         line.rfind("generate", 0) == 0;
      if (!there || line.find("--live") != std::string::npos || !seen.insert(line).second) continue;
      ++lines;
      const bool drawn = line.find("--figure") != std::string::npos;
      const ProgramRun run = run_program(folder, line + " --quiet" + (drawn ? "" : " --figure none"));
      EXPECT_LE(run.status, 1) << line << "\n" << run.err;
    }
  }
  EXPECT_GT(lines, 25);
}

TEST(RunAgain, OneCommandReplacesItsOwnAndNeverAnothersOrAUsers) {
  const ScratchFolder folder;
  write_record(folder);
  EXPECT_EQ(shell(folder, "vprism spectrum a.csv --quiet >/dev/null"), 0);
  // Fewer, more and other files than before.
  EXPECT_EQ(shell(folder, "vprism spectrum a.csv --quiet --figure none --scale psd >/dev/null"), 0);
  EXPECT_EQ(shell(folder, "vprism spectrum a.csv --quiet --figure svg --segment 500 >/dev/null"), 0);
  EXPECT_EQ(shell(folder, "vprism spectrum a.csv --quiet --segment 700 >/dev/null"), 0);
  // A copy of the folder without the marks: the documents say whose the files are.
  EXPECT_EQ(shell(folder,
                  "mkdir copy && cat vprism-out/a-spectrum.csv > copy/a-spectrum.csv && "
                  "cat vprism-out/a-spectrum.png > copy/a-spectrum.png && "
                  "cat vprism-out/a-spectrum.json > copy/a-spectrum.json && "
                  "vprism spectrum a.csv --quiet --segment 800 --out copy >/dev/null"),
            0);
  // A user's file is found before anything is computed.
  fs::create_directory(folder.path("mine"));
  folder.write("mine/a-spectrum.csv", "notes");
  const ProgramRun run = run_program(folder, "spectrum a.csv --out mine");
  EXPECT_EQ(run.status, 5);
  EXPECT_EQ(run.out, "");
  EXPECT_THAT(run.err, HasSubstr("--force"));
  EXPECT_EQ(ScratchFolder::read(folder.path("mine/a-spectrum.csv")), "notes");
}

TEST(RunAgain, CommandsOfOneRecordingShareAFolder) {
  const ScratchFolder folder;
  write_record(folder);
  for (const char* command :
       {"inspect", "spectrum", "survey", "identify", "spectrogram", "occupancy", "distortion",
        "cycles --channel u", "rebuild --channel u", "condition --chain 'lowpass 100Hz'",
        "response --reference u", "compare", "spectrum --overlay", "spectrum --gate 0s..100ms --slide 50ms",
        "convert --to hdf5", "scalogram"})
    for (int twice = 0; twice < 2; ++twice) {
      std::string line = command;
      const std::size_t blank = line.find(' ');
      line = line.substr(0, blank) + " a.csv" + (blank == std::string::npos ? "" : line.substr(blank));
      const bool drawn = line.find("--figure") != std::string::npos;
      const ProgramRun run = run_program(folder, line + " --quiet" + (drawn ? "" : " --figure none"));
      EXPECT_EQ(run.status, 0) << line << run.err;
    }
}

TEST(Table, SurvivesAnyLocalePathAndHome) {
  const ScratchFolder folder;
  write_record(folder);
  for (const char* environment :
       {"env -i", "env -i LC_ALL=xx_YY.UTF-8 LANG=none PATH=\"$PATH\"", "env -u HOME TMPDIR=/nowhere",
        "env GNUTERM=qt", "umask 0777;", "env LANGUAGE=de LC_ALL=de_DE.UTF-8"}) {
    const std::string line =
        std::string(environment) + " '" + tested_program() + "' spectrum a.csv --quiet --out out > said";
    EXPECT_EQ(shell(folder, "rm -rf out; " + line), 0) << environment;
    EXPECT_THAT(ScratchFolder::read(folder.path("said")), HasSubstr("total")) << environment;
    EXPECT_TRUE(fs::exists(folder.path("out/a-spectrum.png"))) << environment;
  }
}

TEST(Table, AFigureThatCanNotBeDrawnCostsNothingElse) {
  const ScratchFolder folder;
  write_record(folder);
  folder.write("gnuplot", "#!/bin/sh\nexit 3\n");
  for (const char* path : {"PATH=/nowhere", "PATH=.:$PATH"}) {
    EXPECT_EQ(shell(folder, "chmod +x gnuplot; rm -rf out; export " + std::string(path) +
                                "; vprism survey a.csv --out out > said 2> err"),
              5);
    EXPECT_THAT(ScratchFolder::read(folder.path("said")), HasSubstr("a.csv"));
    EXPECT_THAT(ScratchFolder::read(folder.path("err")), HasSubstr("could not be drawn"));
    EXPECT_TRUE(fs::exists(folder.path("out/a-survey.html")));
    EXPECT_TRUE(fs::exists(folder.path("out/a-survey.json")));
    EXPECT_THAT(ScratchFolder::read(folder.path("out/a-survey.json")), Not(HasSubstr(".png")));
  }
}

TEST(Table, ClosedAndBrokenStreamsKeepNoFileFromItsPlace) {
  const ScratchFolder folder;
  write_record(folder);
  const auto run = [&](const std::string& rest) {
    return shell(folder, "rm -rf out; vprism spectrum a.csv --figure none --quiet --out out " + rest);
  };
  EXPECT_EQ(run("<&- >&- 2>&-"), 0);
  EXPECT_TRUE(fs::exists(folder.path("out/a-spectrum.json")));
  EXPECT_EQ(run("> /dev/full 2> err"), 5);
  EXPECT_THAT(ScratchFolder::read(folder.path("err")), HasSubstr("standard output"));
  // Many channels fill the pipe before its reader is gone.
  const int status = run("> >(head -1 > first); echo $? > status; sleep 0.2");
  EXPECT_EQ(status, 0);
  EXPECT_TRUE(fs::exists(folder.path("out/a-spectrum.json")));
  EXPECT_EQ(run("| true; test -e out/a-spectrum.json"), 0);
}

TEST(FullDisk, GivesOneLineAStatusAndNothingHalf) {
  const ScratchFolder folder;
  write_record(folder);
  for (const char* command :
       {"convert a.csv --to hdf5", "convert a.csv --to wav", "rebuild a.csv --channel u --to hdf5",
        "spectrum a.csv --figure none", "spectrogram a.csv --map hdf5 --figure none"}) {
    // No file may grow beyond two kilobytes.
    EXPECT_EQ(shell(folder, std::string("rm -rf out; ulimit -f 2; vprism ") + command +
                                " --quiet --out out > said 2> err"),
              5)
        << command;
    EXPECT_EQ(ScratchFolder::read(folder.path("err")).find("vprism: "), 0u) << command;
    EXPECT_FALSE(fs::exists(folder.path("out"))) << command;
  }
}

TEST(FullDisk, UnderWhatIsHeldCostsNothingButMemory) {
  const ScratchFolder folder;
  ASSERT_EQ(run_program(folder,
                        "generate 'u (V): tone 313Hz 1 + tone 626Hz 0.01 + white 0.001' --rate 10kHz "
                        "--duration 450s --to npy --out . --quiet")
                .status,
            0);
  std::string recording;
  for (const auto& entry : fs::directory_iterator(folder.path("")))
    if (entry.path().extension() == ".npy") recording = entry.path().filename().string();
  ASSERT_FALSE(recording.empty());
  const std::string line = "set -o pipefail; vprism distortion " + recording +
                           " --rate 10kHz --harmonics 2 --figure none --json --quiet | cat > ";
  // What is held lies in a file beyond 64 MB; here no file may grow beyond one.
  ASSERT_EQ(shell(folder, line + "with"), 0);
  ASSERT_EQ(shell(folder, "(ulimit -f 1024; " + line + "without)"), 0);
  EXPECT_FALSE(ScratchFolder::read(folder.path("with")).empty());
  EXPECT_EQ(ScratchFolder::read(folder.path("with")), ScratchFolder::read(folder.path("without")));
}

TEST(Interrupt, RemovesWhatIsUnfinished) {
  const ScratchFolder folder;
  EXPECT_EQ(shell(folder, "'" + tested_program() +
                              "' generate 'u (V): white 1' --rate 1MHz --duration 2000s --to wav --out out "
                              "--quiet > said & sleep 0.5; kill -TERM $!; wait $!; test $? -gt 128"),
            0);
  EXPECT_TRUE(!fs::exists(folder.path("out")) || fs::is_empty(folder.path("out")));
}

TEST(Figures, OfManyChannelsComeInPages) {
  const ScratchFolder folder;
  std::string bytes;
  for (int n = 0; n < 200 * 150; ++n) bytes.push_back(static_cast<char>(n * 37 % 251));
  folder.write("many.bin", bytes);
  const ProgramRun run =
      run_program(folder, "inspect many.bin --binary i8:150ch --rate 1kHz --figure svg --quiet --out out");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_TRUE(fs::exists(folder.path("out/many-inspect.svg")));
  EXPECT_TRUE(fs::exists(folder.path("out/many-inspect-page4.svg")));
  EXPECT_FALSE(fs::exists(folder.path("out/many-inspect-page5.svg")));
}

TEST(Figures, PdfHoldsNoClock) {
  const ScratchFolder folder;
  write_record(folder);
  EXPECT_EQ(
      shell(
          folder,
          "vprism inspect a.csv --figure pdf --quiet --out one > /dev/null; sleep 1.1; vprism inspect a.csv "
          "--figure pdf --quiet --out two > /dev/null; cmp one/a-inspect.pdf two/a-inspect.pdf"),
      0);
}

TEST(Cells, ThatASpreadsheetWouldRunAreText) {
  const ScratchFolder folder;
  folder.write("x.csv", "t (s),@sum,-x\n0,1,2\n0.1,2,1\n0.2,1,3\n0.3,2,2\n0.4,1,1\n");
  ASSERT_EQ(run_program(folder, "spectrum x.csv --quiet --figure none").status, 0);
  const std::string table = ScratchFolder::read(folder.path("vprism-out/x-spectrum.csv"));
  EXPECT_THAT(table, HasSubstr(",\"'@sum rms (1)\",\"'-x rms (1)\""));
  // Written and read again a name is what it was.
  ASSERT_EQ(run_program(folder, "convert x.csv --to csv --quiet").status, 0);
  const auto names = document_of(folder, "inspect vprism-out/x.csv")["results"];
  EXPECT_EQ(text_of(names[0]["channel"]), "@sum");
  EXPECT_EQ(text_of(names[1]["channel"]), "-x");
}

}  // namespace
}  // namespace vprism::outputs_test
