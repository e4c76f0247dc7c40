// places.cpp: see places.h.
#include "field/places.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

Place parse_place(const std::string& text) {
  const std::vector<std::string> parts = split(text, ',');
  if (parts.size() < 2 || parts.size() > 3)
    throw Error(Status::usage, "\"" + clean_text(text) + "\" is no place; write for example '12mm,0.5mm'");
  Place out;
  out.numbers = parts.size();
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const Quantity q = parse_any_quantity(std::string(trimmed(parts[i])));
    const Unit metre = Unit::parse("m");
    if (!q.unit.dimensionless() && !q.unit.converts_to(metre))
      throw Error(Status::usage, "\"" + clean_text(parts[i]) + "\" is no length");
    out.at[i] = q.unit.dimensionless() ? q.value : q.unit.convert(q.value, metre);
  }
  return out;
}

NearestPoint nearest_point(const std::vector<Node>& points, const Place& place) {
  const Plane plane = plane_of(points);
  NearestPoint best{0, std::numeric_limits<double>::infinity()};
  for (std::size_t p = 0; p < points.size(); ++p) {
    const Node& n = points[p];
    const double away = place.numbers == 2
                            ? std::hypot(plane.u(n) - place.at[0], plane.v(n) - place.at[1])
                            : std::hypot(n.x - place.at[0], n.y - place.at[1], n.z - place.at[2]);
    if (away < best.distance) best = {p, away};
  }
  return best;
}

std::vector<std::size_t> chosen_points(const std::vector<Node>& points, const std::optional<Region>& region,
                                       std::size_t every) {
  std::vector<std::size_t> inside;
  std::vector<Node> nodes;
  for (std::size_t p = 0; p < points.size(); ++p)
    if (!region || region->holds(points[p])) inside.push_back(p), nodes.push_back(points[p]);
  if (every <= 1 || inside.empty()) return inside;
  std::vector<std::size_t> out;
  if (const auto grid = grid_of(nodes, plane_of(nodes)); grid && grid->u.size() > 1 && grid->v.size() > 1) {
    for (std::size_t row = 0; row < grid->v.size(); row += every)
      for (std::size_t column = 0; column < grid->u.size(); column += every)
        out.push_back(inside[grid->at(column, row)]);
    std::sort(out.begin(), out.end());
    return out;
  }
  for (std::size_t i = 0; i < inside.size(); i += every) out.push_back(inside[i]);
  return out;
}

}  // namespace vprism
