// noise_floor.h: the noise between the lines of a spectrum.
#pragma once

#include <vector>

#include "transform/spectrum.h"

namespace vprism {

/// Median of the noise power that an average worth `averages` segments shows, for noise of mean 1; below 1
/// for few averages.
double noise_median(double averages);

/// The ratio to its mean that averaged noise power exceeds with probability `p`.
double noise_quantile_above(double averages, double p);

/// Estimated mean noise power in each bin (same shape and unit as `spectrum.power`): the median over the
/// nearest bins that are not `masked` (bins under lines; empty masks none), corrected for its bias. The
/// neighbourhood grows with frequency from 12 bins to each side up to a thirty-second of the spectrum, so
/// that it follows drift and 1/f noise at the low end and is not lifted by a resonance higher up.
std::vector<double> noise_floor(const Spectrum& spectrum, const std::vector<bool>& masked = {});

}  // namespace vprism
