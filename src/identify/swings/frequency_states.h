// frequency_states.h: a frequency that steps to and fro between a few values.
#pragma once

#include <vector>

#include "identify/swings/modulation.h"

namespace vprism {

/// States of a series that steps at `places` (first samples after each step): two to six levels, farther from
/// each other than they scatter, at three steps or more. By falling share; `transitions` gets the number of
/// changes. Where there are any, the series is left with the first state's level throughout.
std::vector<FrequencyState> frequency_states(std::vector<double>& series, double rate_hz,
                                             const std::vector<std::size_t>& places,
                                             std::size_t& transitions);

}  // namespace vprism
