// figure_style.cpp: see figure_style.h.
#include "render/figure_style.h"

#include <fmt/format.h>

#include <utility>

namespace vprism {

namespace {

FigureStyle& style() {
  static FigureStyle only;
  return only;
}

}  // namespace

const FigureStyle& figure_style() { return style(); }
void set_figure_style(FigureStyle one) { style() = std::move(one); }

std::string figure_style_key() {
  const FigureStyle& s = style();
  if (s.name.empty()) return "";
  std::string out = fmt::format("{} x {} at {}, {} {} {}", s.width_px, s.height_px, s.dpi, s.font,
                                s.font_scale, s.line_scale);
  for (const std::string& colour : s.colours) out += " " + colour;
  return out;
}

FigureStyle journal_style() {
  FigureStyle out;
  out.width_px = 85 / 25.4 * pixels_per_inch;
  out.height_px = 70 / 25.4 * pixels_per_inch;
  out.dpi = 600;
  out.font_scale = 0.75, out.line_scale = 0.8;
  // From dark to light, so that they stay apart where they are printed in grey.
  out.colours = {"#000000", "#0072b2", "#d55e00", "#009e73", "#e69f00"};
  return out;
}

}  // namespace vprism
