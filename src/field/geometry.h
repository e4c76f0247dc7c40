// geometry.h: where the points of a field lie: the plane they are seen in, their neighbours, lines through
// them.
#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "signal/recording.h"

namespace vprism {

/// The two directions in which the points spread most, as indices 0 to 2 of x, y, z; and the third.
struct Plane {
  std::size_t across = 0, up = 1, out = 2;
  double u(const Node& n) const { return coordinate(n, across); }
  double v(const Node& n) const { return coordinate(n, up); }
  static double coordinate(const Node& n, std::size_t direction) {
    return direction == 0 ? n.x : direction == 1 ? n.y : n.z;
  }
  static const char* name(std::size_t direction) { return direction == 0 ? "x" : direction == 1 ? "y" : "z"; }
};
Plane plane_of(const std::vector<Node>& points);

/// Points that fill a rectangle in rows and columns, in whatever order.
struct PointGrid {
  std::vector<double> u, v;        ///< Of the columns and rows, rising.
  std::vector<std::size_t> point;  ///< Row by row: which point stands there.
  std::size_t at(std::size_t column, std::size_t row) const { return point[row * u.size() + column]; }
};
/// Nothing where a place of the rectangle is empty or taken twice.
std::optional<PointGrid> grid_of(const std::vector<Node>& points, const Plane& plane);

/// Pairs of points to be joined by a line: neighbours in the grid, or of scattered points each with its four
/// nearest that are no further than twice the usual distance.
std::vector<std::pair<std::size_t, std::size_t>> joined_points(const std::vector<Node>& points);

/// For each point those within `radius`, itself among them.
std::vector<std::vector<std::size_t>> points_within(const std::vector<Node>& points, double radius);

/// Points within `reach` of the straight line between two of them, by distance along it; the two are the
/// first and the last.
struct PointLine {
  std::vector<std::size_t> points;
  std::vector<double> along;
};
PointLine points_along(const std::vector<Node>& points, std::size_t from, std::size_t to, double reach);

/// Usual distance of a point from its nearest neighbour.
double usual_distance(const std::vector<Node>& points);

/// "x 0..0.2m, y 100mm..": bounds on coordinates, in metres. Throws Error(usage).
struct Region {
  std::array<std::optional<double>, 3> low, high;
  bool holds(const Node& n) const;
};
Region parse_region(const std::string& text);

/// A picture of `across` x `up` cells of values at points: each cell takes the nearest point's, where one is
/// no further than 1.2 of the usual distance; NaN elsewhere. Row by row from below. Ends of the cells in
/// `ends`: low u, high u, low v, high v.
std::vector<float> spread_over_cells(const std::vector<Node>& points, const Plane& plane,
                                     const std::vector<double>& values, std::size_t across, std::size_t up,
                                     std::array<double, 4>& ends);

}  // namespace vprism
