// panel_script.h: one panel of a figure as gnuplot's commands.
#pragma once

#include <string>

#include "render/figure.h"

namespace vprism {

/// Where a panel's frame stands on the page, as shares of its height and width.
struct Frame {
  double bottom = 0, top = 1, left = 0, right = 1;
  double shape = 1;  ///< Height over width in pixels.
  int key_rows = 0;  ///< Rows of names between title and panel; 0: within it, if there are any.
};

/// Rows that the names of a panel's curves take over a width in pixels; 0 where there is no key, or where
/// more than four would be needed.
int key_rows_of(const Panel& panel, double pixels);
/// Pixels that a row of a key takes.
inline constexpr double key_row_pixels = 17;

/// In single quotes, in which gnuplot substitutes nothing.
std::string quoted(const std::string& text);

/// Commands and data of a panel whose place is set; `names_x`: whether it names its x axis.
void add_panel(std::string& script, const Panel& panel, const Frame& frame, bool names_x);

}  // namespace vprism
