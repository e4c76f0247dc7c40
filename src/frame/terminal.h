// terminal.h: what is shown where a terminal reads: as wide as it is, and in colours.
#pragma once

#include <string>

#include "render/figure.h"

namespace vprism {

/// Tables and help become as wide as the terminal that standard output is, if it is one. Before anything is
/// shown.
void settle_terminal();

/// A text for standard output, or standard error: on a terminal folded at its width, and words of verdict and
/// of severity in colours (unless NO_COLOR is set, see no-color.org, or the terminal says that it has none);
/// else as it is.
std::string for_standard_output(const std::string& text);
std::string for_standard_error(const std::string& text);

/// A figure as text, as wide and in as many colours as standard output allows; 100 columns where it is no
/// terminal.
/// `rows`: see text_figure.
std::string terminal_figure(const Figure& figure, std::size_t rows = 0);

/// Lines of the terminal that standard output is; 24 where it does not say.
std::size_t terminal_rows();

}  // namespace vprism
