// choice.cpp: frames and points of the command `field`, chosen by time, number and place.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/field/field.h"

namespace vprism {

void frames_by_time(const PointRecording& r, const Range& times, FieldSettings& field) {
  const double first = (times.low.value_or(r.axis.start) - r.axis.start) / r.axis.interval,
               last = times.high ? (*times.high - r.axis.start) / r.axis.interval
                                 : static_cast<double>(r.frames - 1);
  if (!(last >= 0) || !(first <= static_cast<double>(r.frames - 1)))
    throw Error(
        Status::usage,
        "--frames: no frame lies there; they go from " + format_quantity(r.axis.start, "s", 6) + " to " +
            format_quantity(r.axis.start + static_cast<double>(r.frames - 1) * r.axis.interval, "s", 6));
  field.first_frame = static_cast<std::size_t>(std::max(0.0, std::ceil(first - 1e-6)));
  field.last_frame =
      static_cast<std::size_t>(std::min(static_cast<double>(r.frames - 1), std::floor(last + 1e-6)));
}

std::size_t index_at(const std::vector<Node>& points, const Place& place, const char* option,
                     const std::string& file) {
  const NearestPoint near = nearest_point(points, place);
  if (near.distance > 3 * usual_distance(points) + 1e-12)
    throw Error(Status::usage, fmt::format("{}: the nearest of the {} points of {}, number {}, is {} away",
                                           option, points.size(), file, points[near.point].label,
                                           format_quantity(near.distance, "m", 3)));
  return near.point;
}

std::size_t index_of(const std::vector<Node>& points, std::int64_t label, const char* option,
                     const std::string& file) {
  for (std::size_t p = 0; p < points.size(); ++p)
    if (points[p].label == label) return p;
  throw Error(Status::usage, fmt::format("{} {}: no such point among the {} of {} that are looked at", option,
                                         label, points.size(), file));
}

}  // namespace vprism
