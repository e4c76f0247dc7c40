// Conditioning and made-up signals from the command line: the acceptance cases of the chain.
#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>

#include "cli/run_program.h"

namespace vprism::condition_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

std::string demo_file(const std::string& name) { return "'" VPRISM_SOURCE "/demo/data/" + name + "'"; }

void generate(const ScratchFolder& folder, const std::string& arguments) {
  const ProgramRun run = run_program(folder, "generate " + arguments + " --out .");
  ASSERT_EQ(run.status, 0) << run.err;
}

TEST(Condition, LowpassTakesOffTheRippleAsMuchAsItSays) {
  // A weak mains ripple on a DC level.
  const ScratchFolder folder;
  generate(folder,
           "'supply (V): offset 5 + tone 50Hz 0.01 + white 1e-5' --rate 2kHz --duration 20s --name supply");
  const auto spectrum = run_program(folder, "spectrum supply.csv --json").json();
  const auto& peak = spectrum["results"][0]["peaks"][0];
  EXPECT_NEAR(number_of(peak["frequency_hz"]), 50, 1e-3);
  EXPECT_NEAR(number_of(peak["level"]), 0.01 / std::sqrt(2), 1e-5);
  const ProgramRun run = run_program(folder, "condition supply.csv --chain 'lowpass 15 Hz' --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto line = run.json()["results"][0]["lines"][0];
  // Butterworth of order 4 by the bilinear transform.
  const double w = std::tan(M_PI * 50 / 2000) / std::tan(M_PI * 15 / 2000);
  const double expected = -10 * std::log10(1 + std::pow(w, 8));
  EXPECT_NEAR(number_of(line["filters_db"]), expected, 1e-3);
  EXPECT_NEAR(number_of(line["change_db"]), expected, 0.2);
  EXPECT_NEAR(number_of(run.json()["results"][0]["after"]["mean"]), 5, 1e-3);
}

TEST(Condition, TrendsAreNamedInTheDocument) {
  const ScratchFolder folder;
  generate(folder, "'a (V): offset 3 + drift 10 + tone 25Hz 1' --rate 1kHz --duration 10s --name trend");
  const auto document = run_program(folder, "inspect trend.csv --chain 'detrend linear' --json").json();
  const auto& step = document["inputs"][0]["chain"][0];
  EXPECT_EQ(text_of(step["step"]), "detrend");
  // Least squares take 6 / (N^2 - 1) a sample from a cosine of whole periods, here 6e-5 V/s of 1 V/s.
  EXPECT_THAT(text_of(step["did"]["a"]), HasSubstr("slope 0.99994 V/s"));
  EXPECT_NEAR(number_of(document["results"][0]["mean"]), 0, 1e-9);
  EXPECT_NEAR(number_of(document["results"][0]["rms"]), 1 / std::sqrt(2), 1e-3);
}

TEST(Condition, SpikesGoAndAShockOnTwoChannelsStays) {
  const ScratchFolder folder;
  generate(
      folder,
      "'a (g): white 1e-4 + spikes 1Hz 0.9 + impulse 5.5s 1.2 + impulse 5.5s 2 > resonator 60Hz damping 3%' "
      "'b (g): white 1e-4 + impulse 5.5s 0.8 + impulse 5.5s 1 > resonator 60Hz damping 3%' "
      "--rate 2kHz --duration 10s --seed 4 --name blow");
  const ProgramRun run = run_program(folder, "condition blow.csv --chain despike --json");
  ASSERT_EQ(run.status, 0) << run.err;
  int repaired = 0, kept = 0;
  const auto document = run.json();
  for (const auto& event : document["inputs"][0]["chain"][0]["events"]) {
    if (std::abs(number_of(event["size"])) < 0.1) continue;  // Noise passes four deviations now and then.
    const bool at_blow = std::abs(number_of(event["time_s"]) - 5.5) < 0.01;
    EXPECT_EQ(text_of(event["what"]).rfind("kept", 0) == 0, at_blow) << event.dump();
    if (at_blow)
      ++kept;
    else if (text_of(event["channel"]) == "a")
      ++repaired;
  }
  // The truth beside it says how many spikes there are.
  const std::string truth = ScratchFolder::read(folder.path("blow-truth.toml"));
  const std::size_t list = truth.find("times_s = [");
  ASSERT_NE(list, std::string::npos);
  const auto spikes = std::count(truth.begin() + static_cast<std::ptrdiff_t>(list),
                                 truth.begin() + static_cast<std::ptrdiff_t>(truth.find(']', list)), ',') +
                      1;
  EXPECT_NEAR(repaired, static_cast<double>(spikes), 1);
  EXPECT_GE(kept, 2);
  EXPECT_THAT(run.err, HasSubstr("shock-kept"));
}

TEST(Condition, LinesThatRegriddingMadeAreMarkedAndNoFinding) {
  // The amplifier's truth: harmonics at 2 and 3 kHz, and no others. Lines at uneven steps make more.
  const ScratchFolder folder;
  for (const char* kind : {"200kHz linear", "cubic"}) {
    const ProgramRun run =
        run_program(folder, "spectrum " + demo_file("amp-sim.raw") + " --channel 'V(out)' --chain 'regrid " +
                                std::string(kind) + " | gate 12ms..' --peaks 30 --json");
    ASSERT_EQ(run.status, 0) << run.err;
    int sound = 0;
    const auto document = run.json();
    for (const auto& peak : document["results"][0]["peaks"]) {
      const double order = number_of(peak["frequency_hz"]) / 1000;
      const bool real = order < 3.5 && std::abs(order - std::round(order)) < 0.01;
      EXPECT_EQ(peak["interpolated"].get<bool>(), !real) << kind << " " << peak.dump();
      sound += real ? 1 : 0;
    }
    EXPECT_EQ(sound, 3) << kind;
    EXPECT_EQ(run.err.find("regrid-lines") != std::string::npos, std::string(kind) == "200kHz linear");
  }
  const ProgramRun survey =
      run_program(folder, "survey " + demo_file("amp-sim.raw") +
                              " --channel 'V(out)' --chain 'regrid 200kHz linear | gate 12ms..' --json");
  const auto found = survey.json();
  for (const auto& finding : found["findings"])
    EXPECT_LT(number_of(finding["frequency_hz"]), 3100) << finding.dump();
}

TEST(Condition, FringeScanGivesItsOpticalSpectrumWithAmplitudeAndPhase) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(
      folder, "spectrum " + demo_file("fringe-scan.txt") +
                  " --delay-line um --chain 'detrend constant | regrid' --phase-at 0s --figure none --out .");
  ASSERT_EQ(run.status, 0) << run.err;
  std::istringstream csv(ScratchFolder::read(folder.path("fringe-scan-spectrum.csv")));
  std::string line;
  std::getline(csv, line);
  EXPECT_EQ(line, "frequency (Hz),Detector rms (V),Detector phase (deg)");
  // Pass band from 428 to 487 THz at half height; the fringes are symmetrical about the zero of the delay.
  double inside = 0, outside = 0;
  int bins = 0;
  while (std::getline(csv, line)) {
    double hz = 0, level = 0, phase = 0;
    ASSERT_EQ(std::sscanf(line.c_str(), "%lf,%lf,%lf", &hz, &level, &phase), 3);
    if (hz > 435e12 && hz < 480e12) {
      EXPECT_NEAR(phase, 0, 2) << hz;
      inside += level, ++bins;
    } else if ((hz > 50e12 && hz < 415e12) || (hz > 500e12 && hz < 900e12)) {
      outside = std::max(outside, level);
    }
  }
  ASSERT_GT(bins, 20);
  EXPECT_LT(outside, 0.05 * inside / bins);
}

TEST(Spectrum, TellsPhasesForTheTimeAskedFor) {
  const ScratchFolder folder;
  generate(folder,
           "'a (V): tone 50Hz 1 phase 30 + white 1e-6' --rate 1kHz --duration 2s --start=-0.5s --name tone "
           "--to hdf5");
  const auto phase = [&](const std::string& option) {
    const auto document = run_program(folder, "spectrum tone.h5 --json " + option).json();
    return number_of(document["results"][0]["peaks"][0]["phase_deg"]);
  };
  // cos(2 pi 50 t + 30 deg): at t = 0 it is 30, a quarter of a period later 120 degrees.
  EXPECT_NEAR(phase("--phase-at 0s"), 30, 0.05);
  EXPECT_NEAR(phase("--phase-at 5ms"), 120, 0.05);
  EXPECT_NEAR(phase("--phase-at=-5ms"), -60, 0.05);
  EXPECT_NEAR(phase("--phase-at=-0.5s"), phase(""), 1e-9);  // The record's start is the default.
  ASSERT_EQ(run_program(folder, "spectrum tone.h5 --phase-at 0s --figure svg --out p").status, 0);
  EXPECT_THAT(ScratchFolder::read(folder.path("p/tone-spectrum.svg")), HasSubstr("Phase (deg)"));
}

TEST(Condition, WritesFiguresAndTheFiltersResponse) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(
      folder, "condition " + demo_file("drive-scope.csv") +
                  " --channel 'motor current' --chain 'despike | lowpass 2kHz zero-phase' --out .");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_TRUE(std::filesystem::exists(folder.path("drive-scope-condition-1.png")));
  EXPECT_TRUE(std::filesystem::exists(folder.path("drive-scope-condition.json")));
  EXPECT_THAT(ScratchFolder::read(folder.path("drive-scope-condition-gain.csv")),
              HasSubstr("frequency (Hz),gain (dB)"));
  EXPECT_THAT(run.out, HasSubstr("5 repaired"));
  EXPECT_THAT(run.out, HasSubstr("gain at 2 kHz: -6.021 dB"));
  EXPECT_EQ(run_program(folder, "condition " + demo_file("drive-scope.csv")).status, 2);
  EXPECT_THAT(
      run_program(folder, "condition " + demo_file("drive-scope.csv") + " --chain 'lowpass 600kHz'").err,
      HasSubstr("is not below half the rate"));
}

TEST(Condition, ChainsGoIntoConvertAndUnitsFollow) {
  const ScratchFolder folder;
  generate(folder, "'acc (m/s^2): tone 40Hz 2' --rate 1kHz --duration 5s --name acc");
  ASSERT_EQ(
      run_program(folder, "convert acc.csv --to npy --chain 'integrate from 1Hz | decimate 2' --out half")
          .status,
      0);
  ASSERT_EQ(
      run_program(folder, "convert acc.csv --to csv --chain 'integrate from 1Hz | decimate 2' --out half")
          .status,
      0);
  const auto document = run_program(folder, "inspect half/acc.csv --json").json();
  EXPECT_EQ(text_of(document["results"][0]["unit"]), "m/s");
  EXPECT_NEAR(number_of(document["results"][0]["rate_hz"]), 500, 1e-6);
  EXPECT_NEAR(number_of(document["results"][0]["rms"]), 2 / (2 * M_PI * 40) / std::sqrt(2), 1e-6);
}

TEST(Generate, WritesEveryFormatWithTheTruthBesideIt) {
  const ScratchFolder folder;
  for (const char* format : {"hdf5", "wav", "csv", "npy", "binary", "universal", "sigmf"})
    EXPECT_EQ(run_program(folder, "generate 'a (V): tone 50Hz 0.5' --rate 1kHz --duration 1s --out made-" +
                                      std::string(format) + " --to " + format)
                  .status,
              0)
        << format;
  const auto back = run_program(folder, "inspect made-hdf5/generated.h5 --json").json();
  EXPECT_EQ(number_of(back["results"][0]["samples"]), 1000);
  EXPECT_NEAR(number_of(back["results"][0]["rms"]), 0.5 / std::sqrt(2), 1e-12);
  EXPECT_THAT(ScratchFolder::read(folder.path("made-wav/generated-truth.toml")),
              HasSubstr("frequency_hz = 50.0"));
  const ProgramRun uneven = run_program(
      folder, "generate 'a: tone 5Hz 1' --rate 1kHz --duration 1s --uneven 40% --out uneven && '" +
                  tested_program() + "' inspect uneven/generated.csv");
  EXPECT_THAT(uneven.out, HasSubstr("at uneven steps"));
}

TEST(Generate, ReadsADescriptionFromAFileAndRemakesItFromTheTruth) {
  const ScratchFolder folder;
  folder.write(
      "rig.toml",
      "rate = \"2kHz\"\nduration = \"1s\"\nseed = 9\n[[channel]]\nname = \"mast\"\nunit = \"m/s^2\"\n"
      "signal = \"tone 31.2Hz 0.5 + white 1e-3\"\n[[channel]]\nname = \"ref\"\nsignal = \"square 10Hz 1\"\n");
  ASSERT_EQ(run_program(folder, "generate rig.toml --out one").status, 0);
  ASSERT_EQ(
      run_program(folder,
                  "generate 'mast (m/s^2): tone 31.2Hz 0.5 + white 1e-3' 'ref: square 10Hz 1' --rate 2kHz "
                  "--duration 1s --seed 9 --out two")
          .status,
      0);
  EXPECT_EQ(ScratchFolder::read(folder.path("one/generated.csv")),
            ScratchFolder::read(folder.path("two/generated.csv")));
  // The command line wins over the file, also where it names the default.
  ASSERT_EQ(run_program(folder, "generate rig.toml --seed 1 --out three").status, 0);
  EXPECT_THAT(ScratchFolder::read(folder.path("three/generated-truth.toml")), HasSubstr("seed = 1"));
  const auto shown = run_program(folder, "generate rig.toml --out four --json").json();
  EXPECT_EQ(number_of(shown["settings"]["seed"]), 9);
  EXPECT_EQ(number_of(shown["settings"]["rate"]), 2000);
  folder.write("bad.toml",
               "rate = \"2kHz\"\nduration = \"1s\"\n[[channel]]\nname = \"a\"\nsignl = \"tone 1Hz 1\"\n");
  const ProgramRun bad = run_program(folder, "generate bad.toml");
  EXPECT_EQ(bad.status, 2);
  EXPECT_THAT(bad.err, HasSubstr("bad.toml:5: unknown key \"signl\"; did you mean \"signal\""));
  folder.write("worse.toml", "rate = \n");
  EXPECT_THAT(run_program(folder, "generate worse.toml").err, HasSubstr("worse.toml:1:"));
}

TEST(Generate, SaysWhatIsMissing) {
  const ScratchFolder folder;
  EXPECT_THAT(run_program(folder, "generate 'a: tone 5Hz 1' --duration 1s").err,
              HasSubstr("--rate is missing"));
  EXPECT_THAT(run_program(folder, "generate 'a: tone 5Hz 1' --rate 1kHz").err,
              HasSubstr("--duration is missing"));
  EXPECT_THAT(run_program(folder, "generate 'a: tone 5Hz 1' --rate 1kHz --duration 1s --uneven 60%").err,
              HasSubstr("less than 50%"));
  EXPECT_THAT(run_program(folder, "generate nowhere.toml --rate 1kHz --duration 1s").err,
              HasSubstr("no such file"));
}

TEST(Help, TopicsShowTheProgramsOwnTables) {
  const ScratchFolder folder;
  EXPECT_THAT(run_program(folder, "--help chain").out, HasSubstr("despike"));
  EXPECT_THAT(run_program(folder, "spectrum --help windows").out, HasSubstr("highest side lobe"));
  EXPECT_THAT(run_program(folder, "generate --help terms").out, HasSubstr("sawtooth"));
  const ProgramRun wrong = run_program(folder, "--help chian");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("did you mean \"chain\""));
}

}  // namespace
}  // namespace vprism::condition_test
