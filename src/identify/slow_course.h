// slow_course.h: records whose lines lie on a slow course of their own.
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// The level moves once and stays.
struct LevelShift {
  std::size_t at = 0;  ///< The first sample behind it.
  double size = 0, size_std = 0;
};

struct SlowCourse {
  std::vector<double> rest;  ///< The samples without it.
  std::optional<LevelShift> shift;
};

/// Beside a trend or a step no line is where it seems. A step is one that explains 95% of what 48 means over
/// the record do; a trend is a straight line that holds three quarters of the mean square (a line of one
/// period looks like one by six tenths), taken off as a cubic where that leaves less than half as much of
/// those means. Nothing where there is neither.
std::optional<SlowCourse> slow_course_of(std::span<const double> x);

/// The samples less what is slower than a third of `least_periods` in the record: lines of so many periods
/// and more stay as they are, and what wanders below them no longer moves them. As they are where fewer than
/// twelve are asked for.
std::vector<double> without_wander(std::span<const double> x, double least_periods);

}  // namespace vprism
