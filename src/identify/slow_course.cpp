// slow_course.cpp: see slow_course.h.
#include "identify/slow_course.h"

#include <algorithm>
#include <numeric>

#include "base/linear.h"

namespace vprism {

std::optional<std::vector<double>> without_trend(std::span<const double> x) {
  constexpr double most_of_all = 0.75;
  constexpr Eigen::Index degrees = 3, stretch = 1024;
  const auto n = static_cast<Eigen::Index>(x.size());
  if (n < 64) return {};
  const auto columns_of = [n](Eigen::Index from, Eigen::Index count) {
    Matrix out(count, degrees + 1);
    for (Eigen::Index i = 0; i < count; ++i) {
      const double t =
          (2 * static_cast<double>(from + i) - static_cast<double>(n - 1)) / static_cast<double>(n);
      out.row(i) << 1, t, (3 * t * t - 1) / 2, (5 * t * t - 3) * t / 2;  // Legendre's.
    }
    return out;
  };
  const double mean = std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(n);
  Matrix square = Matrix::Zero(degrees + 1, degrees + 1);
  Vector right = Vector::Zero(degrees + 1);
  double squares = 0;
  for (Eigen::Index from = 0; from < n; from += stretch) {
    const Eigen::Index count = std::min(stretch, n - from);
    const Matrix columns = columns_of(from, count);
    const Vector values = Eigen::Map<const Vector>(x.data() + from, count).array() - mean;
    square.selfadjointView<Eigen::Lower>().rankUpdate(columns.transpose());
    right += columns.transpose() * values;
    squares += values.squaredNorm();
  }
  std::vector<Vector> fits;
  std::vector<double> left;
  for (Eigen::Index d = 0; d <= degrees; ++d) {
    const Matrix part = square.topLeftCorner(d + 1, d + 1);
    const Vector of_part = right.head(d + 1);
    fits.push_back(solve_symmetric(part, of_part));
    left.push_back(squares - fits.back().dot(of_part));
  }
  if (!(left[0] > 0) || left[1] > (1 - most_of_all) * left[0]) return {};
  // Which degree, by means over parts of the record: what is quick does not say.
  constexpr Eigen::Index parts = 48;
  std::vector<double> slow(degrees + 1, 0.0);
  for (Eigen::Index p = 0; p < parts; ++p) {
    const Eigen::Index from = p * n / parts, count = (p + 1) * n / parts - from;
    const Eigen::RowVectorXd means = columns_of(from, count).colwise().mean();
    const double here = Eigen::Map<const Vector>(x.data() + from, count).mean() - mean;
    for (Eigen::Index d = 0; d <= degrees; ++d) {
      const double off = here - means.head(d + 1).dot(fits[static_cast<std::size_t>(d)]);
      slow[static_cast<std::size_t>(d)] += off * off;
    }
  }
  std::size_t degree = 1;
  while (slow[degree] > 2 * *std::min_element(slow.begin(), slow.end())) ++degree;
  std::vector<double> less(x.begin(), x.end());
  for (Eigen::Index from = 0; from < n; from += stretch) {
    const Eigen::Index count = std::min(stretch, n - from);
    const auto used = static_cast<Eigen::Index>(degree) + 1;
    Eigen::Map<Vector>(less.data() + from, count) -= columns_of(from, count).leftCols(used) * fits[degree];
  }
  return less;
}

}  // namespace vprism
