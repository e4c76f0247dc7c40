// figure_style.h: how figures look: size, font, lines, colours.
#pragma once

#include <string>
#include <vector>

namespace vprism {

/// What is not set is as usual.
struct FigureStyle {
  std::string name = {};               ///< As it was asked for; "" as usual.
  double width_px = 0, height_px = 0;  ///< Of a page; 120 to the inch. 0: the figure's own.
  double dpi = 120;                    ///< Of PNG.
  std::string font = "DejaVu Sans";
  double font_scale = 1, line_scale = 1;
  std::vector<std::string> colours = {};  ///< Of curves in turn, "#0072b2"; none: line_colours.
};

/// Of all figures that are drawn from now on.
const FigureStyle& figure_style();
void set_figure_style(FigureStyle style);

/// Tells styles apart that draw differently; "" for the usual one.
std::string figure_style_key();

/// Pixels to the inch that sizes in figures are in.
inline constexpr double pixels_per_inch = 120;

/// A page of 85 mm for a column of a journal: small type, thin lines, colours that keep apart in grey.
FigureStyle journal_style();

}  // namespace vprism
