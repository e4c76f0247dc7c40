// resonance_fit.h: a resonance that noise drives, fitted to averaged powers.
#pragma once

#include <optional>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// What is known beforehand of the power of frequency by which a resonance's flanks lean: 4 for the
/// acceleration of one degree of freedom under white noise, 2 for its velocity, 0 for its displacement.
struct ResonanceLean {
  double mean = 0, deviation = 1.5;
};

/// One degree of freedom under white noise, upon a pedestal that is flat or rises exponentially.
struct ResonanceFit {
  double frequency_hz = 0, frequency_std_hz = 0;
  double damping = 0, damping_std = 0;  ///< Ratio to critical damping.
  double rms = 0;                       ///< Of the resonant part, in the channel's unit.
  double height = 0;                    ///< Noise power per bin at its top, above the pedestal.
  double pedestal = 0;                  ///< Noise power per bin beside it, in the middle of the bins;
  double tilt = 0;                      ///< times exp(-tilt) at the lowest, exp(tilt) at the highest.
  double lean = 0;                      ///< Power of f / frequency_hz that the resonance leans by.
  bool edged = false;                   ///< Far less likely than a band of one level with edges.
  double low_hz = 0, high_hz = 0;       ///< The bins that it was fitted to.
  /// Twice the gain in log-likelihood over noise of one level in the same bins: large for a real hump.
  double gain = 0;
  /// Half-power width.
  double width_hz() const { return 2 * damping * frequency_hz; }
  /// Noise power per bin of the resonant part, and pedestal and all.
  double resonant_at(double hz) const;
  double power_at(double hz) const;
};

/// Fits to the bins within `low_hz` .. `high_hz` that are not `masked` (empty: none), by the likelihood of
/// averaged powers (Whittle 1953), the window's lobe folded in. Nothing where the hump is narrower than the
/// lobe can tell from a line, does not stand out, or is far less likely than a band of one level with edges
/// (unless `edges_too`: two resonances look like one).
std::optional<ResonanceFit> fit_resonance(const Spectrum& spectrum, double low_hz, double high_hz,
                                          const std::vector<bool>& masked = {},
                                          const ResonanceLean& known = {}, bool edges_too = false);

/// What the spectrum holds of a resonance: each bin within the fit is shared between it and its pedestal, and
/// the flanks beyond are taken as the fit has them. The RMS that a fit expects may differ from that by as
/// much as noise does in one record. Bins that are `masked` count as the fit expects them.
double rms_in_record(const Spectrum& spectrum, const ResonanceFit& fit, const std::vector<bool>& masked = {});

}  // namespace vprism
