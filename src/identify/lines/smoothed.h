// smoothed.h: values as a smooth course.
#pragma once

#include <algorithm>
#include <complex>
#include <vector>

#include "base/linear/linear.h"

namespace vprism {

/// Cubic splines through even values by least squares: `knots` coefficients, 4 or more, over knots - 3 even
/// intervals; 4 of them are one cubic. Of numbers, real or complex.
template <typename T>
std::vector<T> smoothed(const std::vector<T>& z, std::size_t knots) {
  const std::size_t rows = z.size();
  const double wide = static_cast<double>(knots - 3);
  const auto n = static_cast<Eigen::Index>(knots);
  constexpr Eigen::Index parts = std::is_same_v<T, double> ? 1 : 2;
  Matrix normal = Matrix::Zero(n, n), right = Matrix::Zero(n, parts);
  const auto weights = [&](std::size_t m, std::size_t& at, double b[4]) {
    const double u = (static_cast<double>(m) + 0.5) / static_cast<double>(rows) * wide;
    at = std::min(static_cast<std::size_t>(u), knots - 4);
    const double t = u - static_cast<double>(at), o = 1 - t;
    b[0] = o * o * o / 6, b[1] = (3 * t * t * t - 6 * t * t + 4) / 6;
    b[2] = (3 * o * o * o - 6 * o * o + 4) / 6, b[3] = t * t * t / 6;
  };
  std::size_t at = 0;
  double b[4];
  for (std::size_t m = 0; m < rows; ++m) {
    weights(m, at, b);
    for (std::size_t i = 0; i < 4; ++i) {
      const auto row = static_cast<Eigen::Index>(at + i);
      for (std::size_t j = 0; j < 4; ++j) normal(row, static_cast<Eigen::Index>(at + j)) += b[i] * b[j];
      right(row, 0) += b[i] * std::real(z[m]);
      if constexpr (parts == 2) right(row, 1) += b[i] * std::imag(z[m]);
    }
  }
  const Matrix c = solve_symmetric(normal, right);
  std::vector<T> out(rows);
  for (std::size_t m = 0; m < rows; ++m) {
    weights(m, at, b);
    for (std::size_t i = 0; i < 4; ++i) {
      const auto row = static_cast<Eigen::Index>(at + i);
      if constexpr (parts == 2)
        out[m] += b[i] * T(c(row, 0), c(row, 1));
      else
        out[m] += b[i] * c(row, 0);
    }
  }
  return out;
}

}  // namespace vprism
