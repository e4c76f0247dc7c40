// stored_spectrum.h: spectra that a file holds already.
#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "commands/shared/input.h"

namespace vprism {

/// One channel of a table over frequency, as it stands in the file: which scale its levels have is not known.
struct StoredSpectrum {
  InputFacts facts;
  Channel channel;
  std::vector<double> hz, level;            ///< Of complex ones the magnitude.
  std::vector<std::complex<double>> value;  ///< As it stands.
  std::optional<Range> span = {};           ///< Where it is looked at.
};

bool holds_spectra(Input& input);
/// All channels of such an input, cells that are missing left out. Throws Error(analysis) when the
/// frequencies do not rise or there are more than 2^26 of them.
std::vector<StoredSpectrum> read_stored_spectra(Input& input);

}  // namespace vprism
