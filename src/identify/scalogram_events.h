// scalogram_events.h: short events in a wavelet map, against its noise.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "identify/burst_fit.h"
#include "identify/map_events.h"
#include "transform/scalogram.h"

namespace vprism {

/// What the map shows, and what that says of the event: widths less the wavelet's own, in quadrature, as is
/// right for bells of Gauss.
struct WaveletEvent {
  MapEvent seen;
  double start_s = 0, end_s = 0, low_hz = 0, high_hz = 0;  ///< Half its greatest level.
  double peak_hz = 0;                                      ///< Its pitch.
  double amplitude = 0;                                    ///< As the map reads: a unit tone gives 1.
  double top = 0;  ///< Of a bump of that width at its middle; 0 where the width can't be told.
  double time_std_s = 0, hz_std = 0, amplitude_std = 0;
  bool at_edge = false;         ///< Cut by the cone.
  std::optional<BurstFit> fit;  ///< On the samples, times from the record's start; the numbers above are its.
};

struct WaveletEvents {
  std::vector<WaveletEvent> events;
  std::vector<MapEvent> beyond;  ///< Summits outside the cone: what the record's ends may have made.
  std::size_t rows_without = 0;  ///< Lowest rows with too little room to tell noise.
};
WaveletEvents find_wavelet_events(const Scalogram& scalogram, const ScalogramPlan& plan);

/// The samples that fits of these events need: three lengths to either side; none for those longer than 2^20
/// samples.
Stretches stretches_of(const WaveletEvents& events, const ScalogramPlan& plan);
/// Each event fitted to the samples, the strongest first, and taken off them: what an earlier fit explains by
/// half or more is no event of its own. The stretches are used up.
void fit_events(WaveletEvents& events, Stretches& stretches, const ScalogramPlan& plan);

}  // namespace vprism
