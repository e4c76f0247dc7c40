// stamps.h: judges the times of samples as they pass: rate, jitter, order.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "signal/recording.h"

namespace vprism {

/// Eight numbers or more, each later than the one before by the usual step within a fifth of it, as rounded
/// times are; and not by one each time, as what counts does.
bool rises_evenly(std::span<const double> times);

/// Pushed the stamps of a recording in order; asked once. Rate by (n - 1) / (t_last - t_first).
class StampJudge {
 public:
  void add(std::span<const double> stamps_s);
  /// Samples without stamps.
  void skip(std::size_t samples) { count_ += static_cast<std::int64_t>(samples); }
  /// Whether the stamps are `unit` times 0, 1, 2, ... or 1, 2, 3, ...
  bool counts(double unit) const;
  std::int64_t count() const { return count_; }
  double first_s() const { return first_; }
  double last_s() const { return last_; }

  /// The axis the stamps make. They count as even when they stay, RMS, within a hundredth of an interval of
  /// the even grid, or within `resolution_s`, the last printed digit of a stamp; otherwise the axis is
  /// stamped. Throws Error(input) when the last stamp is not later than the first.
  Axis axis(double resolution_s) const;
  /// Repeated, reversed and missing stamps and jitter, as cautions.
  std::vector<Caution> cautions(const Axis& axis) const;

 private:
  std::int64_t count_ = 0;
  double first_ = 0, last_ = 0, guess_ = 0;
  double least_step_ = 0, greatest_step_ = 0;
  std::int64_t greatest_at_ = 0, repeated_ = 0, reversed_ = 0, reversed_at_ = -1;
  // Sums over d_n = t_n - t_0 - n * guess: d, n d, d^2.
  double sum_d_ = 0, sum_nd_ = 0, sum_dd_ = 0;

  /// Steps against the usual one.
  struct Steps {
    double usual = 0;
    std::int64_t all = 0, odd = 0, longer = 0, lost = 0;
    void weigh(double step);
  };
  /// The median of the first steps, which are kept and weighed at the end.
  double usual_step() const;
  static constexpr std::size_t most_first_steps = 1001;
  std::vector<double> first_steps_;
  Steps later_;
};

}  // namespace vprism
