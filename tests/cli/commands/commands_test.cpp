// The commands on files: numbers in the document, names as text, the same bytes on every run.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <sndfile.h>

#include <cmath>
#include <numbers>
#include <random>

#include "cli/run_program.h"
#include "frame/command.h"

namespace vprism::commands_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

void write_tone(const std::string& path, double frequency, double amplitude, std::size_t samples, int rate) {
  SF_INFO info{};
  info.samplerate = rate;
  info.channels = 1;
  info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_24;
  SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
  std::vector<double> x(samples);
  for (std::size_t n = 0; n < samples; ++n)
    x[n] = amplitude * std::cos(2 * std::numbers::pi * frequency * static_cast<double>(n) / rate + 1);
  sf_writef_double(file, x.data(), static_cast<sf_count_t>(samples));
  sf_close(file);
}

TEST(SpectrumCommand, ToneBetweenBinsIsRightToATenThousandthAndAThousandthOfABin) {
  const ScratchFolder folder;
  const double bin = 48000.0 / 9000, frequency = 187.43 * bin;
  write_tone(folder.path("tone.wav"), frequency, 0.5, 9000 * 4, 48000);
  for (const char* window : {"flat-top", "hann", "blackman-harris"}) {
    const ProgramRun run = run_program(
        folder, std::string("spectrum tone.wav --scale peak --segment 9000 --json --window ") + window);
    ASSERT_EQ(run.status, 0) << run.err;
    const auto result = run.json()["results"][0];
    EXPECT_NEAR(result["peaks"][0]["level"].get<double>(), 0.5, 0.5e-4);
    EXPECT_NEAR(result["peaks"][0]["frequency_hz"].get<double>(), frequency, 1e-3 * bin);
    EXPECT_NEAR(result["bin_hz"].get<double>(), bin, 1e-9);
    EXPECT_EQ(number_of(result["averages"]), 7);
    EXPECT_EQ(text_of(result["window"]), window);
  }
  EXPECT_FALSE(std::filesystem::exists(folder.path("vprism-out"))) << "with --json alone nothing is written";
}

TEST(SpectrumCommand, TheThreeOutputsTellTheSameResult) {
  const ScratchFolder folder;
  write_tone(folder.path("tone.wav"), 1000.3, 0.5, 16000, 8000);
  const ProgramRun run = run_program(folder, "spectrum tone.wav --out out");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("out/tone-spectrum.json")));
  const auto peak = document["results"][0]["peaks"][0];
  EXPECT_THAT(run.out, HasSubstr("1000.300"));
  EXPECT_NEAR(peak["level"].get<double>(), 0.5 / std::numbers::sqrt2, 1e-5);
  EXPECT_EQ(text_of(document["command"]), "spectrum");
  EXPECT_EQ(text_of(document["settings"]["window"]), "hann");
  EXPECT_EQ(document["inputs"][0]["digest"].get<std::string>().substr(0, 5), "xxh3:");
  const std::string csv = ScratchFolder::read(folder.path("out/tone-spectrum.csv"));
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 8002);  // A title and N/2 + 1 bins.
  EXPECT_EQ(ScratchFolder::read(folder.path("out/tone-spectrum.png")).substr(1, 3), "PNG");
  for (const auto& output : document["outputs"])
    EXPECT_TRUE(std::filesystem::exists(folder.path(text_of(output["file"]))));
}

TEST(SpectrumCommand, GivesTheSameBytesForAnyNumberOfThreads) {
  const ScratchFolder folder;
  std::string text;
  std::mt19937 bits(5);
  for (int n = 0; n < 60000; ++n) text += fmt::format("{},{}\n", bits() % 1000, bits() % 777);
  folder.write("n.csv", text);
  const char* arguments = "spectrum n.csv --axis none --rate 1kHz --segment 512 --json --threads ";
  const std::string one = run_program(folder, arguments + std::string("1")).out;
  EXPECT_THAT(one, HasSubstr("rms_total"));
  EXPECT_EQ(run_program(folder, arguments + std::string("2")).out, one);
  EXPECT_EQ(run_program(folder, arguments + std::string("5")).out, one);
}

TEST(SpectrumCommand, SpanGateAndCalibrationAreHonoured) {
  const ScratchFolder folder;
  std::string text = "Time (s),acc\n";
  for (int n = 0; n < 8000; ++n) {
    const double t = n * 1e-3;
    text += fmt::format(
        "{:.3f},{:.9f}\n", t,
        t < 4 ? std::sin(2 * std::numbers::pi * 50 * t) : 0.02 * std::cos(2 * std::numbers::pi * 120 * t));
  }
  folder.write("a.csv", text);
  const ProgramRun run = run_program(folder,
                                     "spectrum a.csv --gate 4s.. --span 100Hz..200Hz --scale peak --json "
                                     "--calibrate 'acc: sensitivity 10 mV/(m/s^2)'");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto result = run.json()["results"][0];
  EXPECT_EQ(text_of(result["unit"]), "m/s\u00B2");
  ASSERT_EQ(result["peaks"].size(), 1u);
  EXPECT_NEAR(result["peaks"][0]["frequency_hz"].get<double>(), 120, 1e-3);
  EXPECT_NEAR(result["peaks"][0]["level"].get<double>(), 2.0, 1e-3);
  EXPECT_NEAR(result["peaks"][0]["phase_deg"].get<double>(), 0, 0.5);
  EXPECT_EQ(number_of(result["bands"][0]["low_hz"]), 100.0);
  EXPECT_EQ(text_of(run.json()["inputs"][0]["chain"][0]["step"]), "calibrate");
}

TEST(InspectCommand, KnowsRatelessFilesAndSaysSo) {
  const ScratchFolder folder;
  folder.write("a.csv", "v (V)\n1\n2\n3\n4\n");
  const ProgramRun run = run_program(folder, "inspect a.csv --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto result = run.json()["results"][0];
  EXPECT_TRUE(result["rate_hz"].is_null());
  EXPECT_EQ(number_of(result["samples"]), 4);
  EXPECT_DOUBLE_EQ(result["mean"].get<double>(), 2.5);
  EXPECT_NEAR(result["rms"].get<double>(), std::sqrt(7.5), 1e-12);
  EXPECT_NEAR(result["std"].get<double>(), std::sqrt(5.0 / 3), 1e-12);
  EXPECT_THAT(run.err, HasSubstr("[rate-unknown]"));
}

TEST(Memory, DoesNotGrowWithTheRecord) {
  if (tested_program_is_sanitized()) GTEST_SKIP() << "the sanitizer's own memory would be measured";
  const ScratchFolder folder;
  std::vector<float> numbers(1 << 20);
  std::mt19937 bits(3);
  for (float& v : numbers) v = static_cast<float>(bits() % 1000);
  const std::string block(reinterpret_cast<const char*>(numbers.data()), 4 * numbers.size());
  // Written piece by piece: what this process holds when it starts the other counts as that one's memory too.
  for (const auto& [name, count] : {std::pair{"small.f32", 2}, {"large.f32", 40}}) {
    std::ofstream out(folder.path(name), std::ios::binary);
    for (int n = 0; n < count; ++n) out << block;
  }
  const std::string arguments = " --binary f32le --rate 100kHz --segment 8192 --figure none --out ";
  const double small = peak_memory_mb(folder, "spectrum small.f32" + arguments + "a");
  const double big = peak_memory_mb(folder, "spectrum large.f32" + arguments + "b");
  ASSERT_GT(small, 0);
  ASSERT_GT(big, 0);
  EXPECT_LT(big, small + 10);
  EXPECT_LT(big, 100);
}

TEST(ManyChannels, AreReadAndChosen) {
  const ScratchFolder folder;
  std::string text = "Time";
  for (int c = 0; c < 300; ++c) text += fmt::format(",ch{}", c);
  text += "\n";
  for (int n = 0; n < 200; ++n) {
    text += fmt::format("{}", n * 0.01);
    for (int c = 0; c < 300; ++c) text += fmt::format(",{}", c + n % 2);
    text += "\n";
  }
  folder.write("wide.csv", text);
  const ProgramRun run = run_program(folder, "inspect wide.csv --channel 'ch29?' --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto results = run.json()["results"];
  ASSERT_EQ(results.size(), 10u);
  EXPECT_EQ(text_of(results[0]["channel"]), "ch290");
  EXPECT_DOUBLE_EQ(number_of(results[0]["mean"]), 290.5);
}

TEST(SeveralFiles, AreToldTogetherAndKeptApart) {
  const ScratchFolder folder;
  std::filesystem::create_directories(folder.path("a"));
  std::filesystem::create_directories(folder.path("b"));
  write_tone(folder.path("a/tone.wav"), 1000, 0.5, 8000, 8000);
  write_tone(folder.path("b/tone.wav"), 500, 0.25, 8000, 8000);
  const ProgramRun run = run_program(folder, "spectrum a/tone.wav b/tone.wav --out out --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_TRUE(std::filesystem::exists(folder.path("out/tone-spectrum.png")));
  EXPECT_TRUE(std::filesystem::exists(folder.path("out/tone-2-spectrum.png")));
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("out/tone-spectrum.json")));
  EXPECT_NEAR(number_of(document["results"][1]["peaks"][0]["frequency_hz"]), 500, 0.01);
}

TEST(Decibels, AreLabelledWithTheirReference) {
  const ScratchFolder folder;
  write_tone(folder.path("tone.wav"), 1000, 0.5, 8000, 8000);
  const ProgramRun run = run_program(folder, "spectrum tone.wav --scale peak --db 0.5 --out out --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("dB re 0.5 FS peak"));
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("out/tone-spectrum.json")));
  EXPECT_NEAR(number_of(document["results"][0]["peaks"][0]["level_db"]), 0, 1e-3);
  const std::string csv = ScratchFolder::read(folder.path("out/tone-spectrum.csv"));
  EXPECT_THAT(csv.substr(0, csv.find('\n')), HasSubstr("dB re 0.5 FS"));
}

TEST(Names, HostileOnesAreTextInEveryOutput) {
  const ScratchFolder folder;
  std::string text = "Time,\"x'`touch PWNED`$(touch PWNED)<script>alert(1)</script>../../up\"\n";
  for (int n = 0; n < 500; ++n) text += fmt::format("{},{}\n", n, n % 10);
  folder.write("a$(touch PWNED)`.csv", text);
  const ProgramRun run = run_program(folder, "survey 'a$(touch PWNED)`.csv' --out out");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_FALSE(std::filesystem::exists(folder.path("PWNED")));
  const std::string html = ScratchFolder::read(folder.path("out/a-touch-PWNED-survey.html"));
  EXPECT_THAT(html, Not(HasSubstr("<script>alert")));
  EXPECT_THAT(html, Not(HasSubstr("`touch PWNED`$(touch PWNED)<script")));
  EXPECT_THAT(html, HasSubstr("&lt;script&gt;"));
  for (const auto& entry : std::filesystem::directory_iterator(folder.path("out")))
    EXPECT_EQ(entry.path().filename().string().rfind("a-touch-PWNED", 0), 0u) << entry;
  const auto document =
      nlohmann::json::parse(ScratchFolder::read(folder.path("out/a-touch-PWNED-survey.json")));
  EXPECT_THAT(document["results"][0]["channel"].get<std::string>(), HasSubstr("$(touch PWNED)<script>"));
}

TEST(SurveyCommand, LooksAtUnevenDataToo) {
  const ScratchFolder folder;
  folder.write("u.csv", "Time,v\n0,1\n1,2\n1.2,3\n4,1\n5,2\n7,7\n");
  const ProgramRun run = run_program(folder, "survey u.csv");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.err, HasSubstr("[regridded]"));
  EXPECT_THAT(ScratchFolder::read(folder.path("vprism-out/u-survey.html")),
              HasSubstr("where an even grid is needed one is made"));
}

TEST(Help, ShowsAnExampleAndEveryOptionOfEveryCommand) {
  const ScratchFolder folder;
  const std::string all = run_program(folder, "--help").out;
  for (const CommandEntry& entry : command_table()) {
    EXPECT_THAT(all, HasSubstr(entry.name));
    const ProgramRun run = run_program(folder, std::string(entry.name) + " --help");
    EXPECT_EQ(run.status, 0);
    EXPECT_THAT(run.out, HasSubstr(entry.example));
    for (const OptionGroup& group : entry.make()->options())
      for (const Option& option : group.options) EXPECT_THAT(run.out, HasSubstr("--" + option.name));
  }
  EXPECT_EQ(run_program(folder, "--version").out.substr(0, 7), "vprism ");
  EXPECT_EQ(run_program(folder, "").status, 2);
}

TEST(Docs, TheCommandPageIsMadeFromTheTables) {
  EXPECT_EQ(ScratchFolder::read(VPRISM_SOURCE "/docs/commands.md"), command_reference())
      << "run build/vprism --reference > docs/commands.md";
}

TEST(ShortForms, StandForTheLongOnes) {
  const ScratchFolder folder;
  std::string rows = "t (s),u (V)\n";
  for (int n = 0; n < 500; ++n) rows += std::to_string(n * 1e-3) + "," + std::to_string(n % 7) + "\n";
  folder.write("a.csv", rows);
  EXPECT_EQ(run_program(folder, "spectrum -h").out, run_program(folder, "spectrum --help").out);
  EXPECT_EQ(run_program(folder, "help spectrum").out, run_program(folder, "spectrum --help").out);
  EXPECT_EQ(run_program(folder, "-V").out, run_program(folder, "--version").out);
  EXPECT_EQ(run_program(folder, "inspect a.csv -q -f none -j 1 -o x").status, 0);
  EXPECT_NE(ScratchFolder::read(folder.path("x/a-inspect.json")), "");
  EXPECT_EQ(run_program(folder, "--quiet --figure none inspect a.csv --out y").status, 0);
}

}  // namespace
}  // namespace vprism::commands_test
