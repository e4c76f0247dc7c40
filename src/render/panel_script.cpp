// panel_script.cpp: see panel_script.h: axes, maps, reliefs, meshes, curves, marks and listings.
#include "render/panel_script.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/text.h"

namespace vprism {

std::string quoted(const std::string& text) {
  std::string out = "'";
  for (const char c : clean_text(text, 190)) out += c == '\'' ? "''" : std::string(1, c);
  return out + "'";
}

namespace {

struct Limits {
  double low = std::numeric_limits<double>::infinity(), high = -std::numeric_limits<double>::infinity();
  void include(const std::vector<double>& values, bool positive_only) {
    for (const double v : values) {
      if (!std::isfinite(v) || (positive_only && v <= 0)) continue;
      low = std::min(low, v);
      high = std::max(high, v);
    }
  }
};

/// Ends of an axis and the prefix its numbers are shown under.
struct Drawn {
  double low = 0, high = 1;
  Prefix prefix;
};

Drawn drawn_axis(const FigureAxis& axis, Limits limits, bool tight) {
  if (!(limits.low <= limits.high)) limits = {axis.logarithmic ? 0.1 : 0, 1};
  Drawn d{axis.low.value_or(limits.low), axis.high.value_or(limits.high), {}};
  if (axis.logarithmic) {
    if (!tight) {
      d.high *= 2.5;  // Room for the marks.
      d.low = std::max(d.low / 1.5, d.high * 1e-14);
    }
    if (!(d.low < d.high)) d.low = d.high / 10;
  } else {
    const double room = tight ? 0 : 0.08 * (d.high - d.low);
    if (!axis.low) d.low -= room;
    if (!axis.high) d.high += room;
    // What differs by rounding alone is flat.
    constexpr double rounding = 1e-13;
    if (!(d.high - d.low > rounding * std::max(std::abs(d.low), std::abs(d.high)))) {
      const double around = d.low == 0 ? 1 : std::abs(d.low) * 0.1;
      d.low -= around;
      d.high += around;
    }
    d.prefix = prefix_for(std::max(std::abs(d.low), std::abs(d.high)), axis.unit);
    if (axis.unit == "s" && d.prefix.factor > 1) d.prefix = {};  // Nobody counts in kiloseconds.
  }
  return d;
}

std::string axis_label(const FigureAxis& axis, const Drawn& drawn) {
  return axis.unit.empty() || axis.unit == "1" ? axis.quantity
                                               : axis.quantity + " (" + drawn.prefix.symbol + axis.unit + ")";
}

void append(std::string& bytes, double value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

/// Where each mark's label stands: above it, or to its free side where another mark is close by.
std::vector<const char*> label_places(const Panel& panel, const Drawn& dx) {
  const auto pixels = [&](double x) {
    const double share = panel.x.logarithmic
                             ? std::log(std::max(x, dx.low) / dx.low) / std::log(dx.high / dx.low)
                             : (x - dx.low) / (dx.high - dx.low);
    return share * 1150;
  };
  std::vector<const char*> places;
  for (const Mark& mark : panel.marks) {
    bool left = false, right = false;
    for (const Mark& other : panel.marks) {
      const double gap = pixels(other.x) - pixels(mark.x);
      if (&other == &mark || std::abs(gap) > 18) continue;
      (gap < 0 ? left : right) = true;
    }
    places.push_back(left == right ? "center offset 0,0.75"
                     : left        ? "left offset 0.7,0.1"
                                   : "right offset -0.7,0.1");
  }
  return places;
}

void append(std::string& bytes, float value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

/// 0.02, 5, 1k, 200k
std::string short_number(double value) {
  const Prefix prefix = value >= 1000 ? prefix_for(value, "Hz") : Prefix{};
  return format_number(value / prefix.factor, 3) + prefix.symbol;
}

/// As many digits as tell ten steps of an axis apart: six do, save where it spans little of what it shows.
std::string tic_format(const Drawn& axis) {
  const double span = axis.high - axis.low, size = std::max(std::abs(axis.low), std::abs(axis.high));
  const double digits = std::floor(std::log10(size)) - std::floor(std::log10(span / 10)) + 1;
  return span > 0 && digits > 6 ? fmt::format("'%.{:.0f}g'", std::min(digits, 12.0)) : "'%g'";
}

/// Labels of a logarithmic axis: where it spans few decades, and where it is drawn by the logarithms
/// themselves, as an image needs it.
std::string decade_tics(double low, double high, bool by_logarithms) {
  const auto place = [&](double at) { return by_logarithms ? std::log10(at) : at; };
  const double decades = std::log10(high / low);
  std::string out = "set ytics (";
  bool first = true;
  for (int d = static_cast<int>(std::floor(std::log10(low)));
       d <= static_cast<int>(std::ceil(std::log10(high))); ++d)
    for (int m = 1; m < 10; ++m) {
      const double at = m * std::pow(10, d);
      if (at < low * 0.999 || at > high * 1.001) continue;
      const bool labelled = m == 1 || (decades < 2.2 && (m == 2 || m == 5)) || decades < 0.7;
      out += (first ? "" : ", ") + (labelled ? fmt::format("'{}' {:.9g}", short_number(at), place(at))
                                             : fmt::format("'' {:.9g} 1", place(at)));
      first = false;
    }
  return out + ")\n";
}

/// The map as an image, its colours beside it: lightness falls evenly from paper to deep blue.
void add_map(std::string& script, const ColourMap& map, const Drawn& dx, const Drawn& dy,
             const Frame& place_on, bool logarithmic, std::string& plots, std::string& data) {
  // Phases come round: so do their colours.
  const bool comes_round =
      map.unit == "deg" && map.low && map.high && std::abs(*map.high - *map.low - 360) < 1e-6;
  script +=
      comes_round
          ? "set palette defined (0 '#1d2f6f', 0.25 '#ddd3a0', 0.5 '#b5552f', 0.75 '#5fa56c', 1 '#1d2f6f')\n"
            "set cbtics 90\n"
          : "set palette defined (0 '#ddd3a0', 0.25 '#b9c47a', 0.5 '#5fa56c', 0.75 '#1d7d86', 1 '#1d2f6f')\n"
            "set cbtics auto\n";
  script +=
      fmt::format("set cblabel {} font ',10' offset 1.5,0\nset colorbox user origin {},{} size 0.014,{}\n",
                  quoted(map.unit.empty() ? map.quantity : map.quantity + " (" + map.unit + ")"),
                  place_on.right + 0.015, place_on.bottom, place_on.top - place_on.bottom);
  script += map.logarithmic ? "set logscale cb\n" : "unset logscale cb\n";
  script += fmt::format("set cbrange [{}:{}]\n", map.low ? fmt::format("{}", *map.low) : "*",
                        map.high ? fmt::format("{}", *map.high) : "*");
  const double cell_x = (map.x_high - map.x_low) / static_cast<double>(map.columns) / dx.prefix.factor;
  const auto place = [&](double y) { return logarithmic ? std::log10(y) : y / dy.prefix.factor; };
  const double cell_y = (place(map.y_high) - place(map.y_low)) / static_cast<double>(map.rows);
  plots += fmt::format(
      "plot '-' binary array=({},{}) dx={} dy={} origin=({},{}) format='%float32' using 1 with image title "
      "''",
      map.columns, map.rows, cell_x, cell_y, map.x_low / dx.prefix.factor + cell_x / 2,
      place(map.y_low) + cell_y / 2);
  for (const float v : map.values) append(data, v);
}

/// Curves from the farthest to the nearest, each hiding what is behind it.
void add_relief(std::string& script, const Panel& panel) {
  const Relief& relief = *panel.relief;
  Limits x, y, z;
  x.include(relief.x, false), y.include(relief.y, false), z.include(relief.values, false);
  const Drawn dx = drawn_axis(panel.x, x, true), dy = drawn_axis(panel.y, y, true),
              dz = drawn_axis(relief.z, z, true);
  script += fmt::format(
      "set view 52,18,1.0,1.25\nset xyplane at {}\nset title {} font ',12'\nset xlabel {} offset 0,-1\nset "
      "ylabel "
      "{} offset 2,-1\nset zlabel {} rotate by 90 offset 1,0\nunset key\nset border 127 linecolor rgb "
      "'#888888' "
      "linewidth 0.6\nset ticslevel 0\nunset label\nset format '%g'\nset style fill solid 1.0\n",
      dz.low / dz.prefix.factor, quoted(panel.title), quoted(axis_label(panel.x, dx)),
      quoted(axis_label(panel.y, dy)), quoted(axis_label(relief.z, dz)));
  script += fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\nset zrange [{}:{}]\n",
                        dx.low / dx.prefix.factor, dx.high / dx.prefix.factor, dy.low / dy.prefix.factor,
                        dy.high / dy.prefix.factor, dz.low / dz.prefix.factor, dz.high / dz.prefix.factor);
  std::string plots, data;
  for (std::size_t row = relief.y.size(); row-- > 0;) {
    plots += (plots.empty() ? "splot " : ", ") +
             fmt::format(
                 "'-' binary record=({}) format='%float64%float64%float64%float64%float64' using 1:2:3:4:5 "
                 "with zerrorfill linecolor rgb '{}' linewidth 0.9 fillcolor rgb '#f4f1e4' "
                 "title ''",
                 relief.x.size(), line_colours[0]);
    for (std::size_t k = 0; k < relief.x.size(); ++k) {
      const double value = std::max(relief.values[row * relief.x.size() + k], dz.low) / dz.prefix.factor;
      for (const double v : {relief.x[k] / dx.prefix.factor, relief.y[row] / dy.prefix.factor, value,
                             dz.low / dz.prefix.factor, value})
        append(data, v);
    }
  }
  script += plots + "\n" + data + "\n";
}

/// Widens the shorter of two ranges so that a unit is as long in both.
void make_square(Drawn& dx, Drawn& dy, double shape) {
  const double wide = dx.high - dx.low, high = dy.high - dy.low;
  Drawn& grown = high > wide * shape ? dx : dy;
  const double more = high > wide * shape ? high / shape - wide : wide * shape - high;
  grown.low -= more / 2, grown.high += more / 2;
}

/// How a plain curve is drawn.
std::string line_style(const Curve& curve, const char* colour) {
  if (curve.points != Curve::Points::none) {
    const int type = curve.points == Curve::Points::dots ? 7 : curve.points == Curve::Points::rings ? 6 : 1;
    return fmt::format("points pointtype {} pointsize {} linewidth 0.8 linecolor rgb '{}'", type,
                       curve.points == Curve::Points::dots ? 0.45 : 0.7, colour);
  }
  return fmt::format("lines linewidth {} dashtype {} linecolor rgb '{}'",
                     curve.colour == paper_colour ? 0.6 : 1.1,
                     1 + std::max(0, curve.colour) / static_cast<int>(std::size(line_colours)), colour);
}

/// Lines at rest in grey, those moved in colours.
void add_mesh(std::string& script, const Panel& panel, const Frame& frame) {
  const Mesh& mesh = *panel.mesh;
  Limits x, y;
  for (const auto* places : {&mesh.rest, &mesh.moved})
    for (const Mesh::Place& p : *places) x.include({p.x}, false), y.include({p.y}, false);
  Drawn dx = drawn_axis(panel.x, x, true), dy = drawn_axis(panel.y, y, true);
  Limits z;
  z.include({mesh.z.low.value_or(-1), mesh.z.high.value_or(1)}, false);
  Drawn dz = drawn_axis(mesh.z, z, true);
  // One scale for all three directions.
  dx.prefix = dy.prefix = dz.prefix = prefix_for(std::max(dx.high - dx.low, dy.high - dy.low), panel.x.unit);
  script += fmt::format(
      "set view 58,32,1.35,1.0\nset view equal xyz\nset xyplane at {}\nset title {} font ',12'\nset xlabel "
      "{}\nset ylabel {}\nset zlabel "
      "{} rotate by 90\nunset key\nset border 31 linecolor rgb '#888888' linewidth 0.6\nunset label\nset "
      "format '%g'\n"
      "set palette defined (0 '#1d2f6f', 0.25 '#3f8fb0', 0.5 '#ddd3a0', 0.75 '#e08a4b', 1 '#8f2d1c')\nset "
      "cbrange [{}:{}]\n"
      "set cblabel {} font ',10' offset 1.5,0\nset colorbox user origin 0.905,{} size 0.014,{}\nset ztics "
      "auto\n",
      dz.low / dz.prefix.factor, quoted(panel.title), quoted(axis_label(panel.x, dx)),
      quoted(axis_label(panel.y, dy)), quoted(axis_label(mesh.z, dz)), mesh.value_axis.low.value_or(-1),
      mesh.value_axis.high.value_or(1),
      quoted(mesh.value_axis.unit.empty() ? mesh.value_axis.quantity
                                          : mesh.value_axis.quantity + " (" + mesh.value_axis.unit + ")"),
      frame.bottom + 0.2 * (frame.top - frame.bottom), 0.6 * (frame.top - frame.bottom));
  script += fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\nset zrange [{}:{}]\n",
                        dx.low / dx.prefix.factor, dx.high / dx.prefix.factor, dy.low / dy.prefix.factor,
                        dy.high / dy.prefix.factor, dz.low / dz.prefix.factor, dz.high / dz.prefix.factor);
  std::string data;
  const auto add_lines = [&](const std::vector<Mesh::Place>& places, bool coloured) {
    for (const auto& [a, b] : mesh.lines) {
      const Mesh::Place &p = places[a], &q = places[b];
      for (const double v :
           {p.x / dx.prefix.factor, p.y / dy.prefix.factor, p.z / dz.prefix.factor,
            (q.x - p.x) / dx.prefix.factor, (q.y - p.y) / dy.prefix.factor, (q.z - p.z) / dz.prefix.factor})
        append(data, v);
      if (coloured) append(data, (mesh.value[a] + mesh.value[b]) / 2);
    }
  };
  add_lines(mesh.rest, false), add_lines(mesh.moved, true);
  const std::string six = "%float64%float64%float64%float64%float64%float64";
  script += fmt::format(
      "splot '-' binary record=({0}) format='{1}' using 1:2:3:4:5:6 with vectors nohead linecolor rgb "
      "'#c8c8c8' linewidth 0.6 title '', '-' "
      "binary record=({0}) format='{1}%float64' using 1:2:3:4:5:6:7 with vectors nohead linecolor palette "
      "linewidth 1.6 title ''\n",
      mesh.lines.size(), six);
  script += data + "\n";
}

bool has_key(const Panel& panel) {
  const auto named =
      std::count_if(panel.curves.begin(), panel.curves.end(), [](const Curve& c) { return !c.name.empty(); });
  return named > 1 || (panel.map && named > 0);
}

}  // namespace

int key_rows_of(const Panel& panel, double pixels) {
  if (!has_key(panel)) return 0;
  // All columns of a key are as wide as its longest name.
  std::size_t longest = 0, names = 0;
  for (const Curve& curve : panel.curves)
    if (!curve.name.empty()) longest = std::max(longest, curve.name.size()), ++names;
  const double column = 7.4 * static_cast<double>(longest) + 50;
  const auto columns = static_cast<std::size_t>(std::max(1.0, std::floor(pixels / column)));
  const std::size_t rows = (names + columns - 1) / columns;
  return rows <= 4 ? static_cast<int>(rows) : 0;
}

void add_panel(std::string& script, const Panel& panel, const Frame& frame, bool names_x) {
  if (panel.relief) return add_relief(script, panel);
  if (panel.mesh) return add_mesh(script, panel, frame);
  Limits x, y;
  for (const Curve& curve : panel.curves) {
    x.include(curve.x, panel.x.logarithmic);
    y.include(curve.y, panel.y.logarithmic);
    y.include(curve.high, panel.y.logarithmic);
    x.include(curve.right, panel.x.logarithmic);
  }
  if (panel.map) {
    x.include({panel.map->x_low, panel.map->x_high}, panel.x.logarithmic);
    y.include({panel.map->y_low, panel.map->y_high}, panel.y.logarithmic);
  }
  Drawn dx = drawn_axis(panel.x, x, true), dy = drawn_axis(panel.y, y, panel.map.has_value());
  if (panel.square) make_square(dx, dy, frame.shape);
  // An image knows no logarithms: where there is one, all is drawn by the logarithms themselves.
  const bool by_logarithms = panel.map && panel.y.logarithmic;
  const auto place_y = [&](double value) {
    // A zero has no place on a logarithmic axis: it is drawn at the floor.
    if (by_logarithms) return std::log10(std::max(value, dy.low));
    return panel.y.logarithmic ? std::max(value, dy.low) : value / dy.prefix.factor;
  };
  script += fmt::format("set title {} font ',12' offset 0,{}\n", quoted(panel.title), frame.key_rows - 0.6);
  script += fmt::format("set xlabel {} offset 0,0.3\nset ylabel {}\n",
                        names_x ? quoted(axis_label(panel.x, dx)) : "''", quoted(axis_label(panel.y, dy)));
  script += fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\n", dx.low / dx.prefix.factor,
                        dx.high / dx.prefix.factor, place_y(dy.low), place_y(dy.high));
  script += panel.x.logarithmic ? "set logscale x 10\n" : "unset logscale x\n";
  script += panel.y.logarithmic && !by_logarithms ? "set logscale y 10\n" : "unset logscale y\n";
  const bool few_decades = panel.y.logarithmic && dy.high < 100 * dy.low;
  script += by_logarithms || few_decades                      ? decade_tics(dy.low, dy.high, by_logarithms)
            : panel.y.unit == "deg" && dy.high - dy.low > 100 ? "set ytics 90\n"
                                                              : "set ytics auto\n";
  script += fmt::format("set format x {}\nset format y {}\nunset label\nunset arrow\n",
                        panel.x.logarithmic ? "'%.0s%c'" : tic_format(dx), tic_format(dy));
  const std::vector<const char*> places = label_places(panel, dx);
  for (std::size_t m = 0; m < panel.marks.size(); ++m) {
    const Mark& mark = panel.marks[m];
    script += fmt::format(
        "set label {} {} at first {},first {} {} font ',10' textcolor rgb '#222222' noenhanced front point "
        "pointtype 11 pointsize 0.6 linecolor rgb '#222222'{}\n",
        m + 1, quoted(mark.label), mark.x / dx.prefix.factor, place_y(mark.y), places[m],
        panel.square && panel.map ? " boxed" : "");
  }
  for (std::size_t i = 0; i < panel.listing.size(); ++i)
    script += fmt::format(
        "set label {} {} at graph 1.012,graph 0.985 offset 0,{} left font 'DejaVu Sans Mono,8' "
        "textcolor rgb '#222222' noenhanced\n",
        200 + i, quoted(panel.listing[i]), -0.95 * static_cast<double>(i));
  for (const double at : panel.verticals)
    script += fmt::format(
        "set arrow from first {0},graph 0 to first {0},graph 1 nohead linecolor rgb '#555555' dashtype 2\n",
        at / dx.prefix.factor);
  // Names never lie over data as long as there is room above.
  if (frame.key_rows > 0)
    script += fmt::format(
        "set key at graph 1,graph 1 right bottom horizontal noopaque noenhanced samplen 2 maxrows {}\n",
        frame.key_rows);
  else
    script += has_key(panel) ? "set key top right inside vertical opaque noenhanced samplen 4 maxrows auto\n"
                             : "unset key\n";
  std::string data, plots;
  if (panel.map) add_map(script, *panel.map, dx, dy, frame, by_logarithms, plots, data);
  for (const Curve& curve : panel.curves) {
    // The plotter takes a curve without a number for an error.
    if (std::none_of(curve.y.begin(), curve.y.end(), [](double v) { return std::isfinite(v); })) continue;
    const char* colour = colour_of(curve);
    const bool band = !curve.high.empty(), bars = !curve.right.empty();
    plots += plots.empty() ? "plot " : ", ";
    const std::string columns = bars ? "1:2:3:4:5:6" : band ? "1:2:3" : "1:2";
    std::string format;
    for (std::size_t i = 0; i < (columns.size() + 1) / 2; ++i) format += "%float64";
    const std::string style =
        bars ? fmt::format(
                   "boxxyerror linecolor rgb '{}' linewidth 0.6 fillstyle solid 0.75 border linecolor rgb "
                   "'white'",
                   colour)
        : band ? fmt::format("filledcurves linecolor rgb '{}' fillstyle {} border linecolor rgb '{}'", colour,
                             !curve.shade                   ? "solid 0.85"
                             : curve.colour == paper_colour ? "transparent solid 0.55 noborder"
                                                            : "solid 0.25 noborder",
                             colour)
               : line_style(curve, colour);
    const std::string drawn_style = curve.shade ? style.substr(0, style.find(" border linecolor")) : style;
    plots += fmt::format("'-' binary record=({}) format='{}' using {} with {} title {}", curve.x.size(),
                         format, columns, drawn_style, curve.name.empty() ? "''" : quoted(curve.name));
    const double bottom = place_y(dy.low);
    for (std::size_t i = 0; i < curve.x.size(); ++i) {
      const double x_at = curve.x[i] / dx.prefix.factor;
      const double y_at = place_y(curve.y[i]);
      append(data, x_at);
      append(data, y_at);
      if (bars)
        for (const double v : {x_at, curve.right[i] / dx.prefix.factor, std::min(bottom, y_at), y_at})
          append(data, v);
      else if (band)
        append(data, place_y(curve.high[i]));
    }
  }
  if (plots.empty()) {
    script += "set label 1000 'no data' at graph 0.5,graph 0.5 center textcolor rgb '#777777'\n";
    plots = fmt::format("plot {} with lines linecolor rgb '{}' title ''", place_y(dy.low), "#ffffff");
  }
  script += plots + "\n" + data;
  script += "\n";
}

}  // namespace vprism
