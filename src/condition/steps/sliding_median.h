// sliding_median.h: the median of the samples around each sample, at O(log width) a sample.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace vprism {

/// medians[i] is the median of the samples at most `half` away from x[first + i], those beyond x and missing
/// ones left out (NaN when none is left); of an even number of samples the lower middle one.
void sliding_medians(std::span<const double> x, std::size_t first, std::size_t half,
                     std::span<double> medians);

}  // namespace vprism
