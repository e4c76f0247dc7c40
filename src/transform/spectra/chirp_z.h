// chirp_z.h: the transform on any even grid of frequencies, by convolution with a chirp (Bluestein 1970;
// Rabiner, Schafer & Rader 1969).
#pragma once

#include <complex>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// X_m = sum_n x[n] exp(-2 pi i (start + m step) n), m = 0 .. count - 1; start and step in cycles per sample.
class ChirpZ {
 public:
  ChirpZ(std::size_t size, std::size_t count, double start, double step);
  std::size_t count() const { return count_; }
  /// Points of the two transforms that one run takes.
  std::size_t points() const { return fft_.size(); }
  static std::size_t points_for(std::size_t size, std::size_t count);
  /// `line` and `bins` of points(); `line` holds the `size` samples and is used up, the result is at its
  /// head.
  void run(FftArray<std::complex<double>>& line, FftArray<std::complex<double>>& bins) const;

 private:
  std::size_t size_, count_;
  ComplexFft fft_;
  std::vector<std::complex<double>> before_, after_;
  FftArray<std::complex<double>> kernel_;
};

}  // namespace vprism
