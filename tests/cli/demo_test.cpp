// The demo: committed data are what the program makes, and the findings are the truth of demo/TRUTH.md.
#include <gmock/gmock.h>

#include <cmath>
#include <sstream>

#include "base/text.h"
#include "run_program.h"
#include "tern_point.h"

namespace vprism {
namespace {

using ::testing::HasSubstr;

std::string committed(const std::string& name) {
  return ScratchFolder::read(name == "TRUTH.md" ? VPRISM_SOURCE "/demo/TRUTH.md"
                                                : VPRISM_SOURCE "/demo/data/" + name);
}

TEST(Demo, CommittedDataAreWhatTheProgramMakesBitForBit) {
  for (const demo::DemoFile& file : demo::make_files()) {
    EXPECT_TRUE(file.bytes == committed(file.name)) << file.name << ": run build/make-demo demo/data";
    EXPECT_LT(file.bytes.size(), 2u << 20);
  }
}

struct Truth {
  std::string recording, channel, what;
  double frequency, rms, phase;
};

/// The rows of the table of tones in TRUTH.md.
std::vector<Truth> truth_rows() {
  std::vector<Truth> rows;
  std::istringstream lines(committed("TRUTH.md"));
  for (std::string line; std::getline(lines, line);) {
    const auto cells = split(line, '|');
    if (cells.size() != 9 || line.find("---") != std::string::npos || trimmed(cells[1]) == "recording")
      continue;
    const auto cell = [&](std::size_t i) { return std::string(trimmed(cells[i])); };
    rows.push_back({cell(1), cell(2), cell(3), std::stod(cell(4)), std::stod(cell(5)), std::stod(cell(7))});
  }
  return rows;
}

std::string calibrate_options() {
  std::string out;
  for (const std::string& rule : demo::calibrations()) out += " --calibrate '" + rule + "'";
  return out;
}

TEST(Demo, EveryToneOfTheTruthIsFoundToATenthOfABinAndOnePercent) {
  const ScratchFolder folder;
  for (const demo::DemoFile& file : demo::make_files()) folder.write(file.name, file.bytes);
  const ProgramRun run = run_program(
      folder, "survey drive-scope.csv mount-daq.wav --json --quiet --peaks 20" + calibrate_options());
  ASSERT_EQ(run.status, 0) << run.err;
  const auto document = run.json();
  const std::vector<Truth> truth = truth_rows();
  ASSERT_EQ(truth.size(), 30u);
  for (const Truth& tone : truth) {
    bool found = false;
    for (const auto& result : document["results"]) {
      if (text_of(result["file"]) != tone.recording || text_of(result["channel"]) != tone.channel) continue;
      const double bin = result["bin_hz"], start = tone.recording == "drive-scope.csv" ? -0.01 : 0;
      for (const auto& peak : result["peaks"]) {
        const double frequency = peak["frequency_hz"];
        if (std::abs(frequency - tone.frequency) > 0.1 * bin) continue;
        found = true;
        EXPECT_NEAR(peak["level"].get<double>(), tone.rms, 0.01 * tone.rms)
            << tone.channel << ": " << tone.what;
        // The phase there is that at the record's start; the uncertainty of a frequency of a tenth of a bin
        // turns it by 18 degrees.
        const double expected = tone.phase + 360 * tone.frequency * start;
        EXPECT_LT(std::abs(std::remainder(peak["phase_deg"].get<double>() - expected, 360.0)), 18)
            << tone.channel << ": " << tone.what;
        EXPECT_FALSE(peak["broad"].get<bool>()) << tone.channel << ": " << tone.what;
      }
    }
    EXPECT_TRUE(found) << tone.channel << ": " << tone.what << " at " << tone.frequency;
  }
}

TEST(Demo, FamiliesHumpAndCautionsAreNamed) {
  const ScratchFolder folder;
  for (const demo::DemoFile& file : demo::make_files()) folder.write(file.name, file.bytes);
  const auto document = run_program(folder, "survey drive-scope.csv mount-daq.wav --json --quiet --peaks 20" +
                                                calibrate_options())
                            .json();
  const auto kinds = [&](const std::string& channel) {
    std::vector<std::string> out;
    for (const auto& finding : document["findings"])
      if (text_of(finding["channel"]) == channel) out.push_back(text_of(finding["kind"]));
    return out;
  };
  using ::testing::Contains;
  EXPECT_THAT(kinds("phase U"), Contains("sideband-family"));
  EXPECT_THAT(kinds("motor current"), Contains("mains-hum"));
  EXPECT_THAT(kinds("cryocooler head"), Contains("harmonic-family"));
  for (const auto& finding : document["findings"]) {
    if (text_of(finding["kind"]) != "resonance") continue;
    EXPECT_NEAR(finding["frequency_hz"].get<double>(), 37.1, 1.0);
  }
  EXPECT_THAT(kinds("mirror cell"), Contains("resonance"));
  std::vector<std::string> codes;
  for (const auto& caution : document["cautions"])
    codes.push_back(caution["channel"].get<std::string>() + ": " + caution["code"].get<std::string>());
  EXPECT_THAT(codes, Contains("motor current: spikes"));
}

TEST(Demo, CommandWritesDataAndReportAndCanBeRunAgain) {
  const ScratchFolder folder;
  const ProgramRun run = run_program(folder, "demo --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("Report: tern-point/report/survey.html"));
  EXPECT_TRUE(std::filesystem::exists(folder.path("tern-point/drive-scope.csv")));
  const std::string html = ScratchFolder::read(folder.path("tern-point/report/survey.html"));
  EXPECT_THAT(html, HasSubstr("mains hum"));
  EXPECT_EQ(run_program(folder, "demo --quiet").status, 0);
  EXPECT_EQ(ScratchFolder::read(folder.path("tern-point/report/survey.html")), html);
}

}  // namespace
}  // namespace vprism
