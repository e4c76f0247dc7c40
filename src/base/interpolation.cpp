// interpolation.cpp: see interpolation.h. Barycentric weights (Berrut and Trefethen 2004) are kept for a
// step.
#include "base/interpolation.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace vprism {

std::string interpolation_name(int points) {
  for (const InterpolationKind& kind : interpolation_kinds)
    if (kind.points == points) return kind.name;
  return std::to_string(points) + " points";
}

bool is_plausible(double value, const double* x, int count) {
  const auto [low, high] = std::minmax_element(x, x + count);
  const double slack = (*high - *low) / 4;
  return value >= *low - slack && value <= *high + slack;
}

void LocalPolynomial::set(const std::vector<double>& t, std::size_t left) {
  const auto there = static_cast<int>(std::min<std::size_t>(t.size(), 10));
  const auto sides = static_cast<int>(std::min<std::size_t>({left + 1, t.size() - left - 1, 5}));
  count_ = std::min({points_, there, std::max(4, 2 * sides)});
  const auto half = static_cast<std::size_t>(count_ / 2 - 1);
  from_ = std::min(left > half ? left - half : 0, t.size() - static_cast<std::size_t>(count_));
  // Times from the first one, and in steps of the whole: products stay in range.
  const double origin = t[from_], scale = t[from_ + static_cast<std::size_t>(count_) - 1] - origin;
  for (std::size_t i = 0; i < static_cast<std::size_t>(count_); ++i) t_[i] = (t[from_ + i] - origin) / scale;
  for (std::size_t i = 0; i < static_cast<std::size_t>(count_); ++i) {
    double product = 1;
    for (std::size_t j = 0; j < static_cast<std::size_t>(count_); ++j)
      if (j != i) product *= t_[i] - t_[j];
    base_[i] = 1 / product;
  }
  origin_ = origin, scale_ = scale;
}

void LocalPolynomial::at(double time) {
  const double t = (time - origin_) / scale_;
  const auto count = static_cast<std::size_t>(count_);
  double sum = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const double off = t - t_[i];
    if (off == 0) {
      std::fill_n(weight_.begin(), count, 0.0);
      weight_[i] = 1;
      return;
    }
    weight_[i] = base_[i] / off;
    sum += weight_[i];
  }
  for (std::size_t i = 0; i < count; ++i) weight_[i] /= sum;
}

double LocalPolynomial::value(const double* x) const {
  double sum = 0;
  for (std::size_t i = 0; i < static_cast<std::size_t>(count_); ++i) sum += weight_[i] * x[from_ + i];
  return sum;
}

std::size_t LeftOut::place(int k) const {
  return i_ - static_cast<std::size_t>(points_ / 2) + static_cast<std::size_t>(k) +
         (k >= points_ / 2 ? 1 : 0);
}

bool LeftOut::set(const std::vector<double>& t, std::size_t i) {
  const auto half = static_cast<std::size_t>(points_ / 2);
  if (i < half || i + half >= t.size()) return false;
  i_ = i;
  for (int k = 0; k < points_; ++k) {
    double w = 1;
    for (int j = 0; j < points_; ++j)
      if (j != k) w *= (t[i] - t[place(j)]) / (t[place(k)] - t[place(j)]);
    weight_[static_cast<std::size_t>(k)] = w;
  }
  return true;
}

double LeftOut::error(const double* x) const {
  double sum = 0;
  std::array<double, 10> near{};
  for (int k = 0; k < points_; ++k) {
    near[static_cast<std::size_t>(k)] = x[place(k)];
    sum += weight_[static_cast<std::size_t>(k)] * x[place(k)];
  }
  // Beside a jump a polynomial swings; there a line is drawn.
  const int inner = std::min(points_, 4);
  if (std::isnan(sum) || !is_plausible(sum, near.data() + (points_ - inner) / 2, inner))
    return std::numeric_limits<double>::quiet_NaN();
  return sum - x[i_];
}

}  // namespace vprism
