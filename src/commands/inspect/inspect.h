// inspect.h: what a file holds. One pass over the data gives statistics and outline together.
#pragma once

#include "base/text.h"
#include "commands/shared/input.h"
#include "transform/time/statistics.h"

namespace vprism {

struct InspectSettings {
  InputSettings input;
  OutputSettings output;
  bool layout = false;  ///< Tell what every line of a text file was taken for.
};

struct InspectResult {
  InputFacts facts;
  /// What the rows below are: the channels; of complex ones the real parts, then the imaginary parts.
  std::vector<Channel> columns;
  std::vector<Statistics> statistics;
  std::vector<Levels> levels;
  std::vector<Spikes> spikes;
  std::vector<Outline> outlines;
  std::vector<Caution> cautions;
};

InspectResult compute_inspect(Input& input, const Progress& progress);

/// What each line of a text file was taken for.
std::string layout_text(const Recording& recording);
/// The lines above the table: format, length, rate.
std::string recording_lines(const Recording& recording);
/// One row per column.
TextTable statistics_table(const InspectResult& result);
Json inspect_json(const InspectResult& result);
/// The time trace of every channel.
Figure trace_figure(const InspectResult& result);

}  // namespace vprism
