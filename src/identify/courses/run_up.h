// run_up.h: lines that move through the band and keep their ratios: the orders of what runs up or down.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "identify/courses/speed_course.h"

namespace vprism {

struct RunUpOrder {
  double order = 0, order_std = 0;  ///< The lowest has 1.
  double rms = 0, rms_std = 0;      ///< Over the whole record.
};

struct RunUp {
  double from_s = 0, to_s = 0;    ///< Since the record's start: where it was measured first and last.
  double from_hz = 0, to_hz = 0;  ///< Of the lowest order, there.
  double from_std_hz = 0, to_std_hz = 0;
  double low_hz = 0, high_hz = 0;  ///< Its range, which may reach beyond both ends.
  std::vector<RunUpOrder> orders;  ///< By order.
  double rms = 0;                  ///< Of all of them.
  std::vector<double> rest;        ///< The samples without them.

  /// Whether another follows the same course: what an order leaves runs along with it.
  bool runs_along(const RunUp& other) const;
  /// Whether it turns round on its way: its range is wider than from end to end by a tenth.
  bool turns() const;
  /// Whether what is left of it may be that: as far as levels change more quickly than they can be followed,
  /// a fourteenth of its own level, an eighth where it turns round, anywhere in the band that it runs
  /// through.
  bool may_leave(double hz, double left_rms) const;
};

/// Follows that course; at which ratios to it others stand out is seen
/// along its course, and each is turned down to 0 Hz by the course's phase, filtered and taken off, the
/// strongest first. One counts if it holds six times what lies beside it. Nothing where fewer than
/// `least_orders` do, or where they hold less than a fifth of the mean square (half of it, where it is one).
std::optional<RunUp> follow_run_up(std::span<const double> x, double rate_hz, SpeedCourse course,
                                   std::size_t least_orders = 2);

/// The line that stands out most (speed_course.h), followed, where it turns round twice at the most. For
/// records of 2,048 to 2^20 samples.
std::optional<RunUp> find_run_up(std::span<const double> x, double rate_hz, std::size_t least_orders = 2);
bool has_run_up_length(std::size_t samples);

}  // namespace vprism
