// noise_floor.h: the noise between the lines of a spectrum.
#pragma once

#include <cstdint>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// Median of the noise power that an average worth `averages` segments shows, for noise of mean 1; below 1
/// for few averages.
double noise_median(double averages);

/// The ratio to its mean that averaged noise power exceeds with probability `p`.
double noise_quantile_above(double averages, double p);

/// Estimated mean noise power in each bin (same shape and unit as `spectrum.power`): the median over the
/// nearest bins that are not masked (bins under lines), corrected for its bias. The neighbourhood grows with
/// frequency from 12 bins to each side up to a thirty-second of the spectrum, so that it follows drift and
/// 1/f noise at the low end and is not lifted by a resonance higher up. Bins are ranked once, for any number
/// of masks; `spectrum` must outlive it.
class NoiseFloor {
 public:
  explicit NoiseFloor(const Spectrum& spectrum);
  /// An empty mask masks none.
  std::vector<double> between(const std::vector<bool>& masked = {}) const;

 private:
  /// Where noise rises steeply towards 0 Hz, the lowest bins' medians lag behind: there it is at least what a
  /// power law through the lowest bins says.
  std::size_t stride_at(std::size_t bin) const;
  void follow_slope(const std::vector<std::size_t>& open, std::vector<double>& floor) const;

  const Spectrum& spectrum_;
  double correction_;
  std::vector<double> sorted_;
  std::vector<std::uint32_t> rank_;
};

inline std::vector<double> noise_floor(const Spectrum& spectrum, const std::vector<bool>& masked = {}) {
  return NoiseFloor(spectrum).between(masked);
}

/// The ratio to the floor above which a bin is taken for more than noise. The floor is an estimate from the
/// bins around, few of them at the low end and in short spectra; its own scatter raises the ratio: with m
/// bins, a share p of noise exceeds m (p^(-1/m) - 1) where it would exceed -ln p if the floor were known.
class DetectionThreshold {
 public:
  /// `false_alarms`: expected in the whole spectrum.
  DetectionThreshold(const Spectrum& spectrum, double false_alarms);
  double at(std::size_t bin) const;
  /// No bin's is less.
  double least() const { return known_; }
  /// For a floor that is the mean of so many independent bins.
  double beside(double bins) const;

 private:
  bool mirrored_;
  std::size_t bins_;
  double log_p_, averages_, known_;
};

}  // namespace vprism
