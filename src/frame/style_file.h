// style_file.h: --style: how figures look, by name or from a file.
#pragma once

#include <string>

#include "render/figure_style.h"

namespace vprism {

/// "journal", or a TOML file: width and height ("85 mm" or pixels), dpi, font, font_scale, line_scale,
/// colours. Throws Error(usage) with line and column, Error(input) where the file can't be read.
FigureStyle read_style(const std::string& name);

}  // namespace vprism
