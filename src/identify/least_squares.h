// least_squares.h: weighted fits of parameters that are not linear.
#pragma once

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace vprism {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;

/// Covariance of the parameters of a weighted fit with Jacobian J when the data have covariance C.
inline Matrix parameter_covariance(const Matrix& jacobian, const Vector& weights, const Matrix& data) {
  const Matrix weighted = weights.asDiagonal() * jacobian;
  const Matrix normal = jacobian.transpose() * weighted;
  const Matrix gain = normal.ldlt().solve(weighted.transpose());
  return gain * data * gain.transpose();
}

/// Levenberg-Marquardt: steps that do not lower the weighted sum of squares are taken back and tried shorter.
/// `linearise` fills Jacobian and residual at the parameters it is given. Ends when no frequency (every
/// `stride`th parameter up to `lines`) moves.
template <typename Linearise>
void minimise(Vector& parameters, const Vector& weights, Eigen::Index stride, Eigen::Index lines,
              Matrix& jacobian, Vector& residual, const Linearise& linearise) {
  const auto cost_at = [&](const Vector& at) {
    linearise(at);
    return residual.cwiseProduct(weights).dot(residual);
  };
  double damping = 1e-4, cost = cost_at(parameters);
  constexpr int most_steps = 30;
  for (int step = 0; step < most_steps && damping < 1e9; ++step) {
    const Matrix weighted = weights.asDiagonal() * jacobian;
    Matrix normal = jacobian.transpose() * weighted;
    const Vector gradient = weighted.transpose() * residual;
    normal.diagonal() *= 1 + damping;
    normal.diagonal().array() += 1e-300;
    Vector change = normal.ldlt().solve(gradient);
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
