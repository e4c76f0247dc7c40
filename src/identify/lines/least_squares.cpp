// least_squares.cpp: see least_squares.h.
#include "identify/lines/least_squares.h"

#include <algorithm>
#include <cmath>

namespace vprism {

Matrix parameter_covariance(const Matrix& jacobian, const Vector& weights, const Matrix& data) {
  const Matrix weighted = weights.asDiagonal() * jacobian;
  const Matrix gain = solve_symmetric(turned_product(jacobian, weighted), Matrix(weighted.transpose()));
  return product(product(gain, data), Matrix(gain.transpose()));
}

void minimise(Vector& parameters, const Vector& weights, Eigen::Index stride, Eigen::Index lines,
              Matrix& jacobian, Vector& residual, const std::function<void(const Vector&)>& linearise) {
  const auto cost_at = [&](const Vector& at) {
    linearise(at);
    return residual.cwiseProduct(weights).dot(residual);
  };
  double damping = 1e-4, cost = cost_at(parameters);
  constexpr int most_steps = 30;
  for (int step = 0; step < most_steps && damping < 1e9; ++step) {
    const Matrix weighted = weights.asDiagonal() * jacobian;
    Matrix normal = turned_product(jacobian, weighted);
    const Vector gradient = turned_product(weighted, residual);
    normal.diagonal() *= 1 + damping;
    normal.diagonal().array() += 1e-300;
    Vector change = solve_symmetric(normal, gradient);
    double largest = 0;
    for (Eigen::Index c = 0; c < lines; ++c) {
      change[stride * c] = std::clamp(change[stride * c], -0.3, 0.3);
      largest = std::max(largest, std::abs(change[stride * c]));
    }
    const Vector trial = parameters + change;
    const double trial_cost = cost_at(trial);
    if (trial_cost <= cost) {
      parameters = trial;
      cost = trial_cost;
      damping = std::max(damping / 10, 1e-12);
      if (largest < 1e-11) break;
    } else {
      linearise(parameters);
      damping *= 10;
    }
  }
  linearise(parameters);
}

}  // namespace vprism
