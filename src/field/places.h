// places.h: points of a field chosen by where they lie.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "field/geometry.h"

namespace vprism {

/// A place in metres: two numbers lie in the plane that the points spread in, three are x, y and z.
struct Place {
  std::array<double, 3> at{};
  std::size_t numbers = 2;
};
/// "12mm,0.5mm". Throws Error(usage).
Place parse_place(const std::string& text);

/// The point nearest to a place, and how far it is.
struct NearestPoint {
  std::size_t point = 0;
  double distance = 0;
};
NearestPoint nearest_point(const std::vector<Node>& points, const Place& place);

/// Indices of those within the region, thinned: where they fill a grid every so manieth row and column of it,
/// else every so manieth point.
std::vector<std::size_t> chosen_points(const std::vector<Node>& points, const std::optional<Region>& region,
                                       std::size_t every);

}  // namespace vprism
