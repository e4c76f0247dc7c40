// figure.h: what a figure shows, told apart from who draws it.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace vprism {

/// A curve or, with `high`, the band between two curves (the outline of a long trace).
struct Curve {
  std::string name;  ///< Shown in the legend when a panel has more than one.
  std::vector<double> x, y, high;
  int colour = 0;                  ///< Index into the line colours, or neutral_colour.
  bool shade = false;              ///< A band drawn faintly, without a border: bounds around another curve.
  std::vector<double> right = {};  ///< Bars from x to here, from the axis up to y.
  /// Points instead of a line.
  enum class Points { none, dots, rings, crosses } points = Points::none;
};
/// Grey, for what others are compared with.
inline constexpr int neutral_colour = -1;
/// White: a band of it veils what is below, a line of it is seen on dark colours.
inline constexpr int paper_colour = -2;

/// Colours that keep apart for colour-blind eyes (Okabe & Ito 2008), dark ones first.
inline constexpr const char* line_colours[] = {"#0072b2", "#d55e00", "#009e73", "#cc79a7",
                                               "#e69f00", "#56b4e9", "#333333"};
/// "#0072b2"
const char* colour_of(const Curve& curve);

/// A numbered mark on a curve, the number being that of the table.
struct Mark {
  double x = 0, y = 0;
  std::string label;
};

struct FigureAxis {
  std::string quantity;  ///< "Frequency"
  std::string unit;      ///< "Hz"; the figure chooses a prefix. "" for none.
  bool logarithmic = false;
  std::optional<double> low = {}, high = {};  ///< Ends; found from the data where open.
};

/// A value at every place of a grid: columns along x, rows along y; drawn in colours below the curves. Where
/// the panel's y is logarithmic, the rows are evenly spaced in the logarithm.
struct ColourMap {
  std::size_t columns = 0, rows = 0;
  double x_low = 0, x_high = 1, y_low = 0, y_high = 1;  ///< Outer edges of the first and last cells.
  std::vector<float> values;                            ///< Row by row from below; NaN is left white.
  std::string quantity, unit;                           ///< Of the colours.
  bool logarithmic = false;
  std::optional<double> low, high;
};

/// Curves one behind the other in 3-D: values over x for each of some y.
struct Relief {
  std::vector<double> x, y;    ///< y from the nearest to the farthest.
  std::vector<double> values;  ///< Row by row, one for each y.
  FigureAxis z;
};

/// Lines in 3-D between places that have moved, over the same lines at rest.
struct Mesh {
  struct Place {
    double x = 0, y = 0, z = 0;
  };
  std::vector<Place> rest, moved;
  std::vector<double> value;  ///< Of each place; a line has the mean of its ends.
  std::vector<std::pair<std::size_t, std::size_t>> lines;
  FigureAxis z;           ///< With both ends.
  FigureAxis value_axis;  ///< With both ends.
};

struct Panel {
  std::string title;
  FigureAxis x, y;
  std::vector<Curve> curves;
  std::vector<Mark> marks;
  std::vector<double> verticals = {};     ///< Places on x: ends of a gate, edges.
  std::vector<std::string> listing = {};  ///< Lines beside the panel: what the marks say in numbers.
  std::optional<ColourMap> map = {};
  std::optional<Relief> relief = {};  ///< Instead of all else.
  std::optional<Mesh> mesh = {};      ///< Instead of all else.
  bool square = false;                ///< A unit is as long in x as in y: ranges are widened as needed.
};

/// Panels under each other. Texts are untrusted and drawn as plain text.
struct Figure {
  std::string title;
  std::string caption;  ///< Window, RBW, averages, scale: below the panels.
  std::vector<Panel> panels;
  int width = 1280;
  int panel_height = 0;  ///< 0: 800 pixels shared by up to three panels, more height for more.
  int columns = 1;       ///< Panels side by side, row by row.
  /// Panels that were not made, since there is no page for them (see most_panels_drawn).
  std::size_t beyond = 0;
};

/// So many panels of a figure are drawn, on pages; further ones need not be made.
inline constexpr std::size_t panels_on_a_page = 40, most_pages_drawn = 4,
                             most_panels_drawn = panels_on_a_page * most_pages_drawn;

/// `data` is the figure itself as JSON (figure_json.h), to be drawn later or by others.
enum class Picture { png, svg, pdf, data };
const char* picture_ending(Picture picture);

/// Draws with gnuplot and returns the file's bytes. Throws Error(output) when gnuplot is missing or fails.
std::string draw(const Figure& figure, Picture picture);
/// A PDF with each figure on a page of its own, all pages of one size.
std::string draw_pages(const std::vector<Figure>& figures);
/// One figure after the other, of the same size, as an animated GIF that begins anew at its end; `hundredths`
/// of a second each.
std::string draw_animation(const std::vector<Figure>& figures, int hundredths);

/// A figure of many panels in pages of two columns that can still be drawn and read: four at most, the
/// caption of the last one telling how many panels are left out. One of up to 32 panels stays as it is.
std::vector<Figure> paged(const Figure& figure);

/// `count` points at most: where there are more, each stretch of x gives its lowest and its highest point, so
/// no peak is lost.
Curve thinned(Curve curve, std::size_t count, bool logarithmic_x);

}  // namespace vprism
