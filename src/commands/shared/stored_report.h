// stored_report.h: spectra that a file holds already, shown as they stand: peaks, band, phases.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/units/quantity.h"
#include "commands/shared/stored_spectrum.h"
#include "identify/findings/finding.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

struct StoredPeak {
  double hz = 0, level = 0;         ///< Between points, by a parabola through three of them in decibels.
  double prominence_db = 0;         ///< Above the higher of the saddles to higher ground.
  std::optional<double> width_hz;   ///< At -3 dB, where both sides come down so far.
  std::optional<double> phase_deg;  ///< Of complex spectra, at the nearest point.
};

/// How the levels of a spectrum are to be read, as far as its title or unit says.
struct StoredScale {
  std::string name;       ///< "rms", "psd", ...; "" where nothing says.
  bool decibels = false;  ///< Levels are in dB already.
  bool density = false, power = false;
};
StoredScale stored_scale(const StoredSpectrum& spectrum);

/// Maxima within its span that stand 6 dB above their saddles and above the median of all, the strongest
/// first.
std::vector<StoredPeak> stored_peaks(const StoredSpectrum& spectrum, std::size_t most);

/// The channels of one file: table, results and cautions.
void report_stored(const std::vector<StoredSpectrum>& spectra, std::size_t most, Delivery& delivery);
std::vector<Finding> stored_findings(const std::vector<StoredSpectrum>& spectra);
std::string stored_csv(const std::vector<StoredSpectrum>& spectra);
/// Levels, and phases where there are any, with the peaks of the table marked.
Figure stored_figure(const std::vector<StoredSpectrum>& spectra, std::size_t most);

}  // namespace vprism
