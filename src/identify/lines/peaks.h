// peaks.h: lines that stand above the noise of a spectrum, refined past the bin.
#pragma once

#include <cstddef>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

struct Peak {
  std::size_t bin = 0;
  double frequency_hz = 0, frequency_std_hz = 0;
  double rms = 0, rms_std = 0;  ///< Of the sine at this frequency, in the channel's unit.
  double phase_deg =
      0;  ///< Of a cosine at the start of the analysed stretch, -180 to 180, from the first segment.
  double prominence_db = 0;  ///< Height above the higher of the two saddles to higher ground, dB.
  double floor_power = 0;    ///< Noise power per bin around it.
  double concentration = 1;  ///< Share of the power around it that one steady sine explains; near 1 for a
                             ///< tone, small for a hump.
  double band_rms =
      0;  ///< RMS of all that stands above the noise around it, what other lines explain left out.

  bool beside_wander = false;  ///< Beside a line that wanders, and likely to go along with it.
  bool of_band = false;        ///< Part of a band that is no steady line (band_search.h).
  bool of_comb = false;        ///< An order of an exact comb (comb.h): steady, whatever disturbs it.
  double misfit = 1;           ///< What the fit leaves around over what noise would; uncertainties hold it.

  /// What noise of a band around it leaves uncertain at least; 0: it stands in none.
  double least_frequency_std_hz = 0, least_rms_std = 0;

  double crest = 2;      ///< Square of peak over RMS: 2 for a sine, 1 for a turning complex tone.
  double doubt_rms = 0;  ///< RMS that the chain's interpolation is estimated to have made here.

  /// Whether interpolation may well have made it.
  bool doubtful() const { return rms < 3 * doubt_rms; }
  bool broad() const { return !of_comb && concentration < 0.6; }
  /// In a scale's unit; psd: the height of the line in the density.
  double level(Scale scale, const SpectrumPlan& plan) const;
  double signal_to_noise_db() const;
};

struct PeakSettings {
  double false_alarms = 1e-3;  ///< Expected number of peaks that noise alone makes in a whole spectrum.
  std::size_t most = 200;
};

struct PeakSearch {
  std::vector<Peak> peaks;    ///< By descending level.
  std::vector<double> floor;  ///< Noise power per bin, the bins under the peaks left out.
};

/// With more lines than these, those under the lobes of others are not looked for.
inline constexpr std::size_t crowd = 64;

/// Peaks of a spectrum. A peak is a local maximum above the floor at the stated false-alarm rate, with a
/// prominence that noise does not reach, that is not a side lobe of a stronger one or of DC. Frequencies and
/// levels are least-squares fits of the window's main lobe to the bins around, jointly for lines closer than
/// their lobes: on the complex transform when there is one segment, on the averaged power when there are
/// more. With one segment the fitted lines are taken off and what is left is searched again, so that a line
/// hidden under the lobe of its neighbour is found.
PeakSearch find_peaks(const Spectrum& spectrum, const PeakSettings& settings = {});

}  // namespace vprism
