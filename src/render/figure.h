// figure.h: what a figure shows, told apart from who draws it.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace vprism {

/// A curve or, with `high`, the band between two curves (the outline of a long trace).
struct Curve {
  std::string name;  ///< Shown in the legend when a panel has more than one.
  std::vector<double> x, y, high;
  int colour = 0;  ///< Index into the line colours, or neutral_colour.
};
/// Grey, for what others are compared with.
inline constexpr int neutral_colour = -1;

/// A numbered mark on a curve, the number being that of the table.
struct Mark {
  double x = 0, y = 0;
  std::string label;
};

struct FigureAxis {
  std::string quantity;  ///< "Frequency"
  std::string unit;      ///< "Hz"; the figure chooses a prefix. "" for none.
  bool logarithmic = false;
  std::optional<double> low, high;  ///< Ends; found from the data where open.
};

struct Panel {
  std::string title;
  FigureAxis x, y;
  std::vector<Curve> curves;
  std::vector<Mark> marks;
};

/// Panels under each other. Texts are untrusted and drawn as plain text.
struct Figure {
  std::string title;
  std::string caption;  ///< Window, RBW, averages, scale: below the panels.
  std::vector<Panel> panels;
  int width = 1280;
  int panel_height = 0;  ///< 0: 800 pixels shared by up to three panels, more height for more.
};

enum class Picture { png, svg, pdf };
const char* picture_ending(Picture picture);

/// Draws with gnuplot and returns the file's bytes. Throws Error(output) when gnuplot is missing or fails.
std::string draw(const Figure& figure, Picture picture);

/// `count` points at most: where there are more, each stretch of x gives its lowest and its highest point, so
/// no peak is lost.
Curve thinned(Curve curve, std::size_t count, bool logarithmic_x);

}  // namespace vprism
