// bin_noise.h: how the noise of neighbouring bins hangs together.
#pragma once

#include <cstddef>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// White noise seen through a window in overlapping segments. `transform` must outlive it.
class BinNoise {
 public:
  BinNoise(const Spectrum& spectrum, const WindowTransform& transform, double half_width);
  /// Of two bins of segments `lag` hops apart, 1 for a bin with itself.
  double correlation(std::size_t lag, std::size_t a, std::size_t b) const;
  /// Covariance of the averaged squares of two bins, from noise beating with a line of square 1 at
  /// `line_bins`, and from noise alone; noise of unit power per bin.
  double beat_covariance(double line_bins, std::size_t a, std::size_t b) const;
  double noise_covariance(std::size_t a, std::size_t b) const;

 private:
  SpectrumPlan plan_;
  const WindowTransform& transform_;
  std::vector<std::vector<double>> correlation_;  ///< [lag in hops][distance in bins]
};

}  // namespace vprism
