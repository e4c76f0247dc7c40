// band_signal.h: what a narrow band of a record holds, as a slow complex signal.
#pragma once

#include <complex>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// x(t) = Re z(t) exp(2 pi i f0 t) within the band; t in seconds from the record's first sample.
struct BandSignal {
  double centre_hz = 0, step_s = 0, start_s = 0;
  std::vector<std::complex<double>> values;
  /// Mean of |noise|^2 in `values`, from the density given; neighbours are nearly independent.
  double noise = 0;
  double time_s(std::size_t m) const { return start_s + static_cast<double>(m) * step_s; }
  double span_s() const { return static_cast<double>(values.size()) * step_s; }
};

/// The transform of a whole record, to take bands out of. Memory: 8 bytes a sample.
class BandSource {
 public:
  BandSource(std::span<const double> samples, double rate_hz);
  double bin_hz() const { return bin_hz_; }
  std::size_t bins() const { return bins_.size(); }
  /// Mean square of one bin of the record's transform, without a window.
  double power(std::size_t bin) const {
    return 2 * std::norm(bins_[bin]) / (static_cast<double>(count_) * static_cast<double>(count_));
  }
  /// The mean square of the whole record between two frequencies: bands that don't overlap add up to all of
  /// it.
  double mean_square(double low_hz, double high_hz) const;
  /// `density`: one-sided, of the noise in the band. The band is flat over low_hz .. high_hz and falls to
  /// nothing within half of its width beyond; what lies nearer to the record's ends than the filter
  /// rings is left out. Empty where the band holds fewer than eight values.
  BandSignal take(double low_hz, double high_hz, double density) const;

 private:
  std::size_t count_;
  double rate_hz_, bin_hz_;
  std::vector<std::complex<double>> bins_;
};

}  // namespace vprism
