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

/// Steady lines at multiples of one frequency, or at sums of those of two: what the envelope of any band of
/// them repeats at.
class ExactRates {
 public:
  /// Marks the peaks of whichever there is (mark_comb, mark_lattice).
  ExactRates(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance);
  /// Whether a rate is one of theirs within four of its uncertainties, or a bin.
  bool has(double rate_hz, double rate_std_hz) const;

 private:
  double carrier_hz_ = 0, spacing_hz_ = 0, bin_hz_ = 0;  ///< 0: there is none.
};

}  // namespace vprism
