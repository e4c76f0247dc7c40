// scalogram_events.h: short events in a wavelet map, against its noise.
#pragma once

#include <optional>
#include <vector>

#include "identify/events/fitted_events.h"
#include "transform/maps/scalogram.h"

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
WaveletEvents find_wavelet_events(const Scalogram& scalogram, const ScalogramPlan& plan,
                                  const Wavelet& wavelet);

std::vector<SeenEvent> seen_events(const WaveletEvents& found, const ScalogramPlan& plan);
/// The events as their fits have them, without those that another explains.
void take_fits(WaveletEvents& found, const std::vector<EventFit>& fits, double duration_s);

}  // namespace vprism
