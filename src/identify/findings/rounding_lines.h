// rounding_lines.h: lines that rounding to steps makes of a signal without noise.
#pragma once

#include <cstddef>
#include <vector>

#include "identify/lines/peaks.h"
#include "transform/spectra/levels.h"

namespace vprism {

/// Indices of peaks that rounding to steps makes, where the record has no noise that would hide them.
std::vector<std::size_t> quantised_peaks(const Levels& levels, const std::vector<Peak>& peaks);

/// Where such peaks, `members`, are found, rounding may have added to every line as much as to one of them:
/// it goes into the uncertainty of all levels, and a tenth of it, as noise would over a record of `seconds`,
/// into that of frequencies: what lies at other frequencies moves none.
void widen_by_rounding(const Levels& levels, const std::vector<std::size_t>& members, double seconds,
                       std::vector<Peak>& peaks);

}  // namespace vprism
