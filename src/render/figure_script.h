// figure_script.h: a figure as gnuplot's commands.
#pragma once

#include <string>

#include "render/figure.h"

namespace vprism {

/// Everything that gnuplot is told, for a picture on its standard output.
std::string figure_script(const Figure& figure, Picture picture);
/// The same for a PDF with a page for each.
std::string pages_script(const std::vector<Figure>& figures);
/// The same for an animated GIF of several.
std::string animation_script(const std::vector<Figure>& figures, int hundredths);

}  // namespace vprism
