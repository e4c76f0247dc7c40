// rung_bands.h: resonances that noise drives: lines within them, and what the record holds of each.
#pragma once

#include <span>
#include <vector>

#include "identify/verdict/band_search.h"
#include "identify/verdict/band_signal.h"

namespace vprism {

/// Lines that stand in a resonance: higher than its own noise makes one peak in a thousand such bands. They
/// are as sure as that noise lets them be (`Peak::least_frequency_std_hz`) and no longer of the band, whose
/// shape is that of what they leave. Returns their mean square.
double take_lines_within(std::span<const double> rest, double rate_hz, const Spectrum& spectrum,
                         JudgedBand& band, std::vector<Peak>& peaks);

/// What the record holds of each resonance that noise drives: each bin's power is shared by what the fits
/// have there, so that they add up to no more than is there. What a fit expects of such noise may differ from
/// what came in this record by more.
void share_among_resonances(const BandSource& source, const Spectrum& spectrum,
                            const std::vector<double>& floor, const std::vector<Peak>& peaks,
                            std::vector<JudgedBand>& bands);

}  // namespace vprism
