// slow_course.h: records whose lines lie on a slow course of their own.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "identify/lines/sine_fit.h"

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

/// Sines as of fit_sines, beside what wanders more slowly than a third of the lowest of them (cubic splines
/// of at most 40 intervals), each fitted to what the other leaves, in turn: a course that ends elsewhere than
/// it began moves every line of a sum without a window. Where no more wanders than noise would, and where the
/// lowest has fewer than twelve periods, that of fit_sines, or from two periods on
/// beside a straight line, where one holds more than noise would. Lone samples (up to one in a hundred) that
/// stand twelve times the scatter out of what is left are put where the fit has them.
SineFit fit_sines_beside_wander(std::span<const double> samples, double rate_hz, std::vector<Sine> first,
                                double joint_bins, double still);

}  // namespace vprism
