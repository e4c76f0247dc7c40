// fitted_events.h: events that a map shows, fitted to the samples about them.
#pragma once

#include <optional>
#include <vector>

#include "identify/events/burst_fit.h"
#include "identify/events/map_events.h"

namespace vprism {

/// What a map shows of an event: its summit, where its row falls to half, and how long the map's own window
/// or wavelet makes anything there.
struct SeenEvent {
  double peak_s = 0, start_s = 0, end_s = 0, hz = 0, window_s = 0;
  double over_threshold =
      0;  ///< Its power over that which noise passes once in a hundred maps; 0: not known.
};
SeenEvent seen_event(const MapEvent& event, double window_s);

/// The samples that fits of these events need: four lengths to either side; none where that is over 2^20.
Stretches stretches_of(const std::vector<SeenEvent>& events, double rate_hz, double duration_s);

struct EventFit {
  std::optional<BurstFit> fit;  ///< Times from the record's start.
  bool merged =
      false;  ///< Explained to half or more by one before it, or by steady lines: no event of its own.
};
/// Lines that stand throughout are taken off the samples; then each event is fitted to them in this order,
/// the strongest first, and taken off. The stretches are used up.
std::vector<EventFit> fit_events(const std::vector<SeenEvent>& events, Stretches& stretches, double rate_hz,
                                 double duration_s);

}  // namespace vprism
