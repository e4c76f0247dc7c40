// exponential_fit.h: complex exponentials fitted to a slow complex signal.
#pragma once

#include <complex>
#include <vector>

#include "base/linear/linear.h"

namespace vprism {

/// a exp(s m), m the number of a value.
struct Turn {
  std::complex<double> a, s;
};

double square_of(const std::vector<std::complex<double>>& z);

/// Exponentials fitted together by Gauss-Newton on real unknowns: real and imaginary part of each amplitude,
/// its frequency, and its decay where `decays`. `z` must outlive it.
class ExponentialFit {
 public:
  ExponentialFit(const std::vector<std::complex<double>>& z, bool decays) : z_(z), decays_(decays) {}

  /// From turns near the truth; false where it runs away.
  bool run(std::vector<Turn>& turns);
  /// Sum of squares that the last run left.
  double left() const { return left_; }
  std::vector<std::complex<double>> remainder(const std::vector<Turn>& turns) const;
  /// Covariance of (Re a, Im a, frequency, decay) of each, in radians per value, for noise of which each part
  /// has variance 1.
  Matrix covariance(const std::vector<Turn>& turns);

 private:
  Eigen::Index each() const { return decays_ ? 4 : 3; }
  void gather(const std::vector<Turn>& turns);
  double step(std::vector<Turn>& turns);

  const std::vector<std::complex<double>>& z_;
  bool decays_;
  double left_ = 0;
  Matrix normal_;
  Vector gradient_;
};

/// The frequency, in radians per value, at which `z` has most; four times finer than its bins.
double strongest_turn(const std::vector<std::complex<double>>& z);
/// The amplitude of exp(s m) in `z` by least squares.
std::complex<double> amplitude_at(const std::vector<std::complex<double>>& z, std::complex<double> s);

}  // namespace vprism
