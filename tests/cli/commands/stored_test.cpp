// stored_test.cpp: files that hold spectra or responses already, through the commands that take them.
#include <gmock/gmock.h>

#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "cli/run_program.h"

namespace vprism::stored_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;
using ::testing::HasSubstr;

/// Gain of a coil and a capacitor behind a resistor: resonance at `hz`, quality `q`.
Complex coil(double f, double hz, double q) {
  const Complex u(0, f / hz);
  return 1.0 / (1.0 + u / q + u * u);
}

/// A sweep as a circuit solver writes it: input 2 V, output over it.
std::string sweep_text(double from, double to, int points, double hz, double q) {
  std::string text = "frequency (Hz),v(out) re (V),v(out) im (V),v(in) re (V),v(in) im (V)\n";
  char line[160];
  for (int k = 0; k < points; ++k) {
    const double f = from * std::pow(to / from, static_cast<double>(k) / (points - 1));
    const Complex out = 2.0 * coil(f, hz, q);
    std::snprintf(line, sizeof line, "%.12g,%.12g,%.12g,2,0\n", f, out.real(), out.imag());
    text += line;
  }
  return text;
}

class OfFiles : public ::testing::Test {
 protected:
  OfFiles() {
    folder_.write("ac.csv", sweep_text(10, 1e6, 251, 5000, 8));
    folder_.write("other.csv", sweep_text(12, 0.9e6, 190, 5000, 4));
  }
  const ScratchFolder folder_;
};

TEST_F(OfFiles, AResponseIsDividedReadAndItsResonanceFitted) {
  const ProgramRun run =
      run_program(folder_, "response ac.csv --reference 'v(in)' --at 1kHz,5kHz --input-density 1e-3 --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  ASSERT_EQ(document["results"].size(), 1u);
  const auto& r = document["results"][0];
  ASSERT_EQ(r["resonances"].size(), 1u);
  EXPECT_NEAR(number_of(r["resonances"][0]["frequency_hz"]), 5000, 5);
  EXPECT_NEAR(number_of(r["resonances"][0]["q"]), 8, 0.08);
  EXPECT_NEAR(number_of(r["gain_at_lowest"]), 1, 1e-4);
  EXPECT_EQ(r["kind"], "low pass");
  const Complex at = coil(1000, 5000, 8);
  EXPECT_NEAR(number_of(r["at"][0]["gain"]), std::abs(at), 1e-5);
  EXPECT_NEAR(number_of(r["at"][0]["phase_deg"]), std::arg(at) * 180 / pi, 1e-3);
  // pi f0 S Q / 2
  EXPECT_NEAR(number_of(r["random_input"]["output_rms"]), std::sqrt(pi * 5000 * 1e-3 * 8 / 2), 0.03);
  EXPECT_EQ(r["random_input"]["output_unit"], "V");
  // Phases that go on.
  const ProgramRun files = run_program(folder_, "response ac.csv --phase unwrapped --out . --figure none");
  EXPECT_EQ(files.status, 0) << files.err;
  EXPECT_THAT(ScratchFolder::read(folder_.path("ac-response.csv")), HasSubstr("v(out) phase (deg)"));
}

TEST_F(OfFiles, SpectraAreShownAsTheyStand) {
  const auto document = run_program(folder_, "spectrum ac.csv --json").json();
  const auto& peaks = document["results"][0]["peaks"];
  ASSERT_EQ(peaks.size(), 1u);
  EXPECT_NEAR(number_of(peaks[0]["frequency_hz"]), 5000, 25);
  EXPECT_NEAR(number_of(peaks[0]["level"]), 16, 0.2);
  EXPECT_NEAR(number_of(peaks[0]["width_hz"]), 5000 / 8.0, 60);
  EXPECT_EQ(document["results"][1]["peaks"].size(), 0u);
  EXPECT_THAT(run_program(folder_, "spectrum ac.csv").err, HasSubstr("[scale-unsaid]"));
  folder_.write("noise.csv", "frequency (Hz),a psd (V^2/Hz)\n1,2\n2,2\n3,2\n5,2\n");
  const auto psd = run_program(folder_, "spectrum noise.csv --json").json();
  EXPECT_EQ(psd["results"][0]["scale"], "psd");
  EXPECT_NEAR(number_of(psd["results"][0]["total_rms"]), std::sqrt(8.0), 1e-9);
  const ProgramRun survey = run_program(folder_, "survey ac.csv --figure none");
  EXPECT_EQ(survey.status, 0) << survey.err;
  EXPECT_THAT(survey.out, HasSubstr("a peak of the file's spectrum at"));
}

TEST_F(OfFiles, TwoSweepsAreComparedPointByPoint) {
  const ProgramRun run = run_program(folder_, "compare ac.csv other.csv --channel 'v(out)' --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  const auto& r = document["results"][0];
  EXPECT_NEAR(number_of(r["greatest_at_hz"]), 5000, 120);
  EXPECT_NEAR(number_of(r["greatest_db"]), 20 * std::log10(4.0 / 8), 0.1);
  EXPECT_EQ(run_program(folder_, "compare ac.csv other.csv --versus '--window hann'").status, 2);
}

TEST_F(OfFiles, OptionsThatWouldDoNothingAreRefused) {
  for (const char* line : {"spectrum ac.csv --window blackman", "spectrum ac.csv --resolution 1Hz",
                           "response ac.csv --segment 64", "response ac.csv --output-only"})
    EXPECT_EQ(run_program(folder_, line).status, 2) << line;
  EXPECT_EQ(run_program(folder_, "identify ac.csv").status, 4);
  EXPECT_EQ(run_program(folder_, "response ac.csv --reference nothing").status, 2);
}

TEST(Responses, OfRecordingsAreReadBetweenTheirBinsToo) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "response '" VPRISM_SOURCE
                                             "/demo/data/tap-test.uff'"
                                             " --at 20Hz,31Hz --input-density 1 --json --no-resonances");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  for (const auto& r : document["results"]) {
    EXPECT_EQ(r["at"].size(), 2u);
    EXPECT_GT(number_of(r["random_input"]["output_rms"]), 0);
  }
}

TEST(Chains, AreSetSideBySide) {
  const ScratchFolder folder;
  run_program(folder,
              "generate 'u (V): tone 20Hz 1 + tone 400Hz 1' --rate 2kHz --duration 8s --to hdf5 --figure "
              "none --out .");
  const ProgramRun run = run_program(folder,
                                     "condition generated.h5 --chain 'lowpass 100Hz' --versus 'lowpass 200Hz "
                                     "order 2' --versus 'despike' --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  const auto& trials = document["versus"][0];
  ASSERT_EQ(trials.size(), 3u);
  EXPECT_NEAR(number_of(trials[0]["corner_hz"]), 100, 0.1);
  EXPECT_NEAR(number_of(trials[1]["corner_hz"]), 200, 0.2);
  EXPECT_TRUE(trials[2]["corner_hz"].is_null());
  // Butterworth of order 4 at four times its edge, prewarped: tan(pi 0.2) / tan(pi 0.05) to the fourth power.
  const double ratio = std::pow(std::tan(pi * 0.2) / std::tan(pi * 0.05), 4);
  const auto& lines = trials[0]["channels"][0]["lines"];
  ASSERT_EQ(lines.size(), 2u);
  const auto& upper = number_of(lines[0]["frequency_hz"]) > 100 ? lines[0] : lines[1];
  EXPECT_NEAR(number_of(upper["change_db"]), -10 * std::log10(1 + ratio * ratio), 0.05);
  // A step through it: the order's overshoot is 10.8%; two poles, 4.3%.
  EXPECT_NEAR(number_of(trials[0]["step"]["overshoot"]), 0.108, 0.005);
  EXPECT_NEAR(number_of(trials[1]["step"]["overshoot"]), 0.0432, 0.01);
  EXPECT_EQ(number_of(trials[0]["step"]["seen_before_s"]), 0);
  EXPECT_EQ(
      run_program(folder, "condition generated.h5 --chain 'lowpass 100Hz' --versus 'lopass 3Hz'").status, 2);
}

TEST(Chosen, AReferenceNeedNotBeAmongTheChannels) {
  const ScratchFolder folder;
  run_program(folder,
              "generate 'a (V): white 1' 'b (V): tone 50Hz 1 + white 1e-3' 'c (V): tone 50Hz 2 + white 0.1' "
              "--rate 1kHz "
              "--duration 8s --to hdf5 --figure none --out .");
  // Numbers are those of the file.
  const auto response =
      run_program(folder, "response generated.h5 --channel 3 --reference 2 --json --no-resonances").json();
  ASSERT_EQ(response["results"].size(), 1u);
  EXPECT_EQ(response["results"][0]["channel"], "c");
  EXPECT_EQ(response["results"][0]["reference"], "b");
  for (const char* line :
       {"spectrum generated.h5 --channel c --phase-to b", "cycles generated.h5 --channel c --trigger b",
        "identify generated.h5 --channel c --reference b"})
    EXPECT_EQ(run_program(folder, std::string(line) + " --figure none --force").status, 0) << line;
  EXPECT_EQ(run_program(folder, "spectrum generated.h5 --channel c --phase-to nothing").status, 2);
}

TEST(Comparing, ARecordingWithItselfUnderAnotherChain) {
  const ScratchFolder folder;
  run_program(folder,
              "generate 'u (V): tone 50Hz 1 + tone 400Hz 1' --rate 2kHz --duration 4s --to hdf5 --figure "
              "none --out .");
  const ProgramRun run =
      run_program(folder, "compare generated.h5 --versus \"--chain 'lowpass 100Hz'\" --json");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("lowpass 100Hz"));
  EXPECT_EQ(run_program(folder, "compare generated.h5 --versus '--channel 1'").status, 2);
}

/// A scan of a delay stage at uneven positions, as text: a short pulse at `at_s`.
std::string scan_text(double start_um, int count, double at_s, double size, unsigned seed) {
  std::mt19937 bits(seed);
  std::uniform_real_distribution<double> step(4, 8);
  std::normal_distribution<double> normal;
  std::string text = "Stage position (um)\tDetector (nA)\n";
  char line[80];
  double position = start_um;
  for (int n = 0; n < count; ++n, position += step(bits)) {
    const double t = 2e-6 * position / 299792458 - at_s, width = 2e-13;
    const double x = -size * t / width * std::exp(-t * t / (2 * width * width)) + 2e-4 * normal(bits) + 0.02;
    std::snprintf(line, sizeof line, "%.8g\t%.8g\n", position, x);
    text += line;
  }
  return text;
}

TEST(Transmissions, OfASlabFromTwoScansWithOtherStarts) {
  const ScratchFolder folder;
  const double thickness = 0.4e-3, index = 2.6, absorption = 220;
  const double faces = 4 * index / ((index + 1) * (index + 1)), later = (index - 1) * thickness / 299792458;
  const double through = faces * std::exp(-absorption * thickness / 2);
  folder.write("empty.txt", scan_text(80, 850, 7e-12, 1, 1));
  folder.write("slab.txt", scan_text(310, 800, 7e-12 + later, through, 2));
  const std::string line = "response slab.txt --reference-file empty.txt --delay-line um";
  const ProgramRun run = run_program(folder, line + " --thickness 0.4mm --at 0.7THz,1.2THz --json");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  const auto& r = document["results"][0];
  EXPECT_NEAR(number_of(r["delay_s"]), later, 3 * number_of(r["delay_std_s"]) + 1e-16);
  EXPECT_LT(number_of(r["low_hz"]), 0.2e12);
  EXPECT_GT(number_of(r["high_hz"]), 2e12);
  for (const auto& at : r["at"]) {
    EXPECT_NEAR(number_of(at["gain"]), through, 0.005 * through);
    EXPECT_NEAR(number_of(at["refractive_index"]), index, 0.005 * index);
    EXPECT_NEAR(number_of(at["absorption_per_m"]), absorption, 20);
  }
  EXPECT_EQ(document["inputs"].size(), 2u);
  EXPECT_EQ(run_program(folder, line + " --segment 64").status, 2);
  EXPECT_EQ(run_program(folder, "response slab.txt --delay-line um --thickness 1mm").status, 2);
  EXPECT_EQ(run_program(folder, "response slab.txt --reference-file nothing.txt --delay-line um").status, 3);
}

}  // namespace
}  // namespace vprism::stored_test
