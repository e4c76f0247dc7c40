// mode_places.h: frequencies at which many points show a mode.
#pragma once

#include <vector>

#include "field/field.h"

namespace vprism {

struct ModePlace {
  double hz, std, damping = 0, damping_std = 0;
};

/// Tops of a spectrum that rise 6 dB out of the saddles beside them and ten times over the floor, the highest
/// first.
std::vector<std::size_t> tops_of(const std::vector<double>& power, std::size_t most);

/// Of a free decay: the transforms of the kept points are rational functions of the bins' frequencies (the
/// cut end multiplies each mode by one constant), so their common poles are the modes; refined one by one
/// with what the rest of the band is.
std::vector<ModePlace> decaying_places(const FieldResult& r, const FieldSettings& settings, std::size_t most);

/// Whether peaks are looked for there.
bool asked_for(const FieldSettings& settings, double hz);

std::vector<ModePlace> steady_places(const FieldResult& r, const FieldSettings& settings, std::size_t most);

}  // namespace vprism
