// explained.h: where a model begins or ends to explain samples.
#pragma once

#include <cstddef>
#include <span>

namespace vprism {

/// The sample in low .. high from which on, up to there, `model(n)` takes off the most power; `high` where
/// none does.
template <typename Model>
std::size_t first_explained(std::span<const double> x, std::size_t low, std::size_t high,
                            const Model& model) {
  double gain = 0, most = 0;
  std::size_t best = high;
  for (std::size_t n = high; n-- > low;) {
    const double m = model(n);
    gain += m * (2 * x[n] - m);
    if (gain > most) most = gain, best = n;
  }
  return best;
}

/// The sample in low .. high up to which, from there, it takes off the most; `low` where none does.
template <typename Model>
std::size_t end_explained(std::span<const double> x, std::size_t low, std::size_t high, const Model& model) {
  double gain = 0, most = 0;
  std::size_t best = low;
  for (std::size_t n = low; n < high; ++n) {
    const double m = model(n);
    gain += m * (2 * x[n] - m);
    if (gain > most) most = gain, best = n + 1;
  }
  return best;
}

}  // namespace vprism
