// peak_sines.h: peaks of a spectrum as sines to be fitted to its samples.
#pragma once

#include <cmath>
#include <vector>

#include "identify/lines/peaks.h"
#include "identify/lines/sine_fit.h"

namespace vprism {

/// Samples times lines that are fitted to one channel: about half a second.
inline bool worth_fitting(std::size_t lines, std::size_t samples) {
  return lines > 0 && samples >= 4 * lines + 8 && samples * lines <= (std::size_t{1} << 22);
}

/// First guesses, and the noise that their uncertainties rest on, of the peaks that `wanted` says.
template <typename Wanted>
std::vector<Sine> sines_of(const std::vector<Peak>& peaks, const Spectrum& spectrum, const Wanted& wanted) {
  std::vector<Sine> out;
  for (const Peak& p : peaks) {
    if (!wanted(p)) continue;
    Sine s;
    s.frequency_hz = p.frequency_hz;
    s.amplitude = p.rms * std::sqrt(p.crest);
    s.phase_deg = p.phase_deg;
    s.noise_variance = p.floor_power / spectrum.plan.rbw_hz * spectrum.plan.rate_hz / 2;
    out.push_back(s);
  }
  return out;
}

}  // namespace vprism
