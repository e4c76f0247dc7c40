// spectrum_estimator.h: pushed blocks, asked once for one averaged spectrum per channel.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "signal/block.h"
#include "signal/parted_sink.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Memory: some segments and some spectra for each channel, whatever the length of the record; for a median
/// what 16 million levels take, at least 31 spectra.
class SpectrumEstimator : public PartedSink {
 public:
  /// All channels of the blocks to come, or those listed. Complex blocks give two-sided spectra.
  SpectrumEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                    std::vector<std::size_t> channels = {});
  ~SpectrumEstimator() override;
  SpectrumEstimator(SpectrumEstimator&&) noexcept;
  SpectrumEstimator& operator=(SpectrumEstimator&&) noexcept;
  void add(const Block& block) override;
  /// In parts where the averaging allows it (not exponential, not the median) and segments are many.
  std::size_t part(std::span<const std::int64_t> starts, std::size_t channels, bool complex) override;
  void keep_to(std::int64_t from, std::int64_t to) override;
  std::int64_t reach() const override;
  void pass_on(Baton& before, Baton& after) override;
  void take(Baton& all) override;
  const SpectrumPlan& plan() const;
  /// Samples that lie in memory already, all spans of the same length, none missing: one for each channel;
  /// complex: then as many again with their imaginary parts.
  void add(std::span<const std::span<const double>> columns, bool complex = false);
  /// One spectrum per channel; to be asked once. Throws Error(analysis) if not one segment has come.
  std::vector<Spectrum> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

/// The averaged spectrum of samples that lie in memory, none missing.
Spectrum spectrum_of(std::span<const double> samples, const SpectrumPlan& plan,
                     const SpectrumSettings& settings);
/// The same as the settings have it.
Spectrum spectrum_of(std::span<const double> samples, double rate_hz, const SpectrumSettings& settings);

}  // namespace vprism
