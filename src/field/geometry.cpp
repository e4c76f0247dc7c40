// geometry.cpp: see geometry.h. Neighbours are looked for in buckets of cells, so that time grows with the
// points.
#include "field/geometry.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "base/error.h"
#include "base/percentile.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

double distance(const Node& a, const Node& b) {
  return std::sqrt((a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) + (a.z - b.z) * (a.z - b.z));
}

/// Points in cubes of one size.
class Buckets {
 public:
  Buckets(const std::vector<Node>& points, double size) : size_(size > 0 ? size : 1) {
    for (std::size_t p = 0; p < points.size(); ++p) cells_[cell(points[p])].push_back(p);
  }
  /// Calls `work` with every point in the cubes around.
  template <typename Work>
  void near(const Node& n, const Work& work) const {
    const auto c = cell(n);
    for (long long i = -1; i <= 1; ++i)
      for (long long j = -1; j <= 1; ++j)
        for (long long k = -1; k <= 1; ++k) {
          const auto found = cells_.find({c[0] + i, c[1] + j, c[2] + k});
          if (found == cells_.end()) continue;
          for (const std::size_t p : found->second) work(p);
        }
  }

 private:
  std::array<long long, 3> cell(const Node& n) const {
    return {std::llround(std::floor(n.x / size_)), std::llround(std::floor(n.y / size_)),
            std::llround(std::floor(n.z / size_))};
  }
  double size_;
  std::map<std::array<long long, 3>, std::vector<std::size_t>> cells_;
};

std::array<double, 3> extents(const std::vector<Node>& points) {
  std::array<double, 3> out{};
  for (std::size_t d = 0; d < 3; ++d) {
    double low = std::numeric_limits<double>::max(), high = -low;
    for (const Node& n : points)
      low = std::min(low, Plane::coordinate(n, d)), high = std::max(high, Plane::coordinate(n, d));
    out[d] = points.empty() ? 0 : high - low;
  }
  return out;
}

/// Values that differ by less than a share of the whole spread are one.
std::vector<double> distinct(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  const double slack = 1e-6 * (values.back() - values.front());
  std::vector<double> out;
  for (const double v : values)
    if (out.empty() || v - out.back() > slack) out.push_back(v);
  return out;
}

std::size_t nearest_index(const std::vector<double>& values, double x) {
  const auto after = std::lower_bound(values.begin(), values.end(), x) - values.begin();
  auto i = static_cast<std::size_t>(after);
  if (i == values.size() || (i > 0 && x - values[i - 1] < values[i] - x)) --i;
  return i;
}

}  // namespace

Plane plane_of(const std::vector<Node>& points) {
  const std::array<double, 3> size = extents(points);
  std::size_t least = 2;
  for (const std::size_t d : {1u, 0u})
    if (size[d] < size[least]) least = d;
  Plane plane;
  plane.out = least;
  plane.across = least == 0 ? 1 : 0;
  plane.up = least == 2 ? 1 : 2;
  return plane;
}

std::optional<PointGrid> grid_of(const std::vector<Node>& points, const Plane& plane) {
  if (points.size() < 4) return std::nullopt;
  std::vector<double> us, vs;
  for (const Node& n : points) us.push_back(plane.u(n)), vs.push_back(plane.v(n));
  PointGrid grid;
  grid.u = distinct(std::move(us)), grid.v = distinct(std::move(vs));
  if (grid.u.size() < 2 || grid.v.size() < 2 || grid.u.size() * grid.v.size() != points.size())
    return std::nullopt;
  const std::size_t none = points.size();
  grid.point.assign(points.size(), none);
  for (std::size_t p = 0; p < points.size(); ++p) {
    std::size_t& place = grid.point[nearest_index(grid.v, plane.v(points[p])) * grid.u.size() +
                                    nearest_index(grid.u, plane.u(points[p]))];
    if (place != none) return std::nullopt;
    place = p;
  }
  return grid;
}

double usual_distance(const std::vector<Node>& points) {
  const std::array<double, 3> size = extents(points);
  std::array<double, 3> sorted = size;
  std::sort(sorted.begin(), sorted.end());
  // Evenly spread over their two larger extents they would be this far apart.
  const double area = sorted[2] * std::max(sorted[1], sorted[2] * 1e-6);
  double cube = std::max(std::sqrt(area / static_cast<double>(std::max<std::size_t>(1, points.size()))),
                         sorted[2] / static_cast<double>(points.size() + 1));
  if (!(cube > 0)) return 0;
  std::vector<double> nearest;
  for (int widen = 0; widen < 12 && nearest.size() < points.size() / 2 + 1; ++widen, cube *= 2) {
    nearest.clear();
    const Buckets buckets(points, cube);
    const std::size_t step = std::max<std::size_t>(1, points.size() / 2000);
    for (std::size_t p = 0; p < points.size(); p += step) {
      double best = std::numeric_limits<double>::max();
      buckets.near(points[p], [&](std::size_t other) {
        if (other != p) best = std::min(best, distance(points[p], points[other]));
      });
      if (best < std::numeric_limits<double>::max()) nearest.push_back(best);
    }
    if (nearest.size() * step > points.size() / 2) break;
  }
  return nearest.empty() ? 0 : median_in(nearest);
}

std::vector<std::pair<std::size_t, std::size_t>> joined_points(const std::vector<Node>& points) {
  std::vector<std::pair<std::size_t, std::size_t>> out;
  if (const auto grid = grid_of(points, plane_of(points))) {
    for (std::size_t r = 0; r < grid->v.size(); ++r)
      for (std::size_t c = 0; c < grid->u.size(); ++c) {
        if (c + 1 < grid->u.size()) out.push_back({grid->at(c, r), grid->at(c + 1, r)});
        if (r + 1 < grid->v.size()) out.push_back({grid->at(c, r), grid->at(c, r + 1)});
      }
    return out;
  }
  const double usual = usual_distance(points);
  const Buckets buckets(points, 2 * usual);
  for (std::size_t p = 0; p < points.size(); ++p) {
    std::vector<std::pair<double, std::size_t>> near;
    buckets.near(points[p], [&](std::size_t other) {
      const double d = distance(points[p], points[other]);
      if (other != p && d < 2 * usual) near.push_back({d, other});
    });
    std::sort(near.begin(), near.end());
    for (std::size_t i = 0; i < std::min<std::size_t>(4, near.size()); ++i)
      out.push_back({std::min(p, near[i].second), std::max(p, near[i].second)});
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

std::vector<std::vector<std::size_t>> points_within(const std::vector<Node>& points, double radius) {
  std::vector<std::vector<std::size_t>> out(points.size());
  const Buckets buckets(points, radius);
  for (std::size_t p = 0; p < points.size(); ++p) {
    buckets.near(points[p], [&](std::size_t other) {
      if (distance(points[p], points[other]) <= radius * (1 + 1e-9)) out[p].push_back(other);
    });
    std::sort(out[p].begin(), out[p].end());
  }
  return out;
}

PointLine points_along(const std::vector<Node>& points, std::size_t from, std::size_t to, double reach) {
  const Node a = points[from], b = points[to];
  const double length = distance(a, b);
  std::vector<std::pair<double, std::size_t>> found;
  for (std::size_t p = 0; p < points.size() && length > 0; ++p) {
    const Node& n = points[p];
    const double along =
        ((n.x - a.x) * (b.x - a.x) + (n.y - a.y) * (b.y - a.y) + (n.z - a.z) * (b.z - a.z)) / length;
    if (along < -1e-9 * length || along > length * (1 + 1e-9)) continue;
    const double share = along / length;
    const Node foot{0, a.x + share * (b.x - a.x), a.y + share * (b.y - a.y), a.z + share * (b.z - a.z)};
    if (p == from || p == to || distance(n, foot) <= reach) found.push_back({along, p});
  }
  std::sort(found.begin(), found.end());
  PointLine line;
  for (const auto& [along, p] : found) line.points.push_back(p), line.along.push_back(along);
  return line;
}

bool Region::holds(const Node& n) const {
  for (std::size_t d = 0; d < 3; ++d) {
    const double at = Plane::coordinate(n, d);
    if ((low[d] && at < *low[d]) || (high[d] && at > *high[d])) return false;
  }
  return true;
}

Region parse_region(const std::string& text) {
  Region out;
  for (const std::string& part : split(text, ',')) {
    const std::string bound(trimmed(part));
    if (bound.size() < 3 || bound[0] < 'x' || bound[0] > 'z')
      throw Error(Status::usage,
                  "\"" + clean_text(text) + "\" is no region; write for example \"x 0..0.2m, y 100mm..\"");
    const auto d = static_cast<std::size_t>(bound[0] - 'x');
    std::string rest(trimmed(std::string_view(bound).substr(1)));
    // A plain number is in metres.
    const auto number = [&](const std::string& side) -> std::optional<double> {
      const std::string one(trimmed(side));
      if (one.empty()) return std::nullopt;
      const Quantity q = parse_any_quantity(one);
      if (q.unit.dimensionless()) return q.value;
      return q.unit.convert(q.value, Unit::parse("m"));
    };
    const std::size_t dots = rest.find("..");
    if (dots == std::string::npos)
      throw Error(Status::usage,
                  "\"" + clean_text(bound) + "\" is no range; write for example \"x 0..0.2m\"");
    out.low[d] = number(rest.substr(0, dots));
    out.high[d] = number(rest.substr(dots + 2));
  }
  return out;
}

std::vector<float> spread_over_cells(const std::vector<Node>& points, const Plane& plane,
                                     const std::vector<double>& values, std::size_t across, std::size_t up,
                                     std::array<double, 4>& ends) {
  double u0 = std::numeric_limits<double>::max(), u1 = -u0, v0 = u0, v1 = -u0;
  for (const Node& n : points) {
    u0 = std::min(u0, plane.u(n)), u1 = std::max(u1, plane.u(n));
    v0 = std::min(v0, plane.v(n)), v1 = std::max(v1, plane.v(n));
  }
  const double usual = std::max(usual_distance(points), 1e-12), margin = usual / 2;
  ends = {u0 - margin, u1 + margin, v0 - margin, v1 + margin};
  std::vector<Node> flat(points.size());
  for (std::size_t p = 0; p < points.size(); ++p) flat[p] = {0, plane.u(points[p]), plane.v(points[p]), 0};
  const Buckets buckets(flat, 1.2 * usual);
  std::vector<float> out(across * up, std::numeric_limits<float>::quiet_NaN());
  for (std::size_t r = 0; r < up; ++r)
    for (std::size_t c = 0; c < across; ++c) {
      const Node at{
          0, ends[0] + (static_cast<double>(c) + 0.5) / static_cast<double>(across) * (ends[1] - ends[0]),
          ends[2] + (static_cast<double>(r) + 0.5) / static_cast<double>(up) * (ends[3] - ends[2]), 0};
      double best = 1.2 * usual;
      buckets.near(at, [&](std::size_t p) {
        const double d = distance(at, flat[p]);
        if (d < best) best = d, out[r * across + c] = static_cast<float>(values[p]);
      });
    }
  return out;
}

}  // namespace vprism
