// field_result.cpp: figures of shapes and of the whole result, see field.h.
#include <algorithm>
#include <cmath>

#include "field/field.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

}  // namespace

bool FieldResult::shares_unit(std::size_t variable) const {
  return variables[variable].unit.text() == variables[0].unit.text();
}

void finish_shape(FieldShape& shape) {
  double sum = 0, count = 0;
  std::vector<Complex> all;
  for (std::size_t p = 0; p < shape.amplitude[0].size(); ++p) {
    const double size = FieldResult::size_at(shape, p);
    if (std::isnan(size)) continue;
    sum += size * size, ++count;
    if (size > shape.max_level) shape.max_level = size, shape.max_point = p;
    for (const auto& variable : shape.amplitude) all.push_back(variable[p]);
  }
  shape.mean_level = count > 0 ? std::sqrt(sum / count) : 0;
  shape.collinearity = phase_collinearity(all);
}

double FieldResult::size_at(const FieldShape& shape, std::size_t point) {
  double sum = 0;
  for (const auto& variable : shape.amplitude) sum += std::norm(variable[point]);
  return std::sqrt(sum);
}

std::vector<double> FieldResult::mean_power() const {
  std::vector<double> out(plan.bins(), 0.0);
  for (std::size_t v = 0; v < variables.size(); ++v)
    if (shares_unit(v))
      for (std::size_t k = 0; k < out.size(); ++k) out[k] += sums.mean_power[v][k];
  return out;
}

std::vector<double> FieldResult::max_power() const {
  std::vector<double> out(plan.bins(), 0.0);
  for (std::size_t v = 0; v < variables.size(); ++v)
    if (shares_unit(v))
      for (std::size_t k = 0; k < out.size(); ++k) out[k] = std::max(out[k], sums.max_power[v][k]);
  return out;
}

std::vector<Node> nodal_places(const std::vector<Node>& points, const FieldShape& shape,
                               std::size_t variable) {
  std::vector<Node> out;
  if (!shape.standing()) return out;
  // Turned to where most of it is real.
  Complex sum = 0;
  for (const Complex& a : shape.amplitude[variable])
    if (!std::isnan(a.real())) sum += a * a;
  const Complex turn = std::polar(1.0, -std::arg(sum) / 2);
  for (const auto& [a, b] : joined_points(points)) {
    const double x = (shape.amplitude[variable][a] * turn).real(),
                 y = (shape.amplitude[variable][b] * turn).real();
    if (std::isnan(x) || std::isnan(y) || x * y > 0 || x == y) continue;
    const double share = x / (x - y);
    out.push_back({0, points[a].x + share * (points[b].x - points[a].x),
                   points[a].y + share * (points[b].y - points[a].y),
                   points[a].z + share * (points[b].z - points[a].z)});
  }
  return out;
}

}  // namespace vprism
