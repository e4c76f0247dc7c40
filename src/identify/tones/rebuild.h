// rebuild.h: a signal made again from chosen components, and what they leave over.
#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace vprism {

/// amplitude cos(2 pi hz t + phase), t from the first sample on.
struct Component {
  double hz = 0, amplitude = 0, phase_deg = 0;
  std::string what = {};  ///< "cooler, order 2"; "" for a plain line.
};

/// The strongest lines that stand above the noise, fitted to the samples together; by descending amplitude.
std::vector<Component> strongest_components(std::span<const double> x, double rate_hz, std::size_t most);
/// At these frequencies, amplitudes and phases fitted together. Throws Error(analysis) for one that is not
/// between 0 Hz and half the rate.
std::vector<Component> components_at(std::span<const double> x, double rate_hz,
                                     const std::vector<double>& hz);

/// What lies within low .. high of the whole record's transform, its ends joined;
/// the band's edges fall over a hundredth of themselves as half a cosine.
std::vector<double> band_part(std::span<const double> x, double rate_hz, double low_hz, double high_hz);

/// Frequencies, RMS levels and phases of all bins of an unwindowed transform, back to samples: by an inverse
/// transform where the frequencies are its bins, else as a sum. Throws Error(analysis) where neither can be
/// made.
std::vector<double> inverse_of_bins(const std::vector<double>& hz, const std::vector<double>& rms,
                                    const std::vector<double>& phase_deg, std::size_t samples,
                                    double rate_hz);

/// What a spectrum turned back by inverse_of_bins has to do with the record it is said to be of.
struct TurnedBack {
  std::vector<double> samples;
  std::size_t shift = 0;  ///< Samples that its phases count from another place than the record's first.
  std::string window;     ///< It was made with, and divided by; "" for none.
};
/// Where `part` explains less than 98% of `x`: looked for at another place in the record (by correlation, the
/// record's ends joined) and under the windows of spectra (part = x w / mean of w there, divided by w where w
/// is above 1%, nothing elsewhere). What explains most is taken.
TurnedBack matched_to(std::span<const double> x, std::vector<double> part);

/// How much is left when the first so many components are taken.
struct RebuildStep {
  std::size_t components = 0;
  double residual_rms = 0, explained = 0;  ///< Share of the mean square about the mean.
};

struct Rebuilt {
  double mean = 0, rms = 0;      ///< Of the original; about its mean.
  std::vector<double> samples;   ///< Mean and all.
  std::vector<double> residual;  ///< Original less these.
  double residual_rms = 0, explained = 0;
  std::vector<RebuildStep> steps;  ///< One for each number of components, 0 first; empty without components.
};
/// Of components in this order.
Rebuilt rebuild(std::span<const double> x, double rate_hz, const std::vector<Component>& components);
/// Of samples made in another way, without their mean.
Rebuilt rebuild_as(std::span<const double> x, std::vector<double> part);

}  // namespace vprism
