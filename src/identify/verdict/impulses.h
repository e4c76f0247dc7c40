// impulses.h: impulses that repeat, seen as what a band's power does over time.
#pragma once

#include <optional>
#include <vector>

#include "identify/verdict/band_signal.h"

namespace vprism {

struct ImpulseTrain {
  double rate_hz = 0, rate_std_hz = 0;
  std::vector<std::size_t> orders;  ///< Multiples of the rate found in the envelope.
  double depth = 0;                 ///< Amplitude of the envelope's first line over its mean: 2 for impulses.
};

/// Lines in the spectrum of |z|^2 (Antoni 2006: what is cyclostationary), with the rate that explains most of
/// them. Noise through a resonance has none. Nothing where the band is too narrow for three multiples.
std::optional<ImpulseTrain> find_impulses(const BandSignal& band);

}  // namespace vprism
