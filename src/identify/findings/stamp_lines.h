// stamp_lines.h: lines in samples at any times.
#pragma once

#include "identify/lines/peaks.h"
#include "transform/spectra/stamp_spectrum.h"

namespace vprism {

/// The strongest sine is found, all found so far are fitted together (frequencies, amplitudes, phases, a
/// constant), and what they leave is searched again, until nothing stands above the noise at the stated
/// false-alarm rate or `most` are found. Uncertainties from what is left and the fit's normal equations.
/// Phases are those at the first stamp.
PeakSearch stamp_lines(const StampedSamples& samples, const StampPlan& plan, const Spectrum& spectrum,
                       std::size_t most, double false_alarms = 1e-3);

}  // namespace vprism
