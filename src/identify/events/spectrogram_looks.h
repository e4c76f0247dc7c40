// spectrogram_looks.h: events of a spectrogram, and what two of them with different segments disagree about.
#pragma once

#include <string>
#include <vector>

#include "identify/events/map_events.h"
#include "signal/recording.h"
#include "transform/maps/spectrogram.h"

namespace vprism {

/// What stands out of the map for a while. Nothing when that is a third of the record or more: then something
/// wanders, or all of it changes.
std::vector<MapEvent> spectrogram_events(const Spectrogram& spectrogram);

/// `quick` has the shorter segments. Events that it shows shorter than the long segment, and events that it
/// parts while the other shows them at once: cautions "event-shorter-than-window" and "events-merged", the
/// strongest few of each. Times are told with `start_s` added.
std::vector<Caution> compare_looks(const std::string& channel, const Spectrogram& slow,
                                   const std::vector<MapEvent>& slow_events, const Spectrogram& quick,
                                   const std::vector<MapEvent>& quick_events, double start_s);

}  // namespace vprism
