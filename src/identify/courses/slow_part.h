// slow_part.h: a line that moves, turned down to 0 Hz by its phase.
#pragma once

#include <complex>
#include <cstddef>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// Keeps what changes slowly, at sixteen points to a period of the half band, under Hann windows of two
/// points' distance. Ends are mirrored.
class SlowPart {
 public:
  SlowPart(std::size_t samples, double rate_hz, double half_band_hz);
  /// Of `order` times the phase in `x`.
  void find(std::span<const double> x, const std::vector<double>& phase, double order);
  /// Mean square of the line, and of what as wide a band beside it holds.
  double power() const { return power_; }
  double noise() const { return noise_; }
  /// By how much more than `order` times the phase the line turns: by neighbouring points, and then by points
  /// ever farther apart.
  double further_order(const std::vector<double>& phase) const;
  void take_off(const std::vector<double>& phase, double order, std::vector<double>& x) const;

 private:
  std::size_t samples_, step_, points_, more_;
  ComplexFft fft_;
  FftArray<std::complex<double>> in_, out_;
  double edge_, power_ = 0, noise_ = 0;
  std::vector<double> window_, gain_;
};

}  // namespace vprism
