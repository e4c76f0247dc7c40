// output_only.h: resonances of a structure whose excitation is not known, from the spectra of several
// channels.
#pragma once

#include <complex>
#include <vector>

#include "identify/modes/resonance_fit.h"
#include "transform/spectra/cross.h"

namespace vprism {

struct OutputOnlyMode {
  ResonanceFit fit;                         ///< Of the power in the direction of the shape.
  std::vector<std::complex<double>> shape;  ///< Of unit length, its largest part real and above zero.
  double low_hz = 0, high_hz = 0;           ///< Where the strongest direction stays that of the shape.
};

struct OutputOnly {
  /// Largest and second largest singular value of the matrix of cross powers in each bin: mean squares.
  std::vector<double> first, second;
  std::vector<OutputOnlyMode> modes;  ///< By frequency.
  std::vector<double> lines_hz;       ///< Narrow tops that are forced tones rather than resonances.
};

/// Frequency-domain decomposition (Brincker, Zhang & Andersen 2001). `spectra` must hold all cross powers. A
/// resonance is a top of the largest singular value; the powers are projected on the shape it has there, and
/// one degree of freedom under noise is fitted to that (fit_resonance), which tells frequency, damping and
/// their uncertainties with the window's lobe taken into account. Damping assumes that the excitation is
/// white over the resonance's width; `lean`: what the channels measure. `low_hz`..`high_hz`: where to look.
OutputOnly decompose(const CrossSpectra& spectra, double low_hz, double high_hz, std::size_t most = 20,
                     const ResonanceLean& lean = {2, 2});

}  // namespace vprism
