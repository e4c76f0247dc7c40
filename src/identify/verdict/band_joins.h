// band_joins.h: judged bands that are parts of one thing.
#pragma once

#include <vector>

#include "identify/verdict/band_search.h"
#include "identify/verdict/band_signal.h"

namespace vprism {

/// What lies within the flanks of a resonance that noise or impulses drive is part of it.
void join_flanks(std::vector<JudgedBand>& bands);

/// What comes and goes at the same times in neighbouring bands, and between them, is one burst.
void join_bursts(const BandSource& source, double rate_hz, std::vector<JudgedBand>& bands);

/// What little stands in the flanks of a band of noise is of it.
void peaks_in_flanks(std::vector<JudgedBand>& bands, std::vector<Peak>& peaks);

}  // namespace vprism
