// A comparison in a sentence, densities of amplitude, computed channels with steps, and responses behind a
// delay, as the program reports them.
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>

#include "cli/run_program.h"

namespace vprism::signature_cli_test {
namespace {

using nlohmann::json;
using testing::HasSubstr;
using testing::Not;

constexpr double pi = std::numbers::pi;

template <typename Value>
std::vector<double> made(std::size_t count, double rate, unsigned seed, double noise_rms,
                         const Value& value) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> noise;
  std::vector<double> out;
  for (std::size_t n = 0; n < count; ++n)
    out.push_back(noise_rms * noise(bits) + value(static_cast<double>(n) / rate));
  return out;
}

void put(const ScratchFolder& folder, const std::string& name,
         const std::vector<std::vector<double>>& columns) {
  std::string bytes;
  for (std::size_t n = 0; n < columns[0].size(); ++n)
    for (const auto& column : columns) bytes.append(reinterpret_cast<const char*>(&column[n]), 8);
  folder.write(name, bytes);
}

const std::string flat = " --binary f64le:1ch --rate 8kHz --figure none";

/// Noise and a line at 100 Hz; `more`: a comb of lines between 2 and 2.5 kHz, as dense as noise.
std::vector<double> machine(unsigned seed, double more, double line) {
  return made(80000, 8000, seed, 0.1, [&](double t) {
    double sum = std::cos(2 * pi * 100 * t + seed);
    if (line > 0) sum += line * std::cos(2 * pi * 440 * t);
    for (int k = 0; k < 500 && more > 0; k += 5)
      sum += more * std::cos(2 * pi * (2000 + k + 0.3 * std::sin(k)) * t + k * k * 0.7);
    return sum;
  });
}

TEST(CompareSentence, TheSameMachineAgainIsTheSame) {
  // Lines, and noise through a resonance, whose tops lie elsewhere each time; then faster, then another gain.
  const auto rung = [](unsigned seed, double speed, double gain) {
    std::mt19937_64 bits(seed);
    std::normal_distribution<double> noise;
    double before = 0, here = 0;
    return made(80000, 8000, seed + 50, 0.05 * gain, [&, gain](double t) {
      const double w = 2 * pi * 1530 / 8000, r = std::exp(-0.015 * w);
      const double next = 2 * r * std::cos(w) * here - r * r * before + 0.02 * noise(bits);
      before = here, here = next;
      double sum = next;
      for (const auto& [order, size] : {std::pair{1.0, 0.5}, {2.0, 0.2}, {3.0, 0.1}, {17.0, 0.3}})
        sum += size * std::cos(2 * pi * 24.6 * speed * order * t + order);
      return gain * sum;
    });
  };
  const ScratchFolder folder;
  put(folder, "a.f64", {rung(1, 1, 1)});
  for (unsigned seed = 2; seed <= 5; ++seed) {
    put(folder, "b.f64", {rung(seed, 1, 1)});
    put(folder, "fast.f64", {rung(seed + 10, 1.004, 1)});
    put(folder, "loud.f64", {rung(seed + 20, 1, 1.26)});
    const auto sentence = [&](const char* other) {
      return text_of(
          document_of(folder, std::string("compare a.f64 ") + other + flat)["results"][0]["sentence"]);
    };
    EXPECT_THAT(sentence("b.f64"), HasSubstr("no band differs by 3 dB or more, and no line")) << seed;
    EXPECT_THAT(sentence("fast.f64"), HasSubstr("no band differs by 3 dB or more, and no line")) << seed;
    EXPECT_THAT(sentence("loud.f64"), HasSubstr("B has 2.0 dB more throughout")) << seed;
    EXPECT_THAT(sentence("loud.f64"), Not(HasSubstr("line"))) << seed;
  }
}

TEST(CompareSentence, BeginsWithWhereOneHasMoreAndWhatIsNew) {
  const ScratchFolder folder;
  put(folder, "a.f64", {machine(1, 0, 0)});
  put(folder, "b.f64", {machine(2, 0.05, 0.3)});
  const json result = document_of(folder, "compare a.f64 b.f64" + flat)["results"][0];
  const std::string sentence = text_of(result["sentence"]);
  EXPECT_THAT(sentence, HasSubstr("B has "));
  EXPECT_THAT(sentence, HasSubstr("dB more between "));
  EXPECT_THAT(sentence, HasSubstr("that A has not"));
  EXPECT_THAT(sentence, HasSubstr("; alike between "));
  const json& more = result["signature"]["more"];
  bool there = false;
  for (const json& run : more)
    there = there || (std::abs(number_of(run["low_hz"]) - 2000) < 150 &&
                      std::abs(number_of(run["high_hz"]) - 2500) < 150);
  EXPECT_TRUE(there) << more;
  EXPECT_TRUE(result["signature"]["less"].empty());
  EXPECT_GT(number_of(result["signature"]["b_figures"]["centre_hz"]),
            number_of(result["signature"]["a_figures"]["centre_hz"]));
  EXPECT_GT(number_of(result["signature"]["a_figures"]["tonal_share"]), 0.9);
  // The other way round.
  const std::string back =
      text_of(document_of(folder, "compare b.f64 a.f64 --before-after" + flat)["results"][0]["sentence"]);
  EXPECT_THAT(back, HasSubstr("after has "));
  EXPECT_THAT(back, HasSubstr("dB less between "));
  EXPECT_THAT(back, HasSubstr("lacks "));
}

TEST(CompareSentence, TheSameMachineInFreshNoiseDiffersNowhere) {
  const ScratchFolder folder;
  put(folder, "a.f64", {machine(3, 0, 0.3)});
  put(folder, "b.f64", {machine(4, 0, 0.3)});
  const ProgramRun run = run_program(folder, "compare a.f64 b.f64 --quiet" + flat);
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("no band differs by 3 dB or more, and no line; alike between"));
  EXPECT_THAT(run.out, HasSubstr("centre of gravity"));
}

TEST(AmplitudeDensity, IsTheRootOfTheDensityInTableAndDocument) {
  const ScratchFolder folder;
  // White noise of 0.1 RMS to 4 kHz: 0.1 / sqrt(4000) a root hertz.
  put(folder, "n.f64", {made(160000, 8000, 5, 0.1, [](double) { return 0.0; })});
  const std::string rest =
      " --segment 1024 --quiet" + flat + " --unit '*: V' --calibrate '*: unit V' --out o";
  ASSERT_EQ(run_program(folder, "spectrum n.f64 --scale asd" + rest).status, 0);
  const std::string csv = ScratchFolder::read(folder.path("o/n-spectrum.csv"));
  EXPECT_THAT(csv.substr(0, 200), HasSubstr("V/\u221aHz"));
  std::istringstream lines(csv);
  double sum = 0, count = 0;
  for (std::string line; std::getline(lines, line);) {
    const std::size_t comma = line.find(',');
    if (line.empty() || line[0] < '0' || line[0] > '9' || comma == std::string::npos) continue;
    const double hz = std::stod(line), level = std::stod(line.substr(comma + 1));
    if (hz > 100 && hz < 3900) sum += level * level, count += 1;
  }
  ASSERT_GT(count, 100);
  EXPECT_NEAR(std::sqrt(sum / count), 0.1 / std::sqrt(4000.0), 3e-5);
  // A limit in such units, 3 dB over and 3 dB under it.
  folder.write("high.csv", "Frequency (Hz),limit (mV/sqrt(Hz))\n100,2.3\n3900,2.3\n");
  folder.write("low.csv", "Frequency (Hz),limit (mV/sqrt(Hz))\n100,1.1\n3900,1.1\n");
  const std::string limits =
      "limits n.f64 --segment 1024 --quiet" + flat + " --calibrate '*: unit V' --limit ";
  EXPECT_EQ(run_program(folder, limits + "high.csv").status, 0);
  EXPECT_EQ(run_program(folder, limits + "low.csv").status, 1);
}

TEST(ComputedWithSteps, StandOnEveryCommand) {
  const ScratchFolder folder;
  put(folder, "x.f64", {made(80000, 8000, 6, 0, [](double t) {
        return std::cos(2 * pi * 50 * t) + 0.2 * std::cos(2 * pi * 1000 * t);
      })});
  const json peaks =
      document_of(folder, "spectrum x.f64" + flat +
                              " --compute 'smooth = lowpass(\"channel 1\", 200 Hz, order 6, zero-phase)' "
                              "--compute 'rest = \"channel 1\" - smooth' --channel smooth --channel rest");
  EXPECT_EQ(text_of(peaks["results"][0]["channel"]), "smooth");
  EXPECT_NEAR(number_of(peaks["results"][0]["peaks"][0]["level"]), std::sqrt(0.5), 1e-3);
  EXPECT_NEAR(number_of(peaks["results"][1]["peaks"][0]["level"]), 0.2 * std::sqrt(0.5), 1e-2);
  const json run =
      document_of(folder, "inspect x.f64" + flat + " --compute 'level = rms(\"channel 1\", 20 ms)'");
  EXPECT_NEAR(number_of(run["results"][1]["median"]), std::sqrt(0.5 + 0.02), 2e-3);
  EXPECT_THAT(
      error_line(folder, "inspect x.f64" + flat + " --compute 'a = lowpass(\"channel 1\", 9 kHz)'", 4),
      HasSubstr("half the rate"));
}

TEST(ResponseBehindADelay, HasItsResonancesAndNoOther) {
  const ScratchFolder folder;
  // A resonance of 700 Hz, 2%, 40 samples late.
  const std::vector<double> x = made(60000, 8000, 7, 1, [](double) { return 0.0; });
  const double w = 2 * pi * 700 / 8000, r = std::exp(-0.02 * w), turn = w * std::sqrt(1 - 0.02 * 0.02);
  std::vector<double> y(x.size(), 0.0), none(x.size(), 0.0);
  for (std::size_t n = 42; n < x.size(); ++n) {
    y[n] = x[n - 40] + 2 * r * std::cos(turn) * y[n - 1] - r * r * y[n - 2];
    none[n] = 0.7 * x[n - 40];
  }
  put(folder, "x.f64", {x, y, none});
  const json document = document_of(
      folder, "response x.f64 --reference 1 --channel 1,2 --binary f64le:3ch --rate 8kHz --figure none");
  const json& result = document["results"][0];
  ASSERT_EQ(result["resonances"].size(), 1u);
  EXPECT_NEAR(number_of(result["resonances"][0]["frequency_hz"]), 700,
              4 * number_of(result["resonances"][0]["frequency_std_hz"]));
  EXPECT_NEAR(number_of(result["resonances"][0]["damping_ratio"]), 0.02,
              4 * number_of(result["resonances"][0]["damping_std"]));
  const json pure = document_of(
      folder, "response x.f64 --reference 1 --channel 1,3 --binary f64le:3ch --rate 8kHz --figure none");
  EXPECT_TRUE(pure["results"][0]["resonances"].empty()) << pure["results"][0]["resonances"];
  EXPECT_NEAR(number_of(pure["results"][0]["delay"]["seconds"]), 0.005, 1e-6);
}

}  // namespace
}  // namespace vprism::signature_cli_test
