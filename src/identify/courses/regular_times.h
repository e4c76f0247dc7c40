// regular_times.h: times that lie whole numbers of one period apart.
#pragma once

#include <optional>
#include <span>

namespace vprism {

struct RegularTimes {
  double rate_hz = 0, rate_std_hz = 0;
  double scatter_s = 0;  ///< RMS of the times about the line.
};

/// The straight line through times over their whole numbers, which `guess_hz` gives. Times known to a sample
/// of `sample_s` only are in the uncertainty. Nothing for fewer than three, or where they have no order.
std::optional<RegularTimes> fit_regular_times(std::span<const double> at_s, double guess_hz, double sample_s);

}  // namespace vprism
