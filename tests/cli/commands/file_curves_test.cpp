// file_curves_test.cpp: curves in files: what their scale, unit and scatter say.
#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "cli/run_program.h"

namespace vprism::file_curves_test {
namespace {

using ::testing::Contains;
using ::testing::HasSubstr;

/// A density falling as 1/(1 + (f/100 Hz)^2), at 1 Hz steps, under `title`, times `factor`, to `power`.
std::string density_text(const std::string& title, double factor, double power) {
  std::string text = "Frequency (Hz)," + title + "\n";
  for (int f = 1; f <= 1000; ++f)
    text += std::to_string(f) + "," + std::to_string(1e6 * factor * std::pow(1 / (1 + f * f / 1e4), power)) +
            "e-6\n";
  return text;
}

TEST(SavedScales, DensitiesArePowersWhateverTheirRootAndUnit) {
  const ScratchFolder folder;
  folder.write("a.csv", density_text("PSD (V^2/Hz)", 1, 1));
  folder.write("b.csv", density_text("PSD (mV^2/Hz)", 2e6, 1));
  folder.write("root.csv", density_text("ASD (V/sqrt(Hz))", 1, 0.5));
  const auto bands = [&](const std::string& line) {
    return document_of(folder, line)["results"][0]["bands"];
  };
  const auto twice = bands("compare a.csv b.csv");
  ASSERT_GE(twice.size(), 5u);
  for (const auto& band : twice) EXPECT_NEAR(number_of(band["delta_db"]), 10 * std::log10(2.0), 1e-3);
  const auto rooted = bands("compare a.csv root.csv");
  ASSERT_GE(rooted.size(), 5u);
  for (const auto& band : rooted) EXPECT_NEAR(number_of(band["delta_db"]), 0, 1e-3);
  EXPECT_THAT(run_program(folder, "compare a.csv b.csv").err, HasSubstr("power spectral density"));
}

TEST(SavedScales, UnevenOnesAreComparedInOneUnitOrNotAtAll) {
  const ScratchFolder folder;
  folder.write("a.csv", "Frequency (Hz),PSD (V^2/Hz)\n1,1\n2,2\n4,2\n8,1\n");
  folder.write("b.csv", "Frequency (Hz),PSD (mV^2/Hz)\n1,2e6\n2,4e6\n4,4e6\n8,2e6\n");
  folder.write("amperes.csv", "Frequency (Hz),PSD (A^2/Hz)\n1,2e6\n2,4e6\n4,4e6\n8,2e6\n");
  const auto document = document_of(folder, "compare a.csv b.csv");
  EXPECT_NEAR(number_of(document["results"][0]["mean_db"]), 10 * std::log10(2.0), 1e-9);
  EXPECT_THAT(error_line(folder, "compare a.csv amperes.csv", 4), HasSubstr("calibrate both alike"));
  EXPECT_THAT(error_line(folder, "compare a.csv b.csv --pair-within 1Hz", 2), HasSubstr("point by point"));
}

/// A first-order low pass with its corner at 50 Hz, noise of `scatter` in both parts.
std::string noisy_low_pass(double scatter) {
  std::mt19937 bits(3);
  std::normal_distribution<double> normal;
  std::string text = "Frequency (Hz),Re(H),Im(H)\n";
  for (int k = 0; k < 200; ++k) {
    const double f = std::pow(10.0, 3.0 * k / 199), q = 1 + f * f / 2500;
    text += std::to_string(f) + "," + std::to_string(1 / q + scatter * normal(bits)) + "," +
            std::to_string(-f / 50 / q + scatter * normal(bits)) + "\n";
  }
  return text;
}

TEST(SavedResponses, TheirScatterIsTheirUncertainty) {
  const ScratchFolder folder;
  folder.write("quiet.csv", noisy_low_pass(0));
  folder.write("noisy.csv", noisy_low_pass(0.03));
  for (const char* name : {"quiet.csv", "noisy.csv"}) {
    const auto r = document_of(folder, std::string("response ") + name + " --at 50Hz")["results"][0];
    const double corner = number_of(r["half_power_to_hz"]), off = number_of(r["half_power_to_std_hz"]);
    EXPECT_NEAR(corner, 50, std::max(3 * off, 0.05)) << name;
    EXPECT_LT(off, name[0] == 'q' ? 0.05 : 3) << name;
    const auto& at = r["at"][0];
    EXPECT_NEAR(number_of(at["gain"]), std::sqrt(0.5), 3 * number_of(at["gain_std"]) + 1e-5) << name;
  }
}

TEST(SavedResponses, RefuseWhatTheyCannotObey) {
  const ScratchFolder folder;
  folder.write("noisy.csv", noisy_low_pass(0.03));
  EXPECT_THAT(error_line(folder, "response noisy.csv --segment 1024", 2), HasSubstr("--segment"));
  folder.write("psd.csv", density_text("PSD (V^2/Hz)", 1, 1));
  EXPECT_EQ(run_program(folder, "response psd.csv").status, 4);
}

}  // namespace
}  // namespace vprism::file_curves_test
