// figure_json.h: a figure as JSON and back: what is drawn, for other programs, and for drawing it later.
#pragma once

#include <string>

#include "render/document.h"
#include "render/figure.h"

namespace vprism {

/// Keys are those of figure.h; what is as usual is left out; values that are no numbers are null. A map's and
/// a relief's values are 32-bit and 64-bit floats, little-endian, in base64.
Json figure_json(const Figure& figure);
/// Throws Error(input) where it is no such figure.
Figure figure_from_json(const Json& json);

}  // namespace vprism
