// The command spectrum in full, and occupancy, on made-up recordings of known content.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::spectrum_test {
namespace {

using ::testing::HasSubstr;

/// `generate` first, then a command on what it made; its document.
class OnMade : public ::testing::Test {
 protected:
  /// Channels parted by "; ".
  void make(std::string description, const std::string& more) {
    for (std::size_t at = 0; (at = description.find("; ", at)) != std::string::npos;)
      description.replace(at, 2, "' '");
    const ProgramRun run = run_program(
        folder_, "generate '" + description + "' --to hdf5 --out . --figure none --force " + more);
    ASSERT_EQ(run.status, 0) << run.err;
  }
  nlohmann::json of(const std::string& arguments) {
    const ProgramRun run = run_program(folder_, arguments + " --json --quiet");
    EXPECT_EQ(run.status, 0) << arguments << ": " << run.err;
    return run.status == 0 ? run.json() : nlohmann::json();
  }
  std::string codes_of(const std::string& arguments) {
    std::string out;
    const nlohmann::json document = of(arguments);
    for (const auto& caution : document["cautions"]) out += text_of(caution["code"]) + " ";
    return out;
  }
  ScratchFolder folder_;
};

TEST_F(OnMade, TheSameToneReadInAllScalesAgrees) {
  make("u (V): tone 50Hz 2", "--rate 1kHz --duration 4s");
  const double rms = std::sqrt(2.0);
  const double rbw = number_of(of("spectrum generated.h5 --segment 1000")["results"][0]["rbw_hz"]);
  EXPECT_NEAR(rbw, 1.5, 1e-6);
  for (const auto& [scale, level] : {std::pair{"rms", rms},
                                     {"peak", 2.0},
                                     {"peak-to-peak", 4.0},
                                     {"power", 2.0},
                                     {"psd", 2.0 / rbw},
                                     {"esd", 2.0 / rbw}})
    EXPECT_NEAR(number_of(of("spectrum generated.h5 --segment 1000 --scale " +
                             std::string(scale))["results"][0]["peaks"][0]["level"]),
                level, 1e-6 * level)
        << scale;
}

TEST_F(OnMade, AveragesWindowsAndPaddingAreToldInDocumentFigureAndCsv) {
  make("u (V): tone 50Hz 2 + white 1e-3", "--rate 1kHz --duration 4s");
  const ProgramRun run = run_program(
      folder_,
      "spectrum generated.h5 --segment 500 --window hann,flat-top,rectangular --average median --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("15 segments, median"));
  const std::string csv = ScratchFolder::read(folder_.path("o/generated-spectrum.csv"));
  EXPECT_THAT(csv, HasSubstr("u rms flat-top (V),u rms rectangular (V)"));
  // By resolution too all windows share their bins: the tone stands on one, and all read its level there.
  ASSERT_EQ(
      run_program(folder_, "spectrum generated.h5 --resolution 3Hz --window hann,flat-top --out r").status,
      0);
  const std::string both = ScratchFolder::read(folder_.path("r/generated-spectrum.csv"));
  const std::size_t row = both.find("\n50,");
  ASSERT_NE(row, std::string::npos);
  const std::size_t comma = both.find(',', row + 4);
  EXPECT_NEAR(std::stod(both.substr(row + 4)), std::sqrt(2.0), 2e-3);
  EXPECT_NEAR(std::stod(both.substr(comma + 1)), std::sqrt(2.0), 2e-3);
  const auto padded = of("spectrum generated.h5 --segment 500 --pad 4")["results"][0];
  EXPECT_NEAR(number_of(padded["bin_hz"]), 2, 1e-9);
  EXPECT_NEAR(number_of(padded["interpolated_bin_hz"]), 0.5, 1e-9);
  EXPECT_NEAR(number_of(padded["rbw_hz"]), 3, 1e-6) << "zeros add no resolution";
}

TEST_F(OnMade, ASpanOfItsOwnForEachChannelWithItsOwnResolution) {
  make("a (V): tone 143.21kHz 1 + tone 143.26kHz 0.2; b (V): tone 7kHz 1", "--rate 1MHz --duration 1s");
  const auto results = of(
      "spectrum generated.h5 --span 'a: 140kHz..149kHz @ 10Hz' --span 'b: 5kHz..10kHz @ 100Hz'")["results"];
  EXPECT_NEAR(number_of(results[0]["rbw_hz"]), 10, 0.1);
  EXPECT_NEAR(number_of(results[1]["rbw_hz"]), 100, 0.5);
  EXPECT_NEAR(number_of(results[0]["peaks"][0]["frequency_hz"]), 143210, 0.01);
  EXPECT_NEAR(number_of(results[0]["peaks"][1]["frequency_hz"]), 143260, 0.01);
  EXPECT_NEAR(number_of(results[0]["peaks"][1]["level"]), 0.2 / std::sqrt(2.0), 1e-4);
  EXPECT_NEAR(number_of(results[1]["peaks"][0]["frequency_hz"]), 7000, 0.1);
  const ProgramRun wrong = run_program(folder_, "spectrum generated.h5 --span 'c: 1kHz..2kHz'");
  EXPECT_EQ(wrong.status, 2);
  EXPECT_THAT(wrong.err, HasSubstr("unknown channel \"c\""));
}

TEST_F(OnMade, BandsHoldTheToneAndSayTheirClass) {
  make("p (Pa): tone 1kHz 2 + tone 100Hz 0.2", "--rate 20kHz --duration 4s");
  const auto result = of("spectrum generated.h5 --bands third --segment 20000")["results"][0];
  bool seen = false;
  for (const auto& band : result["bands"])
    if (text_of(band["name"]) == "1 kHz") {
      seen = true;
      EXPECT_NEAR(number_of(band["level"]), std::sqrt(2.0), 1e-5);
      EXPECT_EQ(number_of(band["iec_class"]), 1);
      EXPECT_NEAR(number_of(band["share"]), 4 / 4.04, 1e-5);
    }
  EXPECT_TRUE(seen);
  // A: 0 dB at 1 kHz, -19.1 dB at 100 Hz.
  EXPECT_NEAR(number_of(result["level_a"]), std::sqrt(2 + 0.02 * std::pow(10, -1.91)), 1e-4);
  const auto own = of("spectrum generated.h5 --bands 50Hz..200Hz,500Hz..2kHz")["results"][0]["bands"];
  EXPECT_NEAR(number_of(own[0]["level"]), 0.2 / std::sqrt(2.0), 1e-5);
  EXPECT_EQ(run_program(folder_, "spectrum generated.h5 --bands quarter").status, 2);
}

TEST_F(OnMade, DerivedQuantitiesPhasesToAChannelAndConfidence) {
  make("a (m/s^2): tone 50Hz 3; b (m/s^2): tone 50Hz 1 phase -30deg + white 1e-3",
       "--rate 1kHz --duration 8s");
  const auto moved = of("spectrum generated.h5 --channel a --derive displacement --scale peak")["results"][0];
  EXPECT_EQ(text_of(moved["unit"]), "m");
  EXPECT_NEAR(number_of(moved["peaks"][0]["level"]), 3 / std::pow(2 * std::acos(-1.0) * 50, 2), 1e-9);
  const auto phased = of("spectrum generated.h5 --phase-to a --segment 1000")["results"][1];
  EXPECT_NEAR(number_of(phased["peaks"][0]["phase_deg"]), -30, 0.5);
  EXPECT_GT(number_of(phased["peaks"][0]["coherence"]), 0.99);
  const auto bounds = of(
      "spectrum generated.h5 --channel b --tapers 5 --confidence 95% --scale psd --segment 2000")["results"]
                                                                                                 [0];
  EXPECT_EQ(number_of(bounds["tapers"]), 5);
  EXPECT_LT(number_of(bounds["confidence"]["low_db"]), -0.5);
  EXPECT_GT(number_of(bounds["confidence"]["high_db"]), 0.5);
  EXPECT_EQ(run_program(folder_, "spectrum generated.h5 --derive speed").status, 2);
}

TEST_F(OnMade, LinesAtUnevenTimesNeedNoGrid) {
  make("u (V): tone 87.31Hz 1 + tone 190Hz 0.01", "--rate 1kHz --duration 2s --uneven 30%");
  const auto peaks = of("spectrum generated.h5 --method stamps")["results"][0]["peaks"];
  ASSERT_GE(peaks.size(), 2u);
  EXPECT_NEAR(number_of(peaks[0]["frequency_hz"]), 87.31, 1e-5);
  EXPECT_NEAR(number_of(peaks[0]["level"]), std::sqrt(0.5), 1e-6);
  EXPECT_NEAR(number_of(peaks[1]["level"]), 0.01 * std::sqrt(0.5), 1e-6);
  const ProgramRun without = run_program(folder_, "spectrum generated.h5");
  EXPECT_EQ(without.status, 0);
  EXPECT_THAT(without.err, HasSubstr("[regridded]"));
}

TEST_F(OnMade, TheGateIsMovedAndTheChangeIsFound) {
  make("u (V): tone 50Hz 1 + burst 200Hz 2 from 3s for 1s + white 1e-3", "--rate 1kHz --duration 8s");
  const auto change = of("spectrum generated.h5 --gate 0s..1s --slide 500ms")["results"][0];
  EXPECT_EQ(number_of(change["places"]), 15);
  bool seen = false;
  for (const auto& line : change["changes"])
    if (std::abs(number_of(line["frequency_hz"]) - 200) < 2) {
      seen = true;
      EXPECT_NEAR(number_of(line["highest_s"]), 3, 1e-9);
      EXPECT_GT(number_of(line["change_db"]), 30);
    }
  EXPECT_TRUE(seen);
  EXPECT_EQ(run_program(folder_, "spectrum generated.h5 --slide 1s").status, 2);
}

TEST_F(OnMade, OccupancyFindsTheBurstAndWritesItsMap) {
  make("u (V): white 1e-4 + tone 1kHz 0.2 + burst 3kHz 1 from 2s for 20ms", "--rate 20kHz --duration 5s");
  const ProgramRun run = run_program(folder_, "occupancy generated.h5 --map csv --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto rare = nlohmann::json::parse(
      ScratchFolder::read(folder_.path("o/generated-occupancy.json")))["results"][0]["rare"];
  ASSERT_EQ(rare.size(), 1u);
  EXPECT_NEAR(number_of(rare[0]["peak_hz"]), 3000, 100);
  EXPECT_NEAR(number_of(rare[0]["time_s"]), 2, 0.02);
  EXPECT_LT(number_of(rare[0]["share"]), 0.01);
  EXPECT_THAT(ScratchFolder::read(folder_.path("o/generated-occupancy-map.csv")).substr(0, 20),
              HasSubstr("share of time"));
  for (const char* map : {"npy", "hdf5"})
    EXPECT_EQ(
        run_program(folder_, "occupancy generated.h5 --figure none --force --out o --map " + std::string(map))
            .status,
        0);
  EXPECT_TRUE(run_python(folder_,
                         "import h5py, numpy as n\nm = n.load('o/generated-occupancy.npy')\n"
                         "f = h5py.File('o/generated-occupancy.h5')\n"
                         "assert n.array_equal(m, f['values'][:]) and m.shape == (len(f['y']), len(f['x']))\n"
                         "assert abs(m.sum(0) - 1).max() < 1e-9\n"));
}

TEST_F(OnMade, CautionsComeWhereTheyBelongAndOnlyThere) {
  make("u (V): tone 50.3Hz 1 + white 1e-4", "--rate 1kHz --duration 8s");
  EXPECT_THAT(codes_of("spectrum generated.h5 --window rectangular --segment 1000"),
              HasSubstr("periods-cut"));
  EXPECT_EQ(codes_of("spectrum generated.h5 --segment 1000"), "");
  EXPECT_THAT(codes_of("spectrum generated.h5 --scale psd"), HasSubstr("few-averages"));
  EXPECT_EQ(codes_of("spectrum generated.h5 --scale psd --segment 500"), "");
  EXPECT_THAT(codes_of("spectrum generated.h5 --scale psd --segment 500 --average median"),
              HasSubstr("median-of-noise"));
  make("u (V): offset 5 + white 1e-5", "--rate 1kHz --duration 8s");
  EXPECT_THAT(codes_of("spectrum generated.h5 --window hamming"), HasSubstr("dc-leakage"));
  make("u (V): tone 490Hz 1 + white 1e-4", "--rate 1kHz --duration 8s");
  EXPECT_THAT(codes_of("spectrum generated.h5"), HasSubstr("near-half-rate"));
  make("u (V): tone 50Hz 1 + burst 200Hz 2 from 6s for 2s + white 1e-3", "--rate 1kHz --duration 8s");
  EXPECT_THAT(codes_of("spectrum generated.h5 --segment 256"), HasSubstr("changes-in-time"));
}

TEST_F(OnMade, SpectraFromFilesAreOverlaid) {
  make("a (V): tone 50Hz 1; b (V): tone 70Hz 2", "--rate 1kHz --duration 2s");
  folder_.write("reference.csv", "frequency (Hz),expected (V)\n10,0.5\n100,0.5\n400,0.1\n");
  const ProgramRun run =
      run_program(folder_, "spectrum generated.h5 reference.csv --overlay --figure svg --json --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_EQ(run.json()["inputs"].size(), 2u);
  EXPECT_THAT(ScratchFolder::read(folder_.path("o/generated-spectrum-overlay.svg")),
              HasSubstr("reference: expected"));
  EXPECT_THAT(run_program(folder_, "spectrum reference.csv --out p").err, HasSubstr("--overlay"));
  EXPECT_EQ(run_program(folder_, "spectrum reference.csv --overlay --out q").status, 2);
}

TEST_F(OnMade, OverlayTraceAndAxesAreDrawn) {
  make("a (V): tone 50Hz 1; b (V): tone 70Hz 2; c (A): tone 90Hz 1", "--rate 1kHz --duration 2s");
  const ProgramRun run = run_program(folder_,
                                     "spectrum generated.h5 --overlay --figure svg --frequency-axis "
                                     "logarithmic --level-axis linear --out o");
  ASSERT_EQ(run.status, 0) << run.err;
  const std::string picture = ScratchFolder::read(folder_.path("o/generated-spectrum-overlay.svg"));
  EXPECT_THAT(picture, HasSubstr("Voltage, RMS"));
  EXPECT_THAT(picture, HasSubstr("Current, RMS"));
  EXPECT_EQ(run_program(folder_, "spectrum generated.h5 --trace --gate 0.5s..1s --channel a --out t").status,
            0);
}

TEST_F(OnMade, AnEndThatNoSegmentReachesIsWarnedOf) {
  make("a (V): tone 50Hz 1", "--rate 1kHz --duration 10s");
  const auto warns = [&](const std::string& cut) {
    const ProgramRun run = run_program(folder_, "spectrum generated.h5 --figure none --json " + cut);
    EXPECT_EQ(run.status, 0) << run.err;
    return run.err.find("end-unseen") != std::string::npos;
  };
  // Segments from 0, 2048 and 4096 on: the last 1808 of 10,000 samples are in none.
  EXPECT_TRUE(warns("--segment 4096"));
  EXPECT_FALSE(warns("--segment 4096 --overlap 90%"));
  EXPECT_FALSE(warns("--segment 1000"));
  EXPECT_FALSE(warns(""));
}

}  // namespace
}  // namespace vprism::spectrum_test
