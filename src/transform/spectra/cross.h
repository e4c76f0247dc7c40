// cross.h: averaged cross spectra of all channels with one or several references.
#pragma once

#include <complex>
#include <memory>
#include <span>
#include <vector>

#include "signal/block.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Sums over segments of |X|^2 for each channel and of X conj(R) for each channel and reference.
struct CrossSums {
  std::vector<std::size_t> references;
  std::vector<std::vector<double>> power;                             ///< [channel][bin]
  std::vector<std::vector<std::vector<std::complex<double>>>> cross;  ///< [channel][reference][bin]

  void resize(std::size_t channels, std::size_t bins);
  /// One segment's transforms, one for each channel.
  void add(std::span<const std::complex<double>* const> transforms);
  void join(const CrossSums& other);
};

/// Averages of those, scaled as powers of a spectrum are: mean squares per bin.
struct CrossSpectra {
  std::vector<std::size_t> references;
  std::vector<Spectrum> own;  ///< Powers of each channel.
  std::vector<std::vector<std::vector<std::complex<double>>>> cross;

  const std::vector<double>& reference_power(std::size_t r) const { return own[references[r]].power; }
  /// |mean X conj(R)|^2 over the product of the powers, 0 to 1; 1 for a single segment.
  double coherence(std::size_t channel, std::size_t r, std::size_t bin) const;
  /// Of the channel, less that of the reference.
  double phase_deg(std::size_t channel, std::size_t r, std::size_t bin) const;
};

/// Of transforms that were made without a window, `segment` samples each, added up `averages` times.
CrossSpectra cross_spectra(CrossSums sums, std::size_t segment, double rate_hz, std::int64_t averages);

/// Pushed blocks, asked once.
class CrossEstimator {
 public:
  /// `references`: channels; those of a matrix of all with all are all of them.
  CrossEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                 std::vector<std::size_t> references);
  ~CrossEstimator();
  void add(const Block& block);
  /// Throws Error(analysis) if not one segment came.
  CrossSpectra result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
