// inspect.h: what a file holds. One pass over the data gives statistics and outline together.
#pragma once

#include "base/text.h"
#include "cli/input.h"
#include "transform/statistics.h"

namespace vprism {

struct InspectSettings {
  InputSettings input;
  OutputSettings output;
};

struct InspectResult {
  InputFacts facts;
  std::vector<Statistics> statistics;  ///< One per channel, as are the outlines.
  std::vector<Outline> outlines;
  std::vector<Caution> cautions;
};

InspectResult compute_inspect(Input& input, const Progress& progress);

/// The lines above the table: format, length, rate.
std::string recording_lines(const Recording& recording);
/// One row per channel.
TextTable statistics_table(const InspectResult& result);
Json inspect_json(const InspectResult& result);
/// The time trace of every channel.
Figure trace_figure(const InspectResult& result);

}  // namespace vprism
