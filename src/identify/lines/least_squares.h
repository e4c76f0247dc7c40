// least_squares.h: weighted fits of parameters that are not linear.
#pragma once

#include <functional>

#include "base/linear/linear.h"

namespace vprism {

/// Covariance of the parameters of a weighted fit with Jacobian J when the data have covariance C.
Matrix parameter_covariance(const Matrix& jacobian, const Vector& weights, const Matrix& data);

/// Levenberg-Marquardt: steps that do not lower the weighted sum of squares are taken back and tried shorter.
/// `linearise` fills Jacobian and residual at the parameters it is given. Ends when no frequency (every
/// `stride`th parameter up to `lines`) moves.
void minimise(Vector& parameters, const Vector& weights, Eigen::Index stride, Eigen::Index lines,
              Matrix& jacobian, Vector& residual, const std::function<void(const Vector&)>& linearise);

}  // namespace vprism
