// slow_part.h: a line that moves, turned down to 0 Hz by its phase.
#pragma once

#include <complex>
#include <cstddef>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// The means of `order` times the phase, turned down, under Hann windows that reach from each multiple of
/// `step` to its neighbours; at the record's ends under half a window.
std::vector<std::complex<double>> turned_down(std::span<const double> x, const std::vector<double>& phase,
                                              double order, std::size_t step);

/// A value between the points of an even grid, by the cubic that has the slopes of their neighbours.
template <typename T>
T between_points(const T* points, std::size_t count, std::size_t at, double share) {
  const T a = points[at], b = points[at + 1], before = at > 0 ? points[at - 1] : 2.0 * a - b,
          after = at + 2 < count ? points[at + 2] : 2.0 * b - a;
  const T left = 0.5 * (b - before), right = 0.5 * (after - a);
  return a + share * (left +
                      share * (3.0 * (b - a) - 2.0 * left - right + share * (2.0 * (a - b) + left + right)));
}

/// Keeps what changes slowly, at sixteen points to a period of the half band. Ends are mirrored.
class SlowPart {
 public:
  SlowPart(std::size_t samples, double rate_hz, double half_band_hz);
  /// Of `order` times the phase in `x`.
  void find(std::span<const double> x, const std::vector<double>& phase, double order);
  /// Mean square of the line, and of what as wide a band beside it holds.
  double power() const { return power_; }
  double noise() const { return noise_; }
  /// Of the line's mean square: by the noise in its band, as many independent values as that has.
  double power_std() const;
  /// By how much more than `order` times the phase the line turns: by neighbouring points, and then by points
  /// ever farther apart.
  double further_order(const std::vector<double>& phase) const;
  void take_off(const std::vector<double>& phase, double order, std::vector<double>& x) const;

 private:
  std::size_t samples_, step_, points_, more_;
  ComplexFft fft_;
  FftArray<std::complex<double>> in_, out_;
  double edge_, power_ = 0, noise_ = 0;
  std::vector<double> gain_;
};

}  // namespace vprism
