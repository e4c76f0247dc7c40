// decays.h: lines that die away, fitted to the samples and taken off the record, so that the rest is judged
// without the skirts that they spread over the whole spectrum.
#pragma once

#include <span>
#include <vector>

#include "identify/verdict/band_search.h"

namespace vprism {

/// Fits a decay (start within about two time constants of the truth) to the samples: the start is where the
/// model explains most, amplitude and phase are those at the start, uncertainties from what is left around
/// its frequency. Returns its RMS over all the samples. One that grows, or that the samples do not bear out,
/// stays as it is; `density`: one-sided, of the noise, where the samples cannot show it.
double refine_decay(std::span<const double> samples, double rate_hz, double density, Exponential& decay);

/// Takes a decay off; false, and nothing done, where that would not leave less.
bool take_off(const Exponential& decay, double rate_hz, std::vector<double>& samples);

/// Each of several decays fitted to what the others leave, in turn: those of one blow disturb each other most
/// where they begin. `less` is the record without them.
void refine_together(double rate_hz, std::vector<JudgedBand>& decays, std::vector<double>& less);

}  // namespace vprism
