// lattice.h: lines at sums of multiples of two frequencies, as a modulated switch makes them: each multiple
// of a carrier with sidebands at multiples of what drives it, whether or not there is a line at the carrier
// itself.
#pragma once

#include <optional>
#include <vector>

#include "identify/lines/peaks.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// carrier_order x carrier + side_order x spacing.
struct LatticeLine {
  std::size_t peak = 0;
  int carrier_order = 0, side_order = 0;
};

struct Lattice {
  double carrier_hz = 0, carrier_std_hz = 0, spacing_hz = 0, spacing_std_hz = 0;
  std::vector<LatticeLine> lines;  ///< Those of the spacing's own multiples (carrier order 0) left out.
  double square = 0;               ///< Sum of their squared levels.
};

/// The two frequencies whose sums explain most of the free lines (`used` are not), by least squares with
/// weights 1/variance. At least 16 sidebands (to the 15th, and to 3 % of the frequency) of at least three
/// carriers, many more than lie
/// there by accident: each free line with a chance of twice its tolerance over the spacing of all places.
/// None where both are multiples of one frequency at a quarter of whose orders there are lines. Nothing where
/// there are none. Frequencies in Hz, levels in the peaks' unit.
std::optional<Lattice> find_lattice(const std::vector<Peak>& peaks, const std::vector<bool>& used,
                                    const SpectrumPlan& plan);

/// Sets `of_comb` (comb.h) of the peaks of a lattice, and of multiples of its spacing, that hold most of
/// `variance`; the lattice where there is one.
std::optional<Lattice> mark_lattice(std::vector<Peak>& peaks, const SpectrumPlan& plan, double variance);

}  // namespace vprism
