// gated_lines.h: lines that are switched on and off together, as a gate or a pulse generator does it.
#pragma once

#include <span>
#include <vector>

#include "identify/courses/line_states.h"

namespace vprism {

struct GatedLines {
  std::vector<LineStates> lines;  ///< One each, on or off at the same times; their `rest` is empty.
  std::vector<double> rest;       ///< The samples without any of them.
};

/// Stretches in which a record is quiet, by its power in short windows, and lines fitted together to what
/// lies between (steady_lines.h), at phases that go on through the gaps. Nothing where it is on fewer than
/// three times, for less than a tenth or more than nine tenths of the time, where the lines leave more than a
/// tenth of what is there while it is on, or where a twentieth of that is there while it is off. Frequencies
/// to what noise of one density allows.
GatedLines find_gated_lines(std::span<const double> x, double rate_hz);

}  // namespace vprism
