// shape_pairs.cpp: see shape_pairs.h.
#include "field/shape_pairs.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::vector<std::size_t> same_places(const std::vector<Node>& a, const std::vector<Node>& b) {
  // Sorted along x, so that only what is near has to be looked at.
  const double reach = 0.25 * std::max(usual_distance(a), 1e-12);
  std::vector<std::size_t> order(a.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::sort(order.begin(), order.end(),
            [&](std::size_t p, std::size_t q) { return a[p].x != a[q].x ? a[p].x < a[q].x : p < q; });
  std::vector<std::size_t> out;
  for (const Node& n : b) {
    std::size_t best = a.size();
    double nearest = reach;
    auto at = std::lower_bound(order.begin(), order.end(), n.x - reach,
                               [&](std::size_t p, double x) { return a[p].x < x; });
    for (; at != order.end() && a[*at].x <= n.x + reach; ++at) {
      const double d = std::hypot(std::hypot(a[*at].x - n.x, a[*at].y - n.y), a[*at].z - n.z);
      if (d <= nearest) best = *at, nearest = d;
    }
    out.push_back(best);
  }
  return out;
}

std::vector<ShapePair> pair_shapes(const ShapeSet& a, const ShapeSet& b, double within_hz) {
  const std::vector<std::size_t> place = same_places(a.points, b.points);
  const auto shared = static_cast<std::size_t>(
      std::count_if(place.begin(), place.end(), [&](std::size_t p) { return p < a.points.size(); }));
  if (2 * shared < b.points.size())
    throw Error(Status::analysis, std::to_string(shared) + " of " + std::to_string(b.points.size()) +
                                      " points are in both runs; shapes can't be compared");
  if (!a.shapes.empty() && !b.shapes.empty() && a.shapes[0].amplitude.size() != b.shapes[0].amplitude.size())
    throw Error(Status::analysis,
                "the runs have different numbers of variables; choose the same with --variable");
  struct Candidate {
    std::size_t a, b;
    double apart, like;
  };
  std::vector<Candidate> candidates;
  for (std::size_t i = 0; i < a.shapes.size(); ++i)
    for (std::size_t j = 0; j < b.shapes.size(); ++j) {
      const double apart = std::abs(a.shapes[i].hz - b.shapes[j].hz);
      if (apart > std::max(within_hz, 0.02 * a.shapes[i].hz)) continue;
      std::vector<std::complex<double>> x, y;
      for (std::size_t v = 0; v < b.shapes[j].amplitude.size(); ++v)
        for (std::size_t p = 0; p < b.points.size(); ++p)
          if (place[p] < a.points.size())
            x.push_back(a.shapes[i].amplitude[v][place[p]]), y.push_back(b.shapes[j].amplitude[v][p]);
      candidates.push_back({i, j, apart, assurance(x, y)});
    }
  std::sort(candidates.begin(), candidates.end(), [](const Candidate& x, const Candidate& y) {
    return x.like != y.like ? x.like > y.like : x.apart < y.apart;
  });
  std::vector<bool> a_taken(a.shapes.size(), false), b_taken(b.shapes.size(), false);
  std::vector<ShapePair> out;
  for (const Candidate& c : candidates) {
    if (a_taken[c.a] || b_taken[c.b]) continue;
    a_taken[c.a] = b_taken[c.b] = true;
    out.push_back({c.a, c.b, b.shapes[c.b].hz - a.shapes[c.a].hz,
                   20 * std::log10(b.shapes[c.b].mean_level / a.shapes[c.a].mean_level), c.like});
  }
  for (std::size_t i = 0; i < a.shapes.size(); ++i)
    if (!a_taken[i]) out.push_back({i, std::nullopt, 0, 0, 0});
  for (std::size_t j = 0; j < b.shapes.size(); ++j)
    if (!b_taken[j]) out.push_back({std::nullopt, j, 0, 0, 0});
  const auto hz = [&](const ShapePair& p) { return p.a ? a.shapes[*p.a].hz : b.shapes[*p.b].hz; };
  std::sort(out.begin(), out.end(), [&](const ShapePair& x, const ShapePair& y) { return hz(x) < hz(y); });
  return out;
}

}  // namespace vprism
