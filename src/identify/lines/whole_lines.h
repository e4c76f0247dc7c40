// whole_lines.h: the lines of samples that lie in memory.
#pragma once

#include <span>

#include "identify/lines/sine_fit.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Of all the samples at once, under a Blackman-Harris window.
Spectrum whole_spectrum(std::span<const double> x, double rate_hz);

/// One-sided density of what a fit left, in 33 bins about a frequency.
double density_around(const Spectrum& whole, double hz);

/// The strongest lines that stand above the noise, no more than `most`, fitted to the samples; by descending
/// amplitude. None where there is nothing but noise.
SineFit fit_whole_lines(std::span<const double> x, double rate_hz, std::size_t most);

}  // namespace vprism
