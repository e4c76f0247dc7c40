// swing_bands.h: where in a record's transform carriers that swing may lie.
#pragma once

#include <complex>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// The samples about their mean, longer by some at either end, which go on by the signal's own course: where
/// the ends of a record meet in a transform, it is no signal.
FftArray<double> with_ends(std::span<const double> x, double mean);

/// The bins that hold 99% of what stands above the noise in a stretch.
struct SwingBand {
  std::size_t low = 0, high = 0;
  double share = 0;          ///< Of all power.
  double greatest_line = 1;  ///< Share of the stretch's power that its strongest line holds.
};

/// The band of all that stands above the noise, then, where wide gaps part it, its parts by falling power.
/// None where less than half of the power stands above the noise.
std::vector<SwingBand> bands_above_noise(std::span<const std::complex<double>> bins);

}  // namespace vprism
