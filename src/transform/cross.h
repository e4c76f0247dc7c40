// cross.h: averaged cross spectra of channels with a reference.
#pragma once

#include <complex>
#include <memory>
#include <vector>

#include "signal/block.h"
#include "transform/spectrum.h"

namespace vprism {

/// Per bin of the channel's spectrum: mean of X conj(R), scaled as its power is; and both powers.
struct CrossSpectrum {
  Spectrum grid;  ///< The channel's own powers.
  std::vector<double> reference_power;
  std::vector<std::complex<double>> cross;

  /// |mean X conj(R)|^2 over the product of the powers, 0 to 1; 1 for a single segment.
  double coherence(std::size_t bin) const;
  /// Of the channel, less that of the reference.
  double phase_deg(std::size_t bin) const;
};

/// Pushed blocks, asked once.
class CrossEstimator {
 public:
  CrossEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings, std::size_t reference);
  ~CrossEstimator();
  void add(const Block& block);
  /// One for each channel, the reference with itself as well. Throws Error(analysis) if not one segment came.
  std::vector<CrossSpectrum> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
