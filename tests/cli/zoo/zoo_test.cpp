// Records that nobody planned: power adds up, uncertainties cover, kinds are right. bench/zoo_bench is the
// long form.
#include <gtest/gtest.h>

#include "cli/run_program.h"
#include "cli/zoo/zoo_further.h"
#include "cli/zoo/zoo_judge.h"

namespace vprism::zoo_test {
namespace {

/// `records` of a kind through spectrum and identify.
zoo::Score score_of(const zoo::Kind& kind, int records) {
  const ScratchFolder folder;
  zoo::Score score;
  for (int i = 0; i < records; ++i) {
    std::mt19937_64 bits(zoo::seed_of(kind.name, i));
    const zoo::Record record = kind.make(bits);
    folder.write("x.f64", std::string(reinterpret_cast<const char*>(record.x.data()), 8 * record.x.size()));
    const std::string rest = " x.f64 --binary f64le:1ch --rate 1kHz --quiet --figure none --json";
    const auto spectrum = run_program(folder, "spectrum --peaks 60" + rest);
    const auto identify = run_program(folder, "identify" + rest);
    EXPECT_LT(spectrum.status, 5) << kind.name << spectrum.err;
    EXPECT_LT(identify.status, 5) << kind.name << identify.err;
    zoo::judge(record, nlohmann::json::parse(spectrum.out, nullptr, false),
               nlohmann::json::parse(identify.out, nullptr, false), score);
  }
  return score;
}

std::string joined_notes(const zoo::Score& score) {
  std::string out;
  for (const std::string& note : score.notes) out += note + "\n";
  return out;
}

/// One record of each kind; bench/zoo_bench has more of them.
TEST(Zoo, PowerAddsUpOnEveryKindAndKindsAreToldApart) {
  // These must be right on every record.
  static const std::set<std::string> sure = {"ring-down",
                                             "trend",
                                             "suppressed carrier",
                                             "amplitude modulation",
                                             "quantised sine",
                                             "tone burst",
                                             "repeated impulses with slip",
                                             "tone that begins or ends",
                                             "swinging carrier",
                                             "carriers that swing",
                                             "impacts, one in four weaker",
                                             "line that grows",
                                             "noise, louder for a while",
                                             "square wave, no filter before it",
                                             "impacts with slip, long record"};
  zoo::Score all;
  for (const zoo::Kind& kind : zoo::all_kinds()) {
    const zoo::Score score = score_of(kind, 1);
    EXPECT_EQ(score.over_power, 0) << kind.name << "\n" << joined_notes(score);
    if (sure.count(kind.name) != 0) {
      EXPECT_EQ(score.kinds_right, score.kinds) << kind.name << "\n" << joined_notes(score);
    }
    all += score;
  }
  EXPECT_GE(all.within_three, all.known - 2);
}

TEST(Zoo, NothingIsFoundWhereNothingIs) {
  for (const zoo::Kind& kind : zoo::all_kinds()) {
    static const std::set<std::string> empty = {"white noise",
                                                "pink noise",
                                                "brown noise",
                                                "heavy tails",
                                                "white noise with a burst",
                                                "random walk in white noise"};
    if (empty.count(kind.name) == 0) continue;
    const zoo::Score score = score_of(kind, 3);
    EXPECT_EQ(score.wrong, 0) << kind.name << "\n" << joined_notes(score);
  }
}

TEST(Zoo, ARingDownIsInTheRecordsOwnTimeAndUnits) {
  // Begins 2 s into a record that starts at -1 s: damping 2 %, 80 Hz, 3 V.
  const ScratchFolder folder;
  std::mt19937_64 bits(3);
  const std::vector<double> w = zoo::noise(bits, 8000, 1e-3);
  std::string csv = "time (s),a (V)\n";
  for (int n = 0; n < 8000; ++n) {
    const double since = n * 1e-3 - 2;
    const double x =
        since < 0 ? 0 : 3 * std::exp(-2 * zoo::pi * 80 * 0.02 * since) * std::cos(2 * zoo::pi * 80 * since);
    char line[64];
    std::snprintf(line, sizeof line, "%.3f,%.7f\n", n * 1e-3 - 1, x + w[static_cast<std::size_t>(n)]);
    csv += line;
  }
  folder.write("r.csv", csv);
  const auto document = run_program(folder, "identify r.csv --json --quiet").json();
  ASSERT_GE(document["findings"].size(), 1u);
  for (const auto& f : document["findings"]) {
    if (f["kind"] != "decaying") continue;
    EXPECT_NEAR(f["start_s"].get<double>(), 1, 0.05);
    EXPECT_NEAR(f["frequency_hz"].get<double>(), 80, 0.02);
    // Decay rate over the pole's distance from zero: 0.02 / sqrt(1 + 0.02^2).
    EXPECT_NEAR(f["damping_ratio"].get<double>(), 0.019996, 2e-4);
    // Energy A^2 / (4 d) over 8 s.
    EXPECT_NEAR(f["level"].get<double>(), 3 / std::sqrt(4 * 2 * zoo::pi * 80 * 0.02 * 8), 0.02 * 0.17);
    return;
  }
  FAIL() << document["findings"].dump();
}

/// Frequencies keyed at 100 Hz beside a tone three times as strong and one a third as strong.
TEST(Zoo, AKeyedLineIsFoundBesideSteadyOnes) {
  const ScratchFolder folder;
  std::mt19937_64 bits(8);
  std::vector<double> x = zoo::noise(bits, 24'000, 0.05);
  double turns = 0;
  bool other = false;
  for (std::size_t n = 0; n < x.size(); ++n) {
    if (n % 80 == 0) other = bits() % 2 == 0;
    turns += (other ? 1777.7 : 1234.5) / 8000;
    const double t = static_cast<double>(n) / 8000;
    x[n] += std::sin(2 * zoo::pi * turns) + 3 * std::sin(2 * zoo::pi * 333.3 * t) +
            0.33 * std::cos(2 * zoo::pi * 2901.2 * t);
  }
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto document =
      run_program(folder, "identify x.f64 --binary f64le:1ch --rate 8kHz --json --quiet").json();
  int keyed = 0, tones = 0, others = 0;
  for (const auto& f : document["findings"]) {
    if (f["kind"] == "switching") {
      ++keyed;
      EXPECT_NEAR(f["level"].get<double>(), std::sqrt(0.5), 0.01);
    } else if (f["kind"] == "tone") {
      ++tones;
    } else {
      ++others;
    }
  }
  EXPECT_EQ(keyed, 1) << document["findings"];
  EXPECT_EQ(tones, 2) << document["findings"];
  EXPECT_EQ(others, 0) << document["findings"];
}

TEST(Zoo, ManyLinesOfOneLevelAreLines) {
  const ScratchFolder folder;
  std::mt19937_64 bits(5);
  std::vector<double> x = zoo::noise(bits, 50'000, 0.1);
  for (int line = 0; line < 20; ++line) {
    const double hz = zoo::between(bits, 20 + 23 * line, 40 + 23 * line);
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] += 0.05 * std::cos(2 * zoo::pi * hz * 1e-3 * static_cast<double>(n));
  }
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto document =
      run_program(folder, "identify x.f64 --binary f64le:1ch --rate 1kHz --json --quiet").json();
  int tones = 0;
  for (const auto& f : document["findings"]) tones += f["kind"] == "tone" || f["kind"] == "mains-hum" ? 1 : 0;
  EXPECT_GE(tones, 18);
}

TEST(Zoo, ManyOutputsAreComparedByTheStrongest) {
  const ScratchFolder folder;
  std::mt19937_64 bits(7);
  const std::vector<double> force = zoo::noise(bits, 20'000, 1);
  const std::vector<double> motion = zoo::through_resonance(force, 100, 0.02, 1000);
  std::vector<double> x;
  for (std::size_t n = 0; n < force.size(); ++n)
    for (int c = 0; c < 40; ++c)
      x.push_back((c + 1) * motion[n] +
                  0.1 * std::sin(static_cast<double>(n * 40 + static_cast<std::size_t>(c)) * 1.7));
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto document =
      run_program(folder, "response x.f64 --output-only --binary f64le:40ch --rate 1kHz --json --quiet")
          .json();
  EXPECT_NE(document["cautions"].dump().find("the 32 that move most"), std::string::npos)
      << document["cautions"].dump();
  ASSERT_GE(document["findings"].size(), 1u);
  EXPECT_NEAR(document["findings"][0]["frequency_hz"].get<double>(), 100, 0.5);
}

/// A limit of one level from 20 Hz to 480 Hz, as TOML.
std::string limit_of(const std::string& level, const std::string& further) {
  return "[[limit]]\nname = \"l\"\ncourse = \"linear\"\n" + further + "points = [[\"20 Hz\", " + level +
         "], [\"480 Hz\", " + level + "]]\n";
}
const char* const as_samples = " --binary f64le:1ch --rate 1kHz --json --quiet";

TEST(Zoo, ALimitForThePeakDetectorSeesABurst) {
  const ScratchFolder folder;
  std::mt19937_64 bits(21);
  std::vector<double> x = zoo::noise(bits, 60'000, 0.01);
  // 0.3 s at 1.5 V in a minute.
  for (std::size_t n = 0; n < 300; ++n)
    x[31'000 + n] += 1.5 * std::cos(2 * zoo::pi * 0.131 * static_cast<double>(n));
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  folder.write("l.toml", limit_of("0.5", "detector = \"peak\"\n"));
  const auto run = run_program(folder, std::string("limits x.f64 --limit l.toml") + as_samples);
  EXPECT_EQ(run.status, 1);
  const auto worst = run.json()["results"][0]["worst"];
  EXPECT_NEAR(worst["frequency_hz"].get<double>(), 131, 12);
  // 1.061 RMS; a segment may cut it.
  EXPECT_NEAR(worst["level"].get<double>(), 1.061, 0.25);
  folder.write("high.toml", limit_of("1.5", "detector = \"peak\"\n"));
  EXPECT_EQ(run_program(folder, std::string("limits x.f64 --limit high.toml") + as_samples).status, 0);
}

TEST(Zoo, OneAverageOfNoiseKeepsADensityLimitAboveIt) {
  const ScratchFolder folder;
  for (int seed = 0; seed < 5; ++seed) {
    std::mt19937_64 bits(static_cast<unsigned>(100 + seed));
    // 1 RMS over 500 Hz: 2e-3 / Hz; the limit 6 dB above that, then 2 dB below.
    const std::vector<double> x = zoo::noise(bits, 20'000, 1);
    folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
    folder.write("above.toml", limit_of("8e-3", "scale = \"psd\"\n"));
    folder.write("below.toml", limit_of("1.26e-3", "scale = \"psd\"\n"));
    EXPECT_EQ(run_program(folder,
                          std::string("limits x.f64 --force --limit above.toml --segment 20000") + as_samples)
                  .status,
              0);
    EXPECT_EQ(run_program(folder,
                          std::string("limits x.f64 --force --limit below.toml --segment 20000") + as_samples)
                  .status,
              1);
  }
}

TEST(Zoo, AFasterMachineIsOneChangeOfSpeed) {
  const ScratchFolder folder;
  for (const double speed : {1.0, 1.0041}) {
    std::mt19937_64 bits(static_cast<unsigned>(1000 * speed));
    std::vector<double> x = zoo::noise(bits, 40'000, 0.05);
    for (const double hz : {24.3, 48.6, 117.1, 391.2})
      for (std::size_t n = 0; n < x.size(); ++n)
        x[n] += std::cos(2 * zoo::pi * hz * speed * 1e-3 * static_cast<double>(n));
    folder.write(speed > 1 ? "b.f64" : "a.f64",
                 std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  }
  const auto result =
      run_program(folder, std::string("compare a.f64 b.f64") + as_samples).json()["results"][0];
  EXPECT_NEAR(result["speed_ratio"].get<double>(), 1.0041, 1e-4);
  for (const auto& p : result["peaks"]) EXPECT_EQ(p["fate"], "same") << p.dump();
  EXPECT_GT(result["likeness"].get<double>(), 0.9);
}

TEST(Zoo, SpansThatModulationChoosesHoldItsSidebands) {
  const ScratchFolder folder;
  struct Case {
    double rate_hz, deviation_hz;
  };
  for (const Case& c : {Case{100, 100}, Case{340, 800}, Case{31, 400}, Case{160, 12}}) {
    std::mt19937_64 bits(static_cast<unsigned>(c.rate_hz));
    std::vector<double> x = zoo::noise(bits, 20'000, 1e-3);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / 20e3;
      x[n] += std::cos(2 * zoo::pi * 4321 * t +
                       c.deviation_hz / c.rate_hz * std::sin(2 * zoo::pi * c.rate_hz * t + 0.4));
    }
    folder.write("m.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
    const auto run =
        run_program(folder, "modulation m.f64 --binary f64le:1ch --rate 20kHz --json --quiet --force");
    ASSERT_EQ(run.status, 0) << c.rate_hz << run.err;
    const auto result = run.json()["results"][0];
    EXPECT_NEAR(result["carrier_hz"].get<double>(), 4321, 4 * result["carrier_std_hz"].get<double>());
    EXPECT_TRUE(result["jumps"].empty() && result["states"].empty());
    const auto swing = result["frequency_swings"][0];
    EXPECT_NEAR(swing["peak"].get<double>(), c.deviation_hz, 5 * swing["peak_std"].get<double>())
        << c.rate_hz;
    EXPECT_NEAR(swing["rate_hz"].get<double>(), c.rate_hz, 5 * swing["rate_std_hz"].get<double>());
  }
}

TEST(Zoo, APulseThatTheWindowTakesAwayIsAnalysedWithoutOne) {
  const ScratchFolder folder;
  std::vector<double> x(8192, 0.0);
  for (std::size_t n = 0; n < 200; ++n)
    x[n] = std::exp(-static_cast<double>(n) / 20) * std::sin(1.2 * static_cast<double>(n));
  double square = 0;
  for (const double v : x) square += v * v / 8192;
  folder.write("p.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto free = run_program(folder, std::string("spectrum p.f64") + as_samples).json();
  EXPECT_NE(free["cautions"].dump().find("window-left-off"), std::string::npos);
  EXPECT_NEAR(free["results"][0]["rms_total"].get<double>(), std::sqrt(square), 0.01 * std::sqrt(square));
  const auto chosen =
      run_program(folder, std::string("spectrum p.f64 --force --window hann") + as_samples).json();
  EXPECT_NE(chosen["cautions"].dump().find("window-removes"), std::string::npos);
}

TEST(Zoo, LinesOfAFamilyAreNumbersInTheDocument) {
  const ScratchFolder folder;
  std::mt19937_64 bits(31);
  std::vector<double> x = zoo::noise(bits, 16'384, 1e-2);
  for (int order = 1; order <= 4; ++order)
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] += std::cos(2 * zoo::pi * 37.3 * order * 1e-3 * static_cast<double>(n)) / order;
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto document = run_program(folder, std::string("identify x.f64") + as_samples).json();
  const auto lines = document["findings"][0]["lines"];
  ASSERT_EQ(lines.size(), 4u);
  for (int k = 0; k < 4; ++k) {
    const auto& line = lines[static_cast<std::size_t>(k)];
    EXPECT_EQ(line["order"].get<int>(), k + 1);
    EXPECT_NEAR(line["frequency_hz"].get<double>(), 37.3 * (k + 1),
                5 * line["frequency_std_hz"].get<double>());
    EXPECT_NEAR(line["level"].get<double>(), std::sqrt(0.5) / (k + 1), 2e-3);
  }
}

TEST(Zoo, AGearsWanderingLineIsNoPartOfABearingsImpulses) {
  const ScratchFolder folder;
  std::mt19937_64 bits(41);
  std::vector<double> blows(8192, 0.0);
  for (double t = 0; t < 8.19; t += (1 + 0.01 * zoo::noise(bits, 1, 1)[0]) / 9.3)
    blows[static_cast<std::size_t>(std::max(0.0, t) * 1e3)] += 1;
  std::vector<double> x = zoo::through_resonance(blows, 300, 0.03, 1000);
  const double ring = zoo::rms_of(x);
  const std::vector<double> walk =
      zoo::noise(bits, x.size(), 0.36 / std::sqrt(static_cast<double>(x.size())));
  double hz = 120, phase = 0;
  for (std::size_t n = 0; n < x.size(); ++n) {
    hz += walk[n], phase += hz * 1e-3;
    x[n] = 0.1 * x[n] / ring + 0.6 * std::cos(2 * zoo::pi * phase);
  }
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto findings = run_program(folder, std::string("identify x.f64") + as_samples).json()["findings"];
  bool line = false;
  for (const auto& f : findings) {
    if (f["kind"] == "event") continue;
    const double at = f["frequency_hz"].get<double>(), level = f["level"].get<double>();
    line = line || (std::abs(at - 120) < 2 && std::abs(level - 0.424) < 0.05);
    EXPECT_TRUE(f["kind"] != "impulse-family" || level < 0.2) << f.dump();
  }
  EXPECT_TRUE(line) << findings.dump();
}

}  // namespace
}  // namespace vprism::zoo_test
