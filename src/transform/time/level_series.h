// level_series.h: levels over time: RMS, mean, peaks and shape of one stretch after the other, running levels
// with an exponential weighting in time, how often each level is reached.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

namespace vprism {

/// Of one stretch; not numbers where no sample was there.
struct LevelPoint {
  double rms = 0, mean = 0;
  double low = 0, high = 0;
  double kurtosis = 0;
  /// Square root of the exponentially weighted mean square at the stretch's end, and its greatest within.
  double running = 0, running_high = 0;
  double peak() const { return std::max(std::abs(low), std::abs(high)); }
  double peak_to_peak() const { return high - low; }
  double crest() const { return rms > 0 ? peak() / rms : 0; }
};

class LevelSeries {
 public:
  /// `stretch`: samples; `time_constant`: of the running level, in samples, 0 for none. The running level
  /// begins at zero, as that of an instrument that is switched on (IEC 61672-1), or settled on the first
  /// stretch.
  LevelSeries(double stretch, double time_constant, bool settled);
  /// NaN is passed over.
  void add(std::span<const double> samples);
  /// Samples at these times, which rise, and the straight lines between them: stretch and time constant are
  /// times as well. The first stretch begins at the first sample. Across a NaN there is no line.
  void add(std::span<const double> samples, std::span<const double> times);
  std::vector<LevelPoint> finish();
  /// Of all samples.
  double rms() const;
  double peak() const { return peak_; }
  std::int64_t samples() const { return samples_; }

 private:
  void close();
  void settle();
  void open(double x);
  void run(double square, double gain);
  void hold_for_settling(double square, double time);
  /// A straight line from a to b.
  void add_line(double a, double b, double time);
  static constexpr std::size_t most_settling = 65536;
  double stretch_, gain_ = 0;
  bool settled_;
  std::vector<LevelPoint> points_;
  std::int64_t samples_ = 0;
  double at_ = 0, all_ = 0;  ///< Samples or time: passed by, and those that are there.
  double next_end_;
  double time_constant_, start_ = 0, last_ = 0;
  bool timed_ = false;
  // Of the stretch in hand, about its first sample; `weight_` in samples or in time.
  bool open_ = false;
  double weight_ = 0;
  double shift_ = 0, sums_[4] = {}, low_ = 0, high_ = 0;
  double running_ = 0, running_high_ = 0, square_ = 0, peak_ = 0;
  bool begun_ = false;
  /// Squares that the running level will be settled on, and how long each lasts.
  std::vector<std::pair<double, double>> first_;
};

/// Runs of values above a level.
struct Exceedance {
  double level = 0;
  std::int64_t above = 0;  ///< Values in all.
  struct Run {
    std::size_t from = 0, to = 0;  ///< Values from .. to - 1.
    double highest = 0;
  };
  std::vector<Run> runs;
};
Exceedance exceedance_of(std::span<const double> values, double level);

/// Those that are numbers, ascending.
std::vector<double> ascending(std::vector<double> values);
/// What `percent` of ascending values exceed, linear between neighbours; not a number where there are none.
double exceeded_by(std::span<const double> ascending, double percent);

}  // namespace vprism
