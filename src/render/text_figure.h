// text_figure.h: figures as text, for terminals: curves in the dots of braille, maps in blocks.
#pragma once

#include <cstddef>
#include <string>

#include "render/figure.h"

namespace vprism {

/// The figure in lines of at most `columns`. With `colours` curves and maps have those of the drawn figure
/// (256 colours of ECMA-48's SGR 38); without, maps are shades. Shapes in 3-D are left to drawn figures, and
/// said so.
/// `rows`: of each panel, its axes apart; 0: by the number of panels.
std::string text_figure(const Figure& figure, std::size_t columns, bool colours, std::size_t rows = 0);

}  // namespace vprism
