// time_peaks.h: what stands out in time: local maxima of a channel by height, prominence, width and distance,
// found and refined as the samples pass, in memory that does not grow with the record.
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

struct TimePeak {
  double sample = 0, sample_std = 0;  ///< Between samples; from what the fit of the top leaves over.
  double height = 0, prominence = 0;
  double width = 0;  ///< Samples; to a record's end where it does not come down to the half.
  bool cut = false;  ///< The width is.
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
    double left_half, left_foot;  ///< Where the samples rise through them; NaN: they never did.
    double right_half;            ///< NaN until they have come down.
  };
  void add_one(double x, double stamp);
  double last_rise(double level) const;
  void shape(const Open& open, double right_foot);
  void close(Open& open, bool cut);
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
  };
  Choice choice() const;

 private:
  static constexpr int per_octave = 8;
  std::vector<double> differences_;
  std::int64_t stride_ = 1, at_ = 0;
  double one_before_ = 0, two_before_ = 0;
  std::vector<std::pair<int, std::int64_t>> counts_;  ///< By octaves of prominence, in order.
};

/// How regularly peaks come.
struct PeakRhythm {
  std::int64_t intervals = 0;  ///< Usual ones: those with a peak missed or too many left out.
  double mean_s = 0, std_s = 0, median_s = 0;
  double neighbour_scatter_s = 0;      ///< RMS of the differences of neighbouring intervals.
  std::int64_t missed = 0, extra = 0;  ///< By intervals of twice (three, ...) or half the usual.
  std::vector<std::size_t> long_after, short_after;  ///< Peaks that such intervals begin with.
  double rate_hz = 0, trend_hz_per_s = 0, trend_std = 0;
};
/// Of at least three times in order.
std::optional<PeakRhythm> rhythm_of(std::span<const double> times_s);

/// Peaks of two channels side by side: each of the first with the nearest of the second within half the usual
/// interval.
struct PeakPairing {
  std::int64_t pairs = 0, alone_first = 0, alone_second = 0;
  double delay_mean_s = 0, delay_std_s = 0;  ///< Second less first.
};
PeakPairing pair_peaks(std::span<const double> first_s, std::span<const double> second_s, double reach_s);

}  // namespace vprism
