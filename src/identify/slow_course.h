// slow_course.h: records that are mostly trend.
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// The samples less a slow course where a straight line holds most of all that there is (three quarters: a
/// line of one period looks like one by six tenths): beside it no line is where it seems. The course is the
/// polynomial of the least degree up to three that leaves at most twice what the best of them does.
std::optional<std::vector<double>> without_trend(std::span<const double> x);

}  // namespace vprism
