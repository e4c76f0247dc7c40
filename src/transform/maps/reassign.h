// reassign.h: where the energy of a segment's bins belongs in time and frequency.
#pragma once

#include <vector>

#include "base/fft.h"
#include "transform/windows/window.h"

namespace vprism {

/// One bin's energy moved to the centre of gravity of what made it (Auger & Flandrin 1995, IEEE Trans. SP
/// 43).
struct MovedBin {
  double samples = 0;  ///< Time from the segment's first sample.
  double bins = 0;     ///< Frequency, negative ones for complex segments too.
  double square = 0;   ///< |X|^2 / (N sum(w^2)): over all bins the mean square under the window.
};

/// By three transforms: with the window, with it times t, with its derivative. May run in several threads at
/// once, each with a scratch of its own.
class Reassigner {
 public:
  Reassigner(const Window& window, std::size_t size, bool complex);
  struct Scratch {
    explicit Scratch(std::size_t size) : in(size), plain(size), timed(size), sloped(size) {}
    FftArray<std::complex<double>> in, plain, timed, sloped;
  };
  Scratch scratch() const { return Scratch(size_); }
  /// Of N samples (`im`: null for real ones) the bins whose energy is not lost in rounding; of real segments
  /// the positive half, doubled.
  void run(const double* re, const double* im, Scratch& scratch, std::vector<MovedBin>& out) const;

 private:
  void transform(const std::vector<double>& window, const double* re, const double* im, Scratch& scratch,
                 FftArray<std::complex<double>>& out) const;
  std::size_t size_;
  bool complex_;
  std::vector<double> window_, timed_, sloped_;
  double norm_ = 1;
  ComplexFft fft_;
};

}  // namespace vprism
