// Streams watched: pipes, TCP, growing files, alarms.
#include <gmock/gmock.h>

#include <chrono>
#include <cmath>
#include <sstream>

#include "cli/run_program.h"

namespace vprism::watch_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

/// Lines of JSON.
std::vector<nlohmann::json> events_of(const std::string& out) {
  std::vector<nlohmann::json> list;
  std::istringstream lines(out);
  for (std::string line; std::getline(lines, line);)
    if (!line.empty() && line.front() == '{') list.push_back(nlohmann::json::parse(line));
  return list;
}

/// A line for the shell, run in the folder.
ProgramRun run_shell(const ScratchFolder& folder, const std::string& line) {
  folder.write("run.sh", line + "\n");
  ProgramRun run;
  const int code = std::system(("cd '" + folder.path() + "' && sh ./run.sh > .out 2> .err").c_str());
  run.status = WIFEXITED(code) ? WEXITSTATUS(code) : 128;
  run.out = ScratchFolder::read(folder.path(".out"));
  run.err = ScratchFolder::read(folder.path(".err"));
  return run;
}

/// A tone of 1 V until `grows`, 10 V from then on; 500 samples a second.
std::string tone(int samples, int grows) {
  std::string text = "t (s),u (V)\n";
  for (int n = 0; n < samples; ++n)
    text += std::to_string(n * 2e-3) + "," +
            std::to_string((n < grows ? 1 : 10) * std::cos(2 * M_PI * 40 * n * 2e-3)) + "\n";
  return text;
}

TEST(Watch, TellsLevelsAndPeaksOfWhatComesThroughAPipe) {
  const ScratchFolder folder;
  folder.write("a.csv", tone(2000, 2000));
  const ProgramRun run = run_program(folder, "watch - --json --every 1s --resolution 4Hz --out out < a.csv");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto events = events_of(run.out);
  ASSERT_GE(events.size(), 2u);
  for (const auto& e : events)
    if (text_of(e["event"]) == "levels") {
      EXPECT_NEAR(number_of(e["channels"][0]["rms"]), std::sqrt(0.5), 0.01);
      EXPECT_NEAR(number_of(e["channels"][0]["peaks"][0]["frequency_hz"]), 40, 0.01);
      EXPECT_NEAR(number_of(e["channels"][0]["peaks"][0]["level"]), std::sqrt(0.5), 0.005);
    }
  EXPECT_EQ(text_of(events.back()["event"]), "end");
  EXPECT_EQ(events.back()["samples"].get<int>(), 2000);
  for (const char* name : {"stdin-watch-spectrum.csv", "stdin-watch-spectrum.png", "stdin-watch.json"})
    EXPECT_TRUE(fs::exists(folder.path(std::string("out/") + name))) << name;
}

TEST(Watch, LooksLieOnTheSamplesOwnTimeHoweverFastTheyCome) {
  const ScratchFolder folder;
  // A burst of 0.3 s in 40 s, which come at once; and the same in pieces.
  std::string bytes;
  for (int n = 0; n < 40'000; ++n) {
    const bool burst = n >= 17'100 && n < 17'400;
    const float v = static_cast<float>((burst ? 2.0 : 0.01) * std::cos(2 * M_PI * 0.12 * n));
    bytes.append(reinterpret_cast<const char*>(&v), sizeof v);
  }
  folder.write("s.f32", bytes);
  folder.write("limit.toml",
               "[[limit]]\nname = \"l\"\ndetector = \"peak\"\ncourse = \"linear\"\n"
               "points = [[\"20 Hz\", 0.5], [\"450 Hz\", 0.5]]\n");
  const std::string options =
      "watch - --binary f32le:1ch --rate 1kHz --segment 256 --every 0.5s --limit limit.toml --json --figure "
      "none ";
  const ProgramRun whole = run_program(folder, options + "--out a < s.f32");
  EXPECT_EQ(whole.status, 1) << whole.err;
  int looks = 0, alarms = 0;
  for (const auto& e : events_of(whole.out)) {
    looks += text_of(e["event"]) == "levels" ? 1 : 0;
    if (text_of(e["event"]) != "alarm") continue;
    ++alarms;
    EXPECT_NEAR(number_of(e["time_s"]), 17.5, 0.51);
    EXPECT_NEAR(number_of(e["frequency_hz"]), 120, 4);
  }
  EXPECT_EQ(looks, 80);
  EXPECT_EQ(alarms, 1);
  // Through a pipe that hands on 1,000 bytes at a time.
  const std::string pieces = "cd '" + folder.path("") +
                             "' && (i=0; while [ $i -lt 160 ]; do dd if=s.f32 bs=1000 skip=$i count=1 "
                             "2>/dev/null; i=$((i+1)); done) | '" +
                             tested_program() + "' " + options + "--out b > pieces.txt 2>/dev/null";
  (void)std::system(pieces.c_str());
  EXPECT_EQ(ScratchFolder::read(folder.path("pieces.txt")), whole.out);
}

TEST(Watch, AnAlarmIsALineAndTheExitStatus) {
  const ScratchFolder folder;
  folder.write("a.csv", tone(4000, 2000));
  folder.write("limit.csv", "frequency (Hz),bound (V)\n10,2\n200,2\n");
  ProgramRun run =
      run_program(folder, "watch - --json --every 0.5s --resolution 4Hz --limit limit.csv < a.csv");
  EXPECT_EQ(run.status, 1) << run.err;
  int alarms = 0;
  for (const auto& e : events_of(run.out)) {
    if (text_of(e["event"]) != "alarm") continue;
    ++alarms;
    EXPECT_NEAR(number_of(e["frequency_hz"]), 40, 1.4);  // To the bin: the level changes within the look.
    EXPECT_GT(number_of(e["level"]), 2);
    EXPECT_LT(number_of(e["margin_db"]), 0);
    EXPECT_GT(number_of(e["time_s"]), 4);
  }
  EXPECT_EQ(alarms, 1);
  EXPECT_FALSE(fs::exists(folder.path("vprism-out")));
  run = run_program(
      folder,
      "watch - --every 0.5s --resolution 4Hz --limit limit.csv --until-alarm --out o --figure none < a.csv");
  EXPECT_EQ(run.status, 1);
  EXPECT_THAT(run.out, HasSubstr("ALARM at"));
  EXPECT_THAT(run.out, HasSubstr("1 alarm\n"));
}

TEST(Watch, AStandInDeviceSendsAtItsTrueRateThroughAPipe) {
  const ScratchFolder folder;
  const auto start = std::chrono::steady_clock::now();
  const ProgramRun run =
      run_shell(folder, "'" + tested_program() +
                            "' generate 'u (V): tone 40Hz 1' --rate 1kHz --duration 1.2s --live stdout --to "
                            "binary --numbers f32 2> gen.err | '" +
                            tested_program() +
                            "' watch - --binary f32le --rate 1kHz --resolution 8Hz --every 0.3s --json");
  const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  ASSERT_EQ(run.status, 0) << run.err;
  const auto events = events_of(run.out);
  ASSERT_GE(events.size(), 4u);
  EXPECT_EQ(events.back()["samples"].get<int>(), 1200);
  EXPECT_GT(took, 1.1);  // As long as the signal, and not sooner.
}

TEST(Watch, ADeviceBehindTcpIsReadToItsEnd) {
  const ScratchFolder folder;
  const std::string port = std::to_string(20000 + ::getpid() % 20000);
  const ProgramRun run = run_shell(
      folder,
      "'" + tested_program() +
          "' generate 'u (V): tone 40Hz 1' --rate 1kHz --duration 1s --live tcp:" + port +
          " 2> gen.err & for i in 1 2 3 4 5 6 7 8 9 10; do sleep 0.3; grep -q listening gen.err && break; "
          "done; '" +
          tested_program() + "' watch tcp:127.0.0.1:" + port + " --resolution 8Hz --every 0.3s --json");
  ASSERT_EQ(run.status, 0) << run.err << ScratchFolder::read(folder.path("gen.err"));
  const auto events = events_of(run.out);
  ASSERT_FALSE(events.empty());
  EXPECT_EQ(events.back()["samples"].get<int>(), 1000);
}

TEST(Watch, AGrowingFileIsFollowedAndACutStreamIsSaidSo) {
  const ScratchFolder folder;
  folder.write("a.csv", tone(1000, 5000) + "2.0,0.1");
  const ProgramRun run = run_program(
      folder, "watch a.csv --every 0.5s --resolution 8Hz --idle-end 0.3s --record --out out --figure none");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.err, HasSubstr("[stream-cut]"));
  EXPECT_THAT(run.out, HasSubstr("a.csv: 1000 samples"));
  // What came is kept, byte for byte.
  EXPECT_EQ(ScratchFolder::read(folder.path("out/a-watch.txt")), ScratchFolder::read(folder.path("a.csv")));
}

TEST(Watch, AnInterruptEndsItInGoodOrder) {
  const ScratchFolder folder;
  folder.write("a.csv", tone(1000, 5000));
  const ProgramRun run =
      run_shell(folder, "'" + tested_program() +
                            "' watch a.csv --every 0.5s --resolution 8Hz --out out --figure "
                            "none & sleep 1.5; kill -TERM $!; wait $!");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("1000 samples"));
  EXPECT_TRUE(fs::exists(folder.path("out/a-watch.json")));
}

TEST(Watch, MemoryDoesNotGrowWithTheStream) {
  if (tested_program_is_sanitized()) GTEST_SKIP() << "a sanitized program keeps what it has freed";
  const ScratchFolder folder;
  const std::string head =
      "generate 'u: tone 40Hz 1 + white 0.001' --rate 100kHz --to binary --numbers f32 --quiet";
  ASSERT_EQ(run_program(folder, head + " --duration 5s --name short --out .").status, 0);
  ASSERT_EQ(run_program(folder, head + " --duration 80s --name long --out .").status, 0);
  const auto memory = [&](const std::string& name) {
    std::string file;
    for (const auto& entry : fs::directory_iterator(folder.path()))
      if (entry.path().stem() == name && entry.path().extension() != ".toml")
        file = entry.path().filename().string();
    return peak_memory_mb(
        folder,
        "watch " + file + " --binary f32le --rate 100kHz --segment 8192 --every 1s --idle-end 0.2s --json");
  };
  const double little = memory("short"), much = memory("long");
  EXPECT_GT(little, 0);
  EXPECT_LT(much, little + 12);
}

TEST(Watch, WhatCanNotBeWatchedIsSaidInOneLine) {
  const ScratchFolder folder;
  folder.write("a.csv", tone(1000, 5000));
  EXPECT_THAT(error_line(folder, "watch nowhere.csv", 3), HasSubstr("nowhere.csv"));
  EXPECT_THAT(error_line(folder, "watch tcp:127.0.0.1:1 --rate 1kHz", 3), HasSubstr("no connection"));
  EXPECT_THAT(error_line(folder, "watch a.csv --chain 'detrend linear' --idle-end 0.2s", 2),
              HasSubstr("whole record"));
  EXPECT_THAT(error_line(folder, "watch a.csv a.csv", 2), HasSubstr("one stream"));
  EXPECT_THAT(error_line(folder, "generate 'u: tone 1Hz 1' --rate 10Hz --duration 1s --live nowhere", 2),
              HasSubstr("tcp:PORT"));
}

}  // namespace
}  // namespace vprism::watch_test
