// statistics.h: level statistics and the min/max outline of each channel, in one pass.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "signal/block.h"

namespace vprism {

struct Statistics {
  std::int64_t samples = 0;  ///< Those that are there.
  std::int64_t missing = 0;  ///< Gaps: samples that are NaN.
  double min = 0, max = 0, mean = 0, rms = 0, std = 0;
  double skewness = 0;                  ///< Third central moment / std^3; 0 for a symmetric spread.
  double crest = 0;                     ///< max(|min|, |max|) / rms; 0 for a channel of zeros.
  double kurtosis = 0;                  ///< Fourth central moment / variance^2; 3 for a Gaussian.
  std::int64_t at_min = 0, at_max = 0;  ///< Samples that equal min or max, for clipping at a rail.
  /// An extreme is a rail where samples lie at it four times as often as at the next value, or more.
  std::int64_t longest_rail = 0;            ///< Longest run of samples at a rail.
  std::int64_t rail_runs = 0;               ///< Runs of 4 and more at a rail, save at the record's ends.
  double jump_to_min = 0, jump_to_max = 0;  ///< Mean step into those runs, where that extreme is a rail.
  std::int64_t zero_tail = 0;               ///< Samples at the record's end that are exactly zero.
};

/// Of samples at uneven stamps mean, RMS and moments are those of the straight lines between them, over time:
/// a simulation takes many steps where much happens.
///
/// Moments are taken per block about the block's mean and joined by the pairwise formulas (Chan, Golub &
/// LeVeque 1979; Pebay 2008).
class StatisticsEstimator {
 public:
  explicit StatisticsEstimator(std::size_t columns) : channels_(columns) {}
  void add(const Block& block);
  std::vector<Statistics> result() const;

 private:
  struct Sums {
    double n = 0, mean = 0, m2 = 0, m3 = 0, m4 = 0;
    double min = 0, max = 0;
    double near_min = 0, near_max = 0;  ///< The values next to them, and how many lie at those.
    std::int64_t at_near_min = 0, at_near_max = 0;
    std::int64_t at_min = 0, at_max = 0, run = 0, longest_at_min = 0, longest_at_max = 0;
    double run_value = 0, jump = 0, jumps_to_min = 0, jumps_to_max = 0;
    std::int64_t missing = 0, zero_tail = 0, runs_at_min = 0, runs_at_max = 0;
    bool run_leads = false;  ///< The run began with the record.
  };
  /// Integrals over time of powers of the distance to `centre`.
  struct Timed {
    double centre = 0, last = 0, last_at = 0, time = 0, s1 = 0, s2 = 0, s3 = 0, s4 = 0;
    double shortest = 0, longest = 0;  ///< Steps.
    bool begun = false, open = false;  ///< Whether the last sample was there.
    bool uneven() const { return time > 0 && longest > 1.1 * shortest; }
  };
  static void add_timed(Timed& all, std::span<const double> x, std::span<const double> stamps);

  static void add_column(Sums& all, std::span<const double> x);
  static void add_stretch(Sums& all, std::span<const double> x);
  std::vector<Sums> channels_;
  std::vector<Timed> timed_;  ///< Empty without stamps.
  std::vector<double> present_;
};

/// The lowest and highest sample of equal stretches of the record, 1,024 to 2,048 of them however long the
/// record is: what a figure of the time trace needs. A stretch of gaps only is NaN.
struct Outline {
  std::int64_t samples_per_stretch = 1;
  std::int64_t samples = 0;
  std::vector<double> low, high;
  std::vector<double> at;  ///< Stamp of each stretch's first sample; empty without stamps.
};

/// The same with neighbouring stretches joined until at most `count` are left. An outline of a single sample
/// per stretch stays as it is.
Outline coarser(Outline outline, std::size_t count);

class OutlineEstimator {
 public:
  explicit OutlineEstimator(std::size_t channels) : outlines_(channels) {}
  void add(const Block& block);
  /// More samples of one channel, with their stamps or none.
  void add(std::size_t channel, std::span<const double> samples, std::span<const double> stamps = {});
  const std::vector<Outline>& result() const { return outlines_; }

 private:
  static constexpr std::size_t most = 2048;
  std::vector<Outline> outlines_;
};

}  // namespace vprism
