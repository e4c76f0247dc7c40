// zoom.h: a part of the band by itself: shifted down to 0 Hz, decimated, and then transformed.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "signal/block.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Part of a band, in Hz.
struct Band {
  double low_hz = 0, high_hz = 0;
};

/// How a band is cut out: by a whole factor, so that it lies in nine tenths of what is left.
struct ZoomPlan {
  Band band;
  double shift_hz = 0;  ///< The middle, on a bin.
  std::size_t factor = 1;
  SpectrumPlan plan;  ///< At rate / factor.
};

/// The plan for a band (from the channel's own centre, where it has one) of a record cut as `whole`; none
/// where transforming everything costs less, or where the band comes too near 0 Hz or half the rate of a real
/// channel. Of what both cost a measured rule of thumb decides, unless `always`.
std::optional<ZoomPlan> plan_zoom(const SpectrumPlan& whole, const Window& window, const Band& band,
                                  std::int64_t samples, bool complex, bool always = false);

/// Pushed blocks, asked once. Bins have the width of the whole record's plan; phases are those at the
/// record's start. Memory: a segment at the lower rate for each channel.
class ZoomEstimator {
 public:
  ZoomEstimator(const ZoomPlan& plan, const SpectrumSettings& settings,
                std::vector<std::size_t> channels = {});
  ~ZoomEstimator();
  ZoomEstimator(ZoomEstimator&&) noexcept;
  void add(const Block& block);
  /// The flat part of the band, one spectrum per channel; of real channels with the power of both halves.
  std::vector<Spectrum> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
