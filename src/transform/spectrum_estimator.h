// spectrum_estimator.h: pushed blocks, asked once for one averaged spectrum per channel.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "signal/block.h"
#include "transform/spectrum.h"

namespace vprism {

/// Memory: some segments and some spectra for each channel, whatever the length of the record; for a median
/// what 16 million levels take, at least 31 spectra.
class SpectrumEstimator {
 public:
  /// All channels of the blocks to come, or those listed. Complex blocks give two-sided spectra.
  SpectrumEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                    std::vector<std::size_t> channels = {});
  SpectrumEstimator(std::size_t channels, const SpectrumPlan& plan, const Window& window);
  ~SpectrumEstimator();
  SpectrumEstimator(SpectrumEstimator&&) noexcept;
  void add(const Block& block);
  /// Samples that lie in memory already: one span for each channel, all of the same length, none missing.
  void add(std::span<const std::span<const double>> channels);
  /// One spectrum per channel. Throws Error(analysis) if not one segment has come.
  std::vector<Spectrum> result() const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
