// percentile.h: order statistics of a few numbers.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

namespace vprism {

/// The value that a share (0 to 1) of the values stay below or at; they are put in another order. Not of
/// none.
template <typename T>
T percentile_in(std::vector<T>& values, double share) {
  const auto at =
      values.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size() - 1) + 0.5);
  std::nth_element(values.begin(), at, values.end());
  return *at;
}
/// The same of a copy.
template <typename T>
T percentile_of(std::vector<T> values, double share) {
  return percentile_in(values, share);
}
template <typename T>
T median_in(std::vector<T>& values) {
  return percentile_in(values, 0.5);
}

}  // namespace vprism
