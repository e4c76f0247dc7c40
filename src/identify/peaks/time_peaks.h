// time_peaks.h: what stands out in time: local maxima of a channel by height, prominence, width and distance,
// found as the samples pass, in memory that does not grow with the record.
//
// The prominence of a maximum is its height above the higher of the two lowest points that part it from
// higher ground, or from the record's ends (as of a mountain). Its width is that at half its prominence.
// Minima are maxima of the negative.
#pragma once

#include <cstdint>
#include <functional>
#include <limits>
#include <optional>
#include <span>
#include <vector>

namespace vprism {

struct TimePeakRules {
  double min_prominence = 0;
  std::optional<double> min_height;
  double threshold = 0;     ///< Least drop to the next sample on either side.
  double min_distance = 0;  ///< Samples; of two that are nearer the higher one stays.
  double min_width = 0, max_width = std::numeric_limits<double>::infinity();  ///< Samples at half prominence.
};

/// A maximum as the samples show it.
struct RoughPeak {
  std::int64_t sample = 0;  ///< Middle of a flat top.
  double height = 0, prominence = 0;
};

/// First pass: maxima with their prominences. A NaN ends the ground on both sides.
class PeakFinder {
 public:
  using Take = std::function<void(const RoughPeak&)>;
  /// `sign` -1 looks for minima; heights are then of the negative.
  PeakFinder(const TimePeakRules& rules, double sign, Take take);
  void add(std::span<const double> samples);
  /// The record has ended.
  void finish();

 private:
  struct Summit {
    RoughPeak peak;
    double left = 0;  ///< Lowest point since higher ground.
  };
  void add_one(double x);
  void top_out(double after);
  void close(double lowest);
  void flush();
  TimePeakRules rules_;
  double sign_;
  Take take_;
  std::vector<Summit> standing_;  ///< From the highest down; each is lower than the one before.
  std::int64_t at_ = 0, top_at_ = 0;
  double before_ = 0, last_ = 0, lowest_ = 0, lowest_to_top_ = 0;
  bool begun_ = false, rising_ = false;
};

/// Those that keep the distance: the highest first, what is too near goes. In order of time.
std::vector<RoughPeak> apart(std::vector<RoughPeak> peaks, double min_distance);

/// The prominence from which on maxima stand out of the noise and of lesser ones, from how the prominences of
/// all are spread; and the standard deviation of the noise.
class ProminenceSurvey {
 public:
  void add(std::span<const double> samples);
  /// Of every maximum, as a PeakFinder without rules gives it.
  void take(const RoughPeak& peak);
  struct Choice {
    double min_prominence = 0;  ///< Infinite: none stands out.
    double noise_std = 0;
    double step = 0;  ///< Least difference between neighbours that differ: a converter's step, if it is one.
  };
  Choice choice() const;

 private:
  static constexpr int per_octave = 8;
  std::vector<double> differences_;
  std::int64_t stride_ = 1, at_ = 0;
  double one_before_ = 0, two_before_ = 0, step_ = 0;
  std::vector<std::pair<int, std::int64_t>> counts_;  ///< By octaves of prominence, in order.
};

}  // namespace vprism
