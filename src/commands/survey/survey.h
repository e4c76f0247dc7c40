// survey.h: first look in one go.
#pragma once

#include "commands/inspect/inspect.h"
#include "commands/spectrum/spectrum.h"
#include "transform/maps/spectrogram.h"

namespace vprism {

struct SurveySettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
};

/// One recording looked at: statistics, time trace, spectrum, peaks in words.
struct SurveyResult {
  InspectResult inspect;
  std::optional<SpectrumResult> spectrum;  ///< Absent when there is no even axis; `cautions` says so.
  std::vector<Spectrogram> maps;           ///< One for each channel, where there is a spectrum.
  std::vector<Finding> findings;           ///< Of all channels, channel by channel.
  std::vector<Caution> cautions;
};

SurveyResult compute_survey(Input& input, const SurveySettings& settings,
                            const std::function<Progress(const std::string&)>& progress);

/// Surveys the files, tells the result and writes the report; returns where the report is ("" when no files
/// were asked for) and the findings.
struct SurveyOutcome {
  std::string report;
  std::vector<Finding> findings;
  Status status = Status::done;  ///< Status::output where a figure is missing.
};
SurveyOutcome run_survey(const std::vector<std::string>& files, const SurveySettings& settings,
                         const Json& settings_shown);

}  // namespace vprism
