// events.h: short stretches of a record that stand out of the rest.
#pragma once

#include <vector>

#include "transform/time/statistics.h"

namespace vprism {

/// Samples [first, end), numbered from the beginning of the record.
struct TimeEvent {
  double first = 0, end = 0;
  double swing = 0;  ///< Greatest peak to peak within one stretch of the outline.
  double usual = 0;  ///< The median of the whole record.
};

/// Stretches of an outline whose peak to peak is over twice the median and over the median plus ten times the
/// scatter (median deviation), neighbours and those a single quiet stretch apart joined. Nothing when more
/// than a tenth of the record stands out: then it is no event but the record that changes. By descending
/// swing.
std::vector<TimeEvent> find_events(const Outline& outline);

}  // namespace vprism
