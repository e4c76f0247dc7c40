// events_report.h: events of a map as table, JSON, findings and boxes in a figure.
#pragma once

#include <string>
#include <vector>

#include "commands/shared/input.h"
#include "identify/events/fitted_events.h"
#include "render/document.h"

namespace vprism {

/// As it is told: times on the record's own axis, levels in the scale that is shown.
struct TimedEvent {
  double start_s = 0, end_s = 0, peak_s = 0, low_hz = 0, high_hz = 0, peak_hz = 0, level = 0;
  double time_std_s = 0, hz_std = 0, level_std = 0;  ///< Standard uncertainties of the peak.
  double over_noise_db = 0;
  std::string level_scale;                ///< "rms", "peak".
  std::optional<double> level_corrected;  ///< What a bump of this width had at its top.
  std::string shape;                      ///< "bell", "decay" or "click", fitted to the samples; "" for none.
  double width_s = 0, width_std_s = 0;    ///< Of the bell (its sigma) or the decay (its time constant).
  double explained = 0;                   ///< Share of the stretch about it.
  bool at_edge = false;                   ///< It reaches into the part that the record's ends touch.
};

/// Fits of each channel's events, by a pass of their own over the record, some channels at a time.
std::vector<std::vector<EventFit>> fit_on_samples(Input& input,
                                                  const std::vector<std::vector<SeenEvent>>& events);
/// A fit's shape and width into what is reported.
void take_shape(TimedEvent& event, const BurstFit& fit);

std::string events_text(const std::vector<TimedEvent>& events, const std::string& unit);
Json events_json(const std::vector<TimedEvent>& events);
Finding event_finding(const Recording& recording, const Channel& channel, const TimedEvent& event);
/// Numbered as in the table, drawn no smaller than given.
void add_event_boxes(Panel& panel, const std::vector<TimedEvent>& events, double least_s, double least_hz);

}  // namespace vprism
