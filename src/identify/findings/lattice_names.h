// lattice_names.h: a lattice of lines (lattice.h), put into words.
#pragma once

#include <vector>

#include "identify/findings/finding.h"
#include "identify/lines/lattice.h"

namespace vprism {

/// The carrier's multiples as a harmonic family, where there are two or more, and all sidebands as one
/// family.
std::vector<Finding> name_lattice(const Channel& channel, const std::vector<Peak>& peaks,
                                  const Lattice& lattice);

}  // namespace vprism
