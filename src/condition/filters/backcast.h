// backcast.h: what a signal was before its first sample, by its own course.
#pragma once

#include <cstddef>
#include <vector>

namespace vprism {

/// `count` samples before `x`, in order, by linear prediction backwards from its beginning (Burg's method, so
/// that the prediction stays bounded; order up to 32): tones go on, noise dies away to the mean. Finite
/// numbers only; of fewer than eight their mean.
std::vector<double> backcast(const std::vector<double>& x, std::size_t count);

}  // namespace vprism
