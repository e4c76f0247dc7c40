// line_pairs.h: the lines and levels of two spectra set against each other.
#pragma once

#include <optional>
#include <vector>

#include "transform/spectrum.h"

namespace vprism {

/// A line as it is compared.
struct ComparedLine {
  double hz = 0, hz_std = 0;
  double rms = 0, rms_std = 0;
};

/// A line of A, of B, or of both.
struct LinePair {
  std::optional<std::size_t> a, b;
  double delta_db = 0, delta_std_db = 0;  ///< B over A, of both.
  bool changed() const { return a && b && std::abs(delta_db) > 2 * delta_std_db; }
};

struct PairSettings {
  double clock = 1e-4;   ///< Relative difference that clocks and speeds may have.
  double within_hz = 0;  ///< Or this much.
};

/// Lines of B to the nearest of A within four joint standard uncertainties or what the settings allow, each
/// once, nearest first. By frequency.
std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const PairSettings& settings = {});

/// Correlation of the levels in dB of two spectra over the band they share, on the coarser one's bins: 1 the
/// same shape, 0 nothing in common. Levels alone do not matter. NaN with fewer than eight bins.
double spectral_likeness(const Spectrum& a, const Spectrum& b);

}  // namespace vprism
