// never_silent_test.cpp: no verdict without data, nothing missing without a word, no option without an end.
#include <gmock/gmock.h>

#include <chrono>
#include <cmath>
#include <cstring>
#include <limits>

#include "cli/run_program.h"

namespace vprism::never_silent_test {
namespace {

using testing::Contains;
using testing::HasSubstr;

constexpr double nan = std::numeric_limits<double>::quiet_NaN();

/// Flat numbers of so many channels, frame by frame.
void write_flat(const ScratchFolder& folder, const std::string& name,
                const std::vector<std::vector<double>>& channels) {
  std::string bytes;
  for (std::size_t n = 0; n < channels.front().size(); ++n)
    for (const auto& channel : channels)
      bytes.append(reinterpret_cast<const char*>(&channel[n]), sizeof(double));
  folder.write(name, bytes);
}

std::vector<double> tone(std::size_t count, double hz = 50, double rate = 1000) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n)
    x[n] = std::sin(2 * 3.141592653589793 * hz * static_cast<double>(n) / rate) +
           0.01 * std::sin(static_cast<double>(n * n % 1013));
  return x;
}

std::string caution_of(const nlohmann::json& document, const std::string& code) {
  for (const auto& caution : document["cautions"])
    if (text_of(caution["code"]) == code) return text_of(caution["text"]);
  return "";
}

class Limits : public testing::Test {
 protected:
  Limits() {
    write_flat(folder_, "a.bin", {tone(20000)});
    write_flat(folder_, "still.bin", {std::vector<double>(20000, 2.5)});
  }
  ProgramRun held(const std::string& low, const std::string& high, const std::string& rest = "") {
    folder_.write("l.csv", "frequency (Hz),bound (1)\n" + low + ",2\n" + high + ",2\n");
    return run_program(folder_,
                       "limits a.bin --binary f64le:1ch --rate 1kHz --limit l.csv --figure none " + rest);
  }
  const ScratchFolder folder_;
};

TEST_F(Limits, WhatLiesBeyondHalfTheRateOrUnderTheRbwIsNotJudged) {
  EXPECT_EQ(held("1", "500").status, 0);
  const ProgramRun beyond = held("400", "20000");
  EXPECT_EQ(beyond.status, 1);
  EXPECT_THAT(beyond.out, HasSubstr("NOT JUDGED IN FULL"));
  EXPECT_THAT(beyond.out, HasSubstr("beyond half the rate"));
  EXPECT_EQ(held("400", "20000", "--partial").status, 0);
  const ProgramRun under = held("0.01", "400");
  EXPECT_EQ(under.status, 1);
  EXPECT_THAT(under.out, HasSubstr("under the RBW"));
  EXPECT_EQ(held("600", "900").status, 4);
  // A span is the user's own choice.
  EXPECT_EQ(held("1", "500", "--span 40Hz..60Hz").status, 0);
  EXPECT_EQ(text_of(held("400", "20000", "--json").json()["verdict"]), "not judged in full");
}

TEST_F(Limits, ASensorThatHoldsStillKeepsNoLimit) {
  folder_.write("l.csv", "frequency (Hz),bound (1)\n1,2\n400,2\n");
  EXPECT_EQ(
      run_program(folder_, "limits still.bin --binary f64le:1ch --rate 1kHz --limit l.csv --figure none")
          .status,
      4);
}

TEST(WatchVerdict, AChannelWithoutNumbersIsAnAlarmAndAStreamWithoutALookIsNoPass) {
  const ScratchFolder folder;
  std::vector<double> dead = tone(20000);
  std::fill(dead.begin() + 4000, dead.end(), nan);
  write_flat(folder, "dead.bin", {tone(20000), dead});
  write_flat(folder, "short.bin", {tone(300), tone(300)});
  folder.write("l.csv", "frequency (Hz),bound (1)\n5,2\n400,2\n");
  const std::string rest =
      " --binary f64le:2ch --rate 1kHz --limit l.csv --figure none --quiet --idle-end 100ms";
  const ProgramRun run = run_program(folder, "watch dead.bin" + rest + " --json");
  EXPECT_EQ(run.status, 1) << run.err;
  EXPECT_THAT(run.out, HasSubstr("no valid numbers"));
  EXPECT_EQ(run_program(folder, "watch dead.bin" + rest + " --late 100s").status, 0);
  const ProgramRun brief = run_program(folder, "watch short.bin" + rest);
  EXPECT_EQ(brief.status, 4);
  EXPECT_THAT(brief.err, HasSubstr("no limit was judged"));
}

TEST(Missing, IsCountedForEveryFormatAndFailsNoSpectrum) {
  const ScratchFolder folder;
  std::vector<double> hole = tone(20000);
  hole[12344] = nan, hole[15000] = std::numeric_limits<double>::infinity();
  write_flat(folder, "hole.f64", {hole});
  // The same as NPY: its header and the same bytes.
  std::string head = "{'descr': '<f8', 'fortran_order': False, 'shape': (20000,), }";
  head.append(127 - 10 - head.size(), ' ');
  head += '\n';
  folder.write("hole.npy", std::string("\x93NUMPY\x01\x00", 8) + static_cast<char>(head.size()) + '\0' +
                               head + ScratchFolder::read(folder.path("hole.f64")));
  ASSERT_EQ(run_program(folder, "convert hole.npy --rate 1kHz --to hdf5 --quiet --out h").status, 0);
  for (const char* file : {"hole.npy", "h/hole.h5", "hole.f64 --binary f64le:1ch"})
    for (const char* command : {"inspect", "spectrum", "identify"}) {
      const std::string rate = std::strchr(file, '/') == nullptr ? " --rate 1kHz" : "";
      const auto document = document_of(folder, std::string(command) + " " + file + rate);
      EXPECT_THAT(caution_of(document, "gaps"), HasSubstr("2 of 20000 samples")) << command << file;
      EXPECT_THAT(caution_of(document, "gaps"), HasSubstr("sample 12345 at 12.344 s")) << command << file;
      if (std::strcmp(command, "spectrum") != 0) continue;
      EXPECT_THAT(caution_of(document, "gaps-parted"), HasSubstr("2 gaps"));
      EXPECT_NEAR(number_of(document["results"][0]["peaks"][0]["frequency_hz"]), 50, 1e-3);
      EXPECT_NEAR(number_of(document["results"][0]["peaks"][0]["level"]), std::sqrt(0.5), 1e-3);
    }
}

TEST(Missing, AChannelWithoutNumbersDoesNotTakeTheOthersWithIt) {
  const ScratchFolder folder;
  write_flat(folder, "x.f64", {tone(8000), std::vector<double>(8000, nan)});
  const std::string rest = " x.f64 --binary f64le:2ch --rate 1kHz";
  const auto document = document_of(folder, "spectrum" + rest);
  EXPECT_NEAR(number_of(document["results"][0]["peaks"][0]["frequency_hz"]), 50, 1e-3);
  EXPECT_TRUE(document["results"][1]["rms_total"].is_null());
  EXPECT_THAT(codes_of(document), Contains("no-data"));
  EXPECT_EQ(run_program(folder, "identify" + rest + " --quiet --figure none").status, 0);
  EXPECT_EQ(run_program(folder, "survey" + rest + " --quiet --figure none").status, 0);
  EXPECT_EQ(run_program(folder, "spectrum" + rest + " --channel 2 --quiet").status, 4);
}

TEST(Missing, NumbersTooLargeForSquaresAreSaidNotPrintedAsInfinity) {
  const ScratchFolder folder;
  std::vector<double> large = tone(5000);
  for (double& x : large) x *= 1e170;
  write_flat(folder, "large.f64", {large});
  const std::string rest = " large.f64 --binary f64le:1ch --rate 1kHz --quiet --figure none";
  const ProgramRun run = run_program(folder, "spectrum" + rest);
  EXPECT_EQ(run.status, 4);
  EXPECT_THAT(run.err, HasSubstr("--chain 'scale"));
  const ProgramRun scaled = run_program(folder, "spectrum" + rest + " --chain 'scale 1e-170'");
  EXPECT_EQ(scaled.status, 0) << scaled.err;
  EXPECT_THAT(scaled.out, Not(HasSubstr("inf")));
}

TEST(NoEnd, NoOptionKeepsACommandBusyForEver) {
  const ScratchFolder folder;
  write_flat(folder, "a.f64", {tone(4096, 50, 4000)});
  const std::string input = " a.f64 --binary f64le:1ch --rate 4kHz --quiet --figure none";
  const std::vector<std::pair<std::string, std::vector<std::string>>> tried = {
      {"spectrum",
       {"--segment 4", "--segment 5", "--segment 7", "--resolution 2kHz", "--resolution 1e-30Hz", "--pad 1e9",
        "--peaks 1e15", "--threads 1e9", "--tapers 1000000", "--span 1e59Hz.."}},
      {"spectrogram", {"--hop 1e17s", "--hop 1e-30s", "--ridges 1e9"}},
      {"identify", {"--false-alarms 1e-308", "--false-alarms 1e59", "--min-level 1e59"}},
      {"distortion", {"--harmonics 1000000", "--harmonics 1001"}},
      {"cycles", {"--period 1e-17s", "--frequency 1e12Hz", "--orders 1e9"}},
      {"scalogram", {"--rows-per-octave 1e9", "--span 1e-30Hz..1e-29Hz"}},
      {"orders", {"--ridge 1e59", "--ridge 1 --cut 1e300"}},
      {"occupancy", {"--segment 4"}},
      {"modulation", {"--carrier 1e30Hz", "--span 1Hz..1e-9Hz"}}};
  for (const auto& [command, options] : tried)
    for (const std::string& option : options) {
      const auto start = std::chrono::steady_clock::now();
      const ProgramRun run = run_program(folder, command + input + " " + option);
      const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
      EXPECT_TRUE(run.status == 0 || run.status == 2 || run.status == 4)
          << command << option << run.status << run.err;
      EXPECT_THAT(run.err, Not(HasSubstr("internal error"))) << command << option;
      EXPECT_LT(seconds, 60) << command << option;
    }
}

TEST(NoEnd, ALineOfAHundredThousandCellsIsOneError) {
  const ScratchFolder folder;
  std::string line;
  for (int i = 0; i < 100000; ++i) line += std::to_string(i % 7) + ",";
  folder.write("wide.csv", line + "1\n");
  EXPECT_THAT(error_line(folder, "inspect wide.csv --no-rows --rate 1kHz", 3), HasSubstr("at most 4096"));
  // As it stands it is one channel.
  const auto document = document_of(folder, "inspect wide.csv --rate 1kHz");
  EXPECT_EQ(document["inputs"][0]["channels"][0]["samples"].get<int>(), 100001);
}

TEST(Pipes, AreReadOnceAndNeverWaitedForWithoutEnd) {
  const ScratchFolder folder;
  write_flat(folder, "a.f64", {tone(4000)});
  const auto from_file = document_of(folder, "spectrum a.f64 --binary f64le:1ch --rate 1kHz");
  const ProgramRun shell =
      run_program(folder, "spectrum - --binary f64le:1ch --rate 1kHz --quiet --json < a.f64");
  ASSERT_EQ(shell.status, 0) << shell.err;
  EXPECT_EQ(shell.json()["results"][0]["peaks"], from_file["results"][0]["peaks"]);
  EXPECT_EQ(text_of(shell.json()["inputs"][0]["file"]), "standard input");
  // A named pipe into which no one writes ends by itself.
  EXPECT_THAT(error_line(folder, "inspect /dev/zero", 3), HasSubstr("device"));
  ASSERT_EQ(std::system(("mkfifo '" + folder.path("p") + "'").c_str()), 0);
  EXPECT_THAT(error_line(folder, "inspect p", 3), HasSubstr("no one writes"));
}

TEST(BeyondTheData, SpansAndGatesAreCutAndThatIsSaid) {
  const ScratchFolder folder;
  std::string text = "time (s),mast (V),pier (V)\n", uneven = text;
  for (int n = 0; n < 2000; ++n) {
    const double t = n * 1e-3, x = std::cos(2 * M_PI * 50 * t), late = t + (n % 3 == 0 ? 2e-4 : 0);
    text += std::to_string(t) + "," + std::to_string(x) + "," + std::to_string(-x) + "\n";
    uneven += std::to_string(late) + "," + std::to_string(std::cos(2 * M_PI * 50 * late)) + ",0\n";
  }
  folder.write("a.csv", text);
  folder.write("u.csv", uneven);
  const auto codes = [&](const std::string& line) {
    return codes_of(document_of(folder, line + " --figure none"));
  };
  using ::testing::Contains;
  using ::testing::Not;
  for (const std::string command : {"spectrum", "spectrogram", "occupancy", "identify", "survey"}) {
    EXPECT_THAT(codes(command + " a.csv --span 10Hz..3kHz"), Contains("span-beyond")) << command;
    EXPECT_THAT(codes(command + " a.csv --span 10Hz..500Hz"), Not(Contains("span-beyond"))) << command;
  }
  for (const std::string file : {"a.csv", "u.csv"}) {
    EXPECT_THAT(codes("inspect " + file + " --gate 500ms..7s"), Contains("gate-beyond")) << file;
    EXPECT_THAT(codes("inspect " + file + " --gate=-1s..1s"), Contains("gate-beyond")) << file;
    EXPECT_THAT(codes("inspect " + file + " --gate 0s..2s"), Not(Contains("gate-beyond"))) << file;
    EXPECT_THAT(codes("inspect " + file + " --gate 500ms.."), Not(Contains("gate-beyond"))) << file;
  }
  // Both channels alike: said once.
  const auto all = codes("spectrum a.csv --span 10Hz..3kHz");
  EXPECT_EQ(std::count(all.begin(), all.end(), "span-beyond"), 1);
}

}  // namespace
}  // namespace vprism::never_silent_test
