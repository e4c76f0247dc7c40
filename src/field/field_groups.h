// field_groups.h: the points of a recording, group by group, through an estimator.
#pragma once

#include <array>
#include <functional>
#include <vector>

#include "base/fft.h"
#include "field/field.h"

namespace vprism {

/// The points and variables chosen of a source.
struct ChosenPoints {
  std::vector<std::size_t> points, variables;
};

/// Memory for a group, used again for the next but one and from pass to pass.
struct GroupRoom {
  FftArray<double> values{1};
  SeriesView view;
};
using GroupRooms = std::array<GroupRoom, 2>;

/// One pass over the chosen points; the next group is read while one is worked on. `told`, if set, hears how
/// many points are done.
void run_groups(PointSource& source, const ChosenPoints& chosen, const FieldSettings& settings,
                FieldEstimator& estimator, GroupRooms& rooms, const std::function<void(std::size_t)>& listed);

}  // namespace vprism
