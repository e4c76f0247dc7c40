// The demo: committed data are what the program makes, and the findings are the truth of demo/TRUTH.md.
#include <gmock/gmock.h>

#include <cmath>
#include <sstream>

#include "base/text.h"
#include "cli/run_program.h"
#include "tern_point.h"

namespace vprism::demo_test {
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

/// Rows of the table in TRUTH.md under a heading, as cells; without its head.
std::vector<std::vector<std::string>> truth_table(const std::string& heading) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream lines(committed("TRUTH.md"));
  bool here = false;
  for (std::string line; std::getline(lines, line);) {
    if (line.rfind("## ", 0) == 0) here = line.rfind("## " + heading, 0) == 0;
    if (!here || line.rfind("|", 0) != 0 || line.find("---") != std::string::npos) continue;
    std::vector<std::string> cells;
    for (const std::string& cell : split(line, '|')) cells.emplace_back(trimmed(cell));
    rows.push_back({cells.begin() + 1, cells.end() - 1});
  }
  if (!rows.empty()) rows.erase(rows.begin());
  return rows;
}

/// The demo, run once for all that is asked of it.
struct TernPoint {
  TernPoint() : run(run_program(folder, "demo --quiet --figure none")) {}
  nlohmann::json document(const std::string& step) const {
    return nlohmann::json::parse(
        ScratchFolder::read(folder.path("tern-point/report/steps/" + step + "/document.json")));
  }
  ScratchFolder folder;
  ProgramRun run;
};

void the_report_names_the_culprit_with_evidence(const TernPoint& t) {
  EXPECT_EQ(committed("tern-point.toml"), ScratchFolder::read(t.folder.path("tern-point/tern-point.toml")));
  const auto listed =
      nlohmann::json::parse(ScratchFolder::read(t.folder.path("tern-point/report/case.json")))["answer"];
  // Tones of the cooler in the mirror cell: 0.0565685 and 0.0127279 m/s^2.
  const double cooler = std::hypot(0.0565685, 0.0127279);
  EXPECT_EQ(text_of(listed["culprits"][0]["suspect"]), "cryocooler");
  EXPECT_EQ(text_of(listed["culprits"][0]["channel"]), "mirror cell");
  EXPECT_NEAR(number_of(listed["culprits"][0]["level"]), cooler, 0.01 * cooler);
  // All that the mirror cell holds: tones, sidebands, resonance and noise of the truth.
  const double all = cooler * cooler + std::pow(0.00848528, 2) + std::pow(0.0141421, 2) +
                     std::pow(0.00424264, 2) + 2 * std::pow(0.00212132, 2) + std::pow(0.015, 2) +
                     std::pow(0.001, 2);
  EXPECT_NEAR(number_of(listed["culprits"][0]["share_percent"]), 100 * cooler * cooler / all, 1.5);
  EXPECT_EQ(text_of(listed["verdict"]), "fail");
  EXPECT_EQ(text_of(listed["limits"][0]["suspect"]), "cryocooler");
  EXPECT_TRUE(listed["unexplained"].empty());
  bool near = false;
  for (const auto& n : listed["near_resonances"])
    near = near || (text_of(n["found_in"]) == "cell-field" && text_of(n["suspect"]) == "cryocooler" &&
                    std::abs(number_of(n["half_widths"]) - (62.4 - 62.1) / (0.011 * 62.1)) < 0.05);
  EXPECT_TRUE(near);
  const std::string html = ScratchFolder::read(t.folder.path("tern-point/report/report.html"));
  EXPECT_THAT(html, HasSubstr("cryocooler is the strongest source in mirror cell"));
  for (const char* name : {"coolant pump", "guide camera shutter", "servo clock", "bench oscillator"})
    EXPECT_THAT(t.run.out.substr(t.run.out.find("Cleared:")), HasSubstr(name));
}

void every_tone_of_the_truth_is_in_the_reports_documents(const TernPoint& t) {
  const auto mount = t.document("mount-lines"), drive = t.document("drive-lines");
  for (const Truth& tone : truth_rows()) {
    bool found = false;
    for (const auto& result : (tone.recording == "mount-daq.wav" ? mount : drive)["results"]) {
      if (text_of(result["channel"]) != tone.channel) continue;
      for (const auto& peak : result["peaks"])
        found = found || (std::abs(number_of(peak["frequency_hz"]) - tone.frequency) <
                              0.1 * number_of(result["bin_hz"]) &&
                          std::abs(number_of(peak["level"]) - tone.rms) < 0.02 * tone.rms);
    }
    EXPECT_TRUE(found) << tone.channel << ": " << tone.what;
  }
}

void modes_are_those_of_the_truth(const TernPoint& t) {
  const auto expect_mode = [](const nlohmann::json& list, double hz, double damping) {
    bool found = false;
    for (const auto& r : list)
      found = found || (std::abs(number_of(r["frequency_hz"]) - hz) <
                            std::max(5 * number_of(r["frequency_std_hz"]), 1e-4 * hz) &&
                        std::abs(number_of(r["damping_ratio"]) - damping) < 0.01 * damping);
    EXPECT_TRUE(found) << hz << " Hz";
  };
  const auto tap = truth_table("tap-test.uff"), cell = truth_table("cell-field.h5");
  ASSERT_EQ(tap.size(), 3u);
  ASSERT_EQ(cell.size(), 2u);
  for (const auto& row : tap)
    expect_mode(t.document("tap-modes")["results"][0]["resonances"], std::stod(row[1]), std::stod(row[2]));
  for (const auto& row : cell)
    expect_mode(t.document("cell-shapes")["results"][0]["peaks"], std::stod(row[3]), std::stod(row[4]));
}

void orders_bumps_beat_and_distortion_are_those_of_the_truth(const TernPoint& t) {
  // Orders: amplitude in rest of the run-up's end, 25 rev/s; the straight part and the mount's share
  // together.
  const auto orders = t.document("run-up")["results"][0];
  const auto table = truth_table("slew-runup.wav");
  ASSERT_EQ(table.size(), 3u);
  for (const auto& row : table) {
    bool cut = false;
    for (const auto& one : orders["cuts"])
      cut = cut || (number_of(one["order"]) == std::stod(row[0]) && one["points"].size() > 50);
    EXPECT_TRUE(cut) << "order " << row[0];
  }
  bool resonance = false;
  for (const auto& r : orders["resonances"])
    resonance =
        resonance || std::abs(number_of(r["frequency_hz"]) - 37.1) < 3 * number_of(r["frequency_std_hz"]);
  EXPECT_TRUE(resonance);
  const auto bumps = truth_table("dome-tilt.h5");
  ASSERT_EQ(bumps.size(), 2u);
  const auto dome = t.document("shutter-bumps");
  for (const auto& row : bumps) {
    ASSERT_EQ(row.size(), 9u);
    bool found = false;
    for (const auto& e : dome["results"][0]["events"])
      found =
          found || (std::abs(number_of(e["peak_s"]) - std::stod(row[1])) < 5 * number_of(e["peak_std_s"]) &&
                    std::abs(number_of(e["peak_hz"]) - std::stod(row[2])) < 5 * number_of(e["peak_std_hz"]) &&
                    std::abs(number_of(e["level"]) - std::stod(row[4])) < 0.15 * std::stod(row[4]));
    EXPECT_TRUE(found) << row[0];
  }
  const auto beat = t.document("mirror-motion")["results"][0];
  EXPECT_NEAR(number_of(beat["carrier_hz"]), 80.0042e6, 5);
  EXPECT_NEAR(number_of(beat["deviation_hz"]), 9000, 5);
  EXPECT_NEAR(number_of(beat["rate_hz"]), 31.2, 1e-3);
  EXPECT_NEAR(number_of(beat["jumps"][0]["time_s"]), 0.62, 1e-4);
  EXPECT_NEAR(number_of(beat["jumps"][0]["step_hz"]), 17500, 10);
  EXPECT_NEAR(number_of(t.document("amplifier-distortion")["results"][0]["thd_percent"]), 0.105, 0.001);
}

void the_filters_band_is_that_of_the_truth(const TernPoint& t) {
  const auto figure = nlohmann::json::parse(ScratchFolder::read(
      t.folder.path("tern-point/report/steps/filter-band/fringe-scan-spectrum.figure.json")));
  const auto& curve = figure["panels"][0]["curves"][0];
  std::vector<double> x = curve["x"], y = curve["y"];
  std::vector<double> inside;
  for (std::size_t i = 0; i < x.size(); ++i)
    if (x[i] > 440e12 && x[i] < 475e12) inside.push_back(y[i]);
  std::sort(inside.begin(), inside.end());
  const double half = inside[inside.size() / 2] / 2;
  double low = 0, high = 0;
  for (std::size_t i = 1; i < x.size(); ++i) {
    if (y[i - 1] < half && y[i] >= half && low == 0) low = x[i];
    if (y[i - 1] >= half && y[i] < half) high = x[i];
  }
  // To a bin and a half of 1.8 THz.
  EXPECT_NEAR(low, 428e12, 2.7e12);
  EXPECT_NEAR(high, 487e12, 2.7e12);
}

void run_again_nothing_is_done_twice_and_the_bytes_are_the_same(const TernPoint& t) {
  const std::string html = ScratchFolder::read(t.folder.path("tern-point/report/report.html"));
  const ProgramRun again = run_program(t.folder, "demo --quiet --figure none");
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("mount-lines           identify    done (kept from before)"));
  EXPECT_EQ(ScratchFolder::read(t.folder.path("tern-point/report/report.html")), html);
}

TEST(TernPoint, TheCasesReportMatchesTheTruthLineByLine) {
  const TernPoint t;
  ASSERT_EQ(t.run.status, 0) << t.run.err;
  the_report_names_the_culprit_with_evidence(t);
  every_tone_of_the_truth_is_in_the_reports_documents(t);
  modes_are_those_of_the_truth(t);
  orders_bumps_beat_and_distortion_are_those_of_the_truth(t);
  the_filters_band_is_that_of_the_truth(t);
  run_again_nothing_is_done_twice_and_the_bytes_are_the_same(t);
}

}  // namespace
}  // namespace vprism::demo_test
