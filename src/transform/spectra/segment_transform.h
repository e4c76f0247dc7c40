// segment_transform.h: one windowed segment's transform, of whatever kind the settings ask for.
#pragma once

#include <complex>
#include <memory>
#include <vector>

#include "base/fft.h"
#include "transform/spectra/chirp_z.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Window or tapers, padding, real or complex, the whole band or a part of it: made once, run by any number
/// of threads with a scratch of their own.
class SegmentTransform {
 public:
  SegmentTransform(const SpectrumPlan& plan, const SpectrumSettings& settings, bool complex);

  struct Scratch {
    FftArray<double> real;
    FftArray<std::complex<double>> in, out;
  };
  Scratch scratch() const;
  std::size_t bins() const { return bins_; }
  /// Transforms for each segment: one, or one for each taper.
  std::size_t tapers() const { return tapers_; }
  bool complex() const { return complex_; }
  /// Of a complex segment real and imaginary part; otherwise `im` is not read. bins() values, in the order of
  /// the transform, which is not that of `Spectrum` for complex segments.
  const std::complex<double>* run(const double* re, const double* im, std::size_t taper,
                                  Scratch& scratch) const;

  /// Whether one long real segment is all there is: then `run_alone` is quicker and takes less memory.
  bool alone() const { return windows_.empty(); }
  /// Its transform, bins() values.
  void run_alone(const double* re, std::vector<std::complex<double>>& values) const;

  /// Where rising frequency begins in the order of the transform; from there on round.
  std::size_t turn() const;
  /// A spectrum without levels: plan, grid, window figures.
  Spectrum blank() const;
  /// Sums of |X|^2 over tapers and `segments` to mean squares per bin, by rising frequency.
  void to_power(std::vector<double>& squares, double segments) const;
  /// A transform by the first taper to amplitudes, by rising frequency.
  void to_amplitude(std::vector<std::complex<double>>& values) const;
  /// Noise averages that `averages` segments are worth.
  double noise_averages(std::int64_t averages) const;

 private:
  /// Long real transforms are quicker in one array.
  bool in_place() const { return transform_ >= (std::size_t{1} << 16); }
  template <typename T>
  void by_frequency(std::vector<T>& values) const;

  SpectrumPlan plan_;
  SpectrumSettings settings_;
  bool complex_;
  std::vector<std::vector<double>> windows_;  ///< Empty for one long segment: made as it is needed.
  std::size_t tapers_ = 1;
  double first_sum_ = 0, sum_squares_ = 0, squares_ = 0;  ///< sum w_0, sum_k (sum w_k)^2, sum_k sum w_k^2.
  std::size_t transform_, bins_;
  double start_bins_ = 0;
  std::unique_ptr<RealFft> real_;
  std::unique_ptr<ComplexFft> complex_fft_;
  std::unique_ptr<ChirpZ> chirp_;
};

}  // namespace vprism
