// comb.h: a comb of steady lines, exactly periodic, whose high orders fold at half the rate.
#pragma once

#include <optional>
#include <vector>

#include "identify/findings/finding.h"
#include "identify/lines/peaks.h"

namespace vprism {

/// The orders of a frequency that agree on it.
struct CombRate {
  double rate_hz = 0, std_hz = 0;
};

/// The frequency whose orders these are, by weighted least squares (weights 1/variance); the uncertainty
/// holds their scatter about it. `orders[i]` is that of `peaks[members[i]]`.
CombRate comb_rate(const std::vector<Peak>& peaks, const std::vector<std::size_t>& members,
                   const std::vector<std::size_t>& orders);

/// Sets `of_comb` of the peaks that are orders, folded ones among them, of one frequency, where at least six
/// agree and they hold most of `variance`. Lines that what is folded beside them disturbs are steady all the
/// same. The frequency where there is one.
std::optional<CombRate> mark_comb(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance);

/// Takes into a family what lies at its orders or is no more than its orders beyond half the rate, folded,
/// may make: as much as the half octave below holds. Nothing that dies away.
void take_into_families(const std::vector<Peak>& peaks, const SpectrumPlan& plan,
                        std::vector<Finding>& findings);

}  // namespace vprism
