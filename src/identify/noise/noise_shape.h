// noise_shape.h: the noise between the lines in words: how it falls with frequency, and where it stands up.
#pragma once

#include <string>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// A band whose noise stands above what surrounds it.
struct NoiseBand {
  double low_hz = 0, high_hz = 0;
  double rms = 0;       ///< Of what stands above the law.
  double above_db = 0;  ///< Greatest height above the law.
  double peak_hz = 0;
};

struct NoiseShape {
  /// Density a f^-slope in power: 0 white, 1 pink, 2 brown; `white_density` comes on top.
  double slope = 0, slope_std = 0;
  double density_at_1hz = 0;  ///< a, in the unit squared per Hz.
  double white_density = 0;   ///< What it ends in towards half the rate, where it does.
  double scatter_db = 0;      ///< Of the floor around the law; over 3 dB there is no one law.
  double rms = 0;             ///< Of all noise.
  std::vector<NoiseBand> bands;
  /// "white", "pink (1/f)", "brown (1/f^2), white above 300 Hz", "falling as 1/f^1.5".
  std::string word() const;
  double density(double hz) const;
};

/// From the floor of a spectrum (noise power per bin). The law is a line through the logarithms that half of
/// the octaves' tenths lie close to (repeated medians), so that bands do not bend it; where that
/// leaves clearly less, one that ends in white noise towards half the rate. Bands are at least six
/// bins wide and 5 dB high.
NoiseShape noise_shape(const Spectrum& spectrum, const std::vector<double>& floor);

}  // namespace vprism
