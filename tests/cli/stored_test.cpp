// stored_test.cpp: files that hold spectra or responses already, through the commands that take them.
#include <gmock/gmock.h>

#include <cmath>
#include <complex>
#include <numbers>

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
  for (const char* line : {"spectrum ac.csv --window hann", "spectrum ac.csv --resolution 1Hz",
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

TEST(Comparing, ARecordingWithItselfUnderAnotherChain) {
  const ScratchFolder folder;
  run_program(folder, "generate 'u (V): tone 50Hz 1 + tone 400Hz 1' --rate 2kHz --duration 4s --to hdf5 --figure none --out .");
  const ProgramRun run =
      run_program(folder, "compare generated.h5 --versus \"--chain 'lowpass 100Hz'\" --json");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("lowpass 100Hz"));
  EXPECT_EQ(run_program(folder, "compare generated.h5 --versus '--channel 1'").status, 2);
}

}  // namespace
}  // namespace vprism::stored_test
