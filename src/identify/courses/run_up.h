// run_up.h: lines that move through the band and keep their ratios: the orders of what runs up or down.
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace vprism {

struct RunUpOrder {
  double order = 0;  ///< The lowest has 1.
  double rms = 0;    ///< Over the whole record.
};

struct RunUp {
  /// As far as levels change more quickly than they can be followed, such a share of theirs may be left.
  static constexpr double left = 0.07;
  double from_hz = 0, to_hz = 0;  ///< Of the lowest order, at the record's ends.
  double from_std_hz = 0, to_std_hz = 0;
  std::vector<RunUpOrder> orders;  ///< By order; two at least.
  double rms = 0;                  ///< Of all of them.
  std::vector<double> rest;        ///< The samples without them.
  double low_hz() const { return from_hz < to_hz ? from_hz : to_hz; }
  /// Of the highest order.
  double high_hz() const { return orders.back().order * (from_hz < to_hz ? to_hz : from_hz); }
};

/// Follows the line that stands out most (speed_course.h); at which ratios to it others stand out is seen
/// along its course, and each is turned down to 0 Hz by the course's phase, filtered and taken off, the
/// strongest first. One counts if it holds six times what lies beside it. Nothing where fewer than two do, or
/// where they hold less than a fifth of the mean square. For records of 2,048 to 2^20 samples.
std::optional<RunUp> find_run_up(std::span<const double> x, double rate_hz);

}  // namespace vprism
