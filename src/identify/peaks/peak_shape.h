// peak_shape.h: place, height and width of peaks in time, in a second pass over their samples.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "identify/peaks/time_peaks.h"

namespace vprism {

struct TimePeak {
  /// Between samples; uncertainties from what the fit leaves over and from how another one disagrees.
  double sample = 0, sample_std = 0;
  double height = 0, height_std = 0, prominence = 0;
  double width =
      0;  ///< Samples. Both sides come down to the half: the prominence is that of the higher base.
  double stamp = 0;  ///< With stamps: the peak's time.
};

/// Second pass: position and height by a curve fitted to the peak, even about its middle where the samples
/// allow that, else a polynomial through the top; the width by straight lines between samples. `peaks` in
/// order of time, as the first pass over the same samples gave them.
class PeakShaper {
 public:
  /// `interval`: the mean one of samples that have stamps, which curves are then fitted over; 0 for even
  /// samples.
  PeakShaper(std::vector<RoughPeak> peaks, double sign, double interval = 0);
  void add(std::span<const double> samples, std::span<const double> stamps = {});
  std::vector<TimePeak> finish();

 private:
  struct Low {
    std::int64_t at;
    double value, next;
  };
  struct Open {
    std::size_t peak;
    double half, foot;            ///< Levels.
    double left_half, left_foot;  ///< Where the samples rise through them.
    double right_half;            ///< NaN until they have come down.
    double stamp;
  };
  void add_one(double x, double stamp);
  double last_rise(double level) const;
  void shape(const Open& open, double right_foot);
  std::vector<RoughPeak> peaks_;
  std::vector<TimePeak> shaped_;
  double sign_, interval_;
  std::size_t next_ = 0;
  std::int64_t at_ = 0;
  double last_ = 0;
  std::vector<double> recent_, recent_stamps_;
  std::vector<Low> lows_;  ///< Each is the lowest sample since its own; rising.
  std::vector<Open> open_;
  double highest_level_ = 0;
};

}  // namespace vprism
