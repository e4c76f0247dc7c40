// condition.h: a chain's effect: levels, lines and figures before and after, with the filters' response.
#pragma once

#include "commands/inspect/inspect.h"
#include "commands/spectrum/spectrum.h"

namespace vprism {

struct ConditionSettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
};

/// A line of the signal before, looked up afterwards.
struct ChangedLine {
  double frequency_hz = 0;
  double before = 0, after = 0;  ///< RMS; after: of the line nearest by, or by what its bins hold.
  bool found_after = false;      ///< Whether a line stands there still.
  std::optional<double> gain;    ///< Of the chain's filters there, by their design.
};

struct ConditionResult {
  InspectResult before, after;
  std::optional<SpectrumResult> spectrum_before, spectrum_after;  ///< None where there is no even grid.
  std::vector<std::vector<ChangedLine>> lines;                    ///< Per channel, the strongest first.
  /// Gain of all stages that have one, from near 0 to half the lower of both rates; empty without such
  /// stages.
  std::vector<std::pair<double, double>> response;
  std::string response_of;  ///< "lowpass, notch"
};

/// What a recording is before a chain.
struct ConditionBefore {
  InspectResult inspect;
  std::optional<SpectrumResult> spectrum;  ///< With all its lines.
};
ConditionBefore compute_before(Input& before, const AnalysisSettings& analysis,
                               const std::function<Progress(const std::string&)>& progress);

/// `after` has the same input settings, and a chain.
ConditionResult compute_condition(const ConditionBefore& before, Input& after,
                                  const AnalysisSettings& analysis,
                                  const std::function<Progress(const std::string&)>& progress);

/// Before over after in time and in frequency, and the response below.
Figure condition_figure(const ConditionResult& result, std::size_t channel, const AnalysisSettings& analysis);

// commands/condition/report.cpp
/// One line per step, and below it what it did.
std::string steps_text(const std::vector<StageReport>& chain);
TextTable levels_table(const ConditionResult& result);
TextTable lines_table(const std::vector<ChangedLine>& lines, const std::string& unit,
                      const std::string& unit_after);
Json condition_json(const ConditionResult& result);
std::string gain_csv(const ConditionResult& result);

}  // namespace vprism
