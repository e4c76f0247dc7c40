// carrier_band.h: where a carrier lies and how wide it spreads.
#pragma once

#include <optional>

#include "transform/spectra/spectrum.h"

namespace vprism {

struct CarrierBand {
  double carrier_hz = 0;   ///< Middle of what stands out.
  double half_hz = 0;      ///< Half of the span that holds it, with room to spare.
  double occupied_hz = 0;  ///< 99% of the power in the span above the noise lies within so much.
};

/// Around the strongest line of the bins within low .. high: as far as levels stand out of the noise,
/// gaps of up to 3% of the frequency (of the band, for two-sided spectra) passed over; farther out, up to
/// half the frequency, lines that stand as far to both sides, as modulation makes them, and two of one level
/// with nothing between. Nothing where no bin stands out.
std::optional<CarrierBand> find_carrier(const Spectrum& spectrum, std::optional<double> low_hz,
                                        std::optional<double> high_hz);

}  // namespace vprism
