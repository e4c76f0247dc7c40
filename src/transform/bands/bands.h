// bands.h: levels in bands of frequency: octaves and their fractions, or bands of one's own.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// One band. Of an octave the middle is the exact one, and `name` the nominal one.
struct BandEdges {
  double low_hz = 0, middle_hz = 0, high_hz = 0;
  std::string name;  ///< "31.5 Hz"; "" for bands of one's own.
};

/// Octave bands divided in `fraction` (1, 3, 6, 12, 24) by base ten (IEC 61260-1:2014): G = 10^0.3, middles
/// 1000 G^(x/b) for odd b and 1000 G^((2x+1)/(2b)) for even b, edges G^(+-1/(2b)) of the middle. Those that
/// lie within `low_hz` .. `high_hz` as a whole.
std::vector<BandEdges> octave_bands(int fraction, double low_hz, double high_hz);

struct BandLevel {
  BandEdges edges;
  double mean_square = 0;
  double share = 0;              ///< Of the mean square of all but DC.
  std::optional<int> iec_class;  ///< Of octave bands: 1 or 2; 0: the bins are too wide for either.
};

/// What stands in each band: whole bins within, and the part of those at its edges that lies inside.
std::vector<BandLevel> band_levels(const Spectrum& spectrum, const std::vector<BandEdges>& bands);

/// The best class whose limits (IEC 61260-1:2014, table 1) a band of this spectrum keeps to at every
/// breakpoint, a sine's lobe being what spills over its edges: 1, 2, or 0.
int octave_class(const Spectrum& spectrum, const BandEdges& band, int fraction);

/// All mean square but DC, weighted by `letter` A, C or Z (IEC 61672-1).
double weighted_mean_square(const Spectrum& spectrum, char letter);

}  // namespace vprism
