// line_pairs.h: the lines and levels of two spectra set against each other.
#pragma once

#include <optional>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// A line as it is compared.
struct ComparedLine {
  double hz = 0, hz_std = 0;
  double rms = 0, rms_std = 0;
  bool broad = false;  ///< The top of a hump: chance says where in it.
};

/// A line of A, of B, or of both.
struct LinePair {
  std::optional<std::size_t> a, b;
  double delta_db = 0, delta_std_db = 0;  ///< B over A, of both.
  bool changed() const { return a && b && std::abs(delta_db) > 3 * delta_std_db; }
};

struct PairSettings {
  double clock = 1e-4;   ///< Relative difference that clocks and speeds may have.
  double within_hz = 0;  ///< Or this much.
};

/// B runs this much faster than A.
struct SpeedChange {
  double ratio = 1, ratio_std = 0;
  std::size_t lines = 0;  ///< That agree on it.
};

/// Lines of B to the nearest of A within four joint standard uncertainties or what the settings allow, each
/// once, nearest first. By frequency.
std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const PairSettings& settings = {});

/// A common change of speed, up to 10%: one ratio on which three lines or more agree within their
/// uncertainties, holding most of what does not stay where it was, more than chance would give. Nothing where
/// the lines stay.
std::optional<SpeedChange> speed_change(const std::vector<ComparedLine>& a,
                                        const std::vector<ComparedLine>& b,
                                        const PairSettings& settings = {});
/// Lines that stay first, then those that follow the speed.
std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const SpeedChange& speed, const PairSettings& settings = {});

/// Correlation of the levels in dB of two spectra over the band they share, of means over stretches worth a
/// dozen independent levels: 1 the same shape, 0 nothing in common. What noise makes of the scatter is taken
/// off, so that two records of one process are near 1. Levels alone do not matter. B is looked at `ratio`
/// times higher. NaN with fewer than eight stretches.
double spectral_likeness(const Spectrum& a, const Spectrum& b, double ratio = 1);

}  // namespace vprism
