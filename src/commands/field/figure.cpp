// figure.cpp: spectra, maps and shapes of a recording of many points.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percentile.h"
#include "base/text.h"
#include "commands/field/field.h"

namespace vprism {

namespace {

constexpr double degrees = 180 / std::numbers::pi;

std::string stem_of(const FieldReport& listed) {
  Recording r;
  r.file = listed.recording.file;
  return r.stem();
}

std::string capital(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text;
}

std::string level_name(const FieldReport& listed) {
  const Channel& first = listed.result.variables[0];
  return capital(first.quantity.empty() ? first.name : first.quantity);
}

std::string caption(const FieldReport& listed, const FieldTaskSettings& settings) {
  const FieldResult& r = listed.result;
  std::string out = fmt::format("{} points, {} frames at {}, {}, bins {} apart", r.sums.points,
                                r.plan.frames.size(), format_quantity(r.plan.rate_hz, "Hz", 5),
                                r.plan.window.name(), format_quantity(r.plan.bin_hz(), "Hz", 3));
  if (settings.field.smooth_radius > 0)
    out += ", means over " + format_quantity(settings.field.smooth_radius, "m", 3) + " around";
  return out;
}

/// Values at points as a map: the grid's own cells, or the nearest point's.
ColourMap map_of(const FieldReport& listed, const std::vector<double>& values) {
  const std::vector<Node>& points = listed.result.points;
  const Plane plane = plane_of(points);
  ColourMap map;
  if (const auto grid = grid_of(points, plane)) {
    map.columns = grid->u.size(), map.rows = grid->v.size();
    const double du = (grid->u.back() - grid->u.front()) / static_cast<double>(map.columns - 1),
                 dv = (grid->v.back() - grid->v.front()) / static_cast<double>(map.rows - 1);
    bool even = true;
    for (std::size_t i = 0; i < grid->u.size(); ++i)
      even = even && std::abs(grid->u[i] - grid->u[0] - du * static_cast<double>(i)) < 0.05 * du;
    for (std::size_t i = 0; i < grid->v.size(); ++i)
      even = even && std::abs(grid->v[i] - grid->v[0] - dv * static_cast<double>(i)) < 0.05 * dv;
    if (even) {
      map.x_low = grid->u.front() - du / 2, map.x_high = grid->u.back() + du / 2;
      map.y_low = grid->v.front() - dv / 2, map.y_high = grid->v.back() + dv / 2;
      for (const std::size_t p : grid->point) map.values.push_back(static_cast<float>(values[p]));
      return map;
    }
  }
  std::array<double, 4> ends{};
  map.columns = 240, map.rows = 160;
  map.values = spread_over_cells(points, plane, values, map.columns, map.rows, ends);
  map.x_low = ends[0], map.x_high = ends[1], map.y_low = ends[2], map.y_high = ends[3];
  return map;
}

/// In so many steps of colour.
void step(ColourMap& map, std::size_t colours) {
  if (colours == 0 || !map.low || !map.high) return;
  const double width = (*map.high - *map.low) / static_cast<double>(colours);
  for (float& v : map.values) {
    if (std::isnan(v)) continue;
    const double place =
        std::clamp(std::floor((v - *map.low) / width), 0.0, static_cast<double>(colours) - 1);
    v = static_cast<float>(*map.low + (place + 0.5) * width);
  }
}

Panel map_panel(const FieldReport& listed, ColourMap map, const std::string& title) {
  const Plane plane = plane_of(listed.result.points);
  Panel panel;
  panel.title = title;
  panel.square = true;
  panel.x = {Plane::name(plane.across), "m", false, map.x_low, map.x_high};
  panel.y = {Plane::name(plane.up), "m", false, map.y_low, map.y_high};
  panel.map = std::move(map);
  return panel;
}

std::vector<double> db_where(std::vector<double> values, bool logarithmic, double top) {
  if (logarithmic)
    for (double& v : values)
      v = std::isnan(v) ? v : std::max(20 * std::log10(std::max(v, 1e-300) / top), -60.0);
  return values;
}

std::string shape_title(const FieldReport& listed, std::size_t i) {
  const FieldShape& s = listed.result.shapes[i];
  return fmt::format("{}: {}", i + 1,
                     s.hz_std > 0 ? format_uncertain(s.hz, s.hz_std, "Hz") : format_quantity(s.hz, "Hz", 5));
}

FigureAxis frequency_axis(const FieldResult& r, const FieldTaskSettings& settings) {
  FigureAxis axis{"Frequency", "Hz", settings.frequency_logarithmic.value_or(false), 0, r.plan.rate_hz / 2};
  if (axis.logarithmic) axis.low = r.plan.bin_hz();
  if (settings.span && settings.span->low) axis.low = std::max(*axis.low, *settings.span->low);
  if (settings.span && settings.span->high) axis.high = std::min(*axis.high, *settings.span->high);
  return axis;
}

/// Where a shape of this run is that of the other: what each point moves more.
void add_differences(const FieldReport& listed, Figure& figure) {
  const FieldResult& r = listed.result;
  for (const ShapePair& pair : listed.pairs) {
    if (!pair.a || !pair.b || listed.versus_points.empty()) continue;
    const std::vector<std::size_t> same = same_places(listed.versus_points, r.points);
    const FieldShape &before = listed.versus[*pair.a], &now = r.shapes[*pair.b];
    std::vector<double> difference(r.points.size(), std::nan(""));
    double most = 0;
    for (std::size_t p = 0; p < r.points.size(); ++p) {
      if (same[p] >= listed.versus_points.size()) continue;
      difference[p] = FieldResult::size_at(now, p) - FieldResult::size_at(before, same[p]);
      if (std::isfinite(difference[p])) most = std::max(most, std::abs(difference[p]));
    }
    ColourMap map = map_of(listed, difference);
    map.quantity = "Difference", map.unit = r.variables[0].unit.label();
    map.low = -most, map.high = most;
    if (!(most > 0)) continue;
    figure.panels.push_back(map_panel(listed, std::move(map),
                                      shape_title(listed, *pair.b) +
                                          ", amplitude less that of the other run at " +
                                          format_quantity(before.hz, "Hz", 5)));
  }
}

}  // namespace

Figure field_spectrum_figure(const FieldReport& listed, const FieldTaskSettings& settings) {
  const FieldResult& r = listed.result;
  const std::string unit = r.variables[0].unit.label();
  Figure figure;
  figure.title = stem_of(listed) + ": " + std::to_string(r.points.size()) + " points";
  figure.caption = caption(listed, settings) + "; level: RMS; numbers: peaks of the table";
  Panel spectrum;
  spectrum.title = "mean over all points, and the greatest of any point";
  spectrum.x = frequency_axis(r, settings);
  spectrum.y = {level_name(listed), unit, true, {}, {}};
  const auto curve_of = [&](const std::vector<double>& power, const char* name, int colour) {
    Curve curve;
    curve.name = name, curve.colour = colour;
    for (std::size_t k = 1; k < power.size(); ++k)
      curve.x.push_back(r.frequency_hz(k)), curve.y.push_back(std::sqrt(power[k]));
    return thinned(std::move(curve), 4000, false);
  };
  const std::vector<double> mean = r.mean_power();
  spectrum.curves = {curve_of(r.max_power(), "greatest", neutral_colour), curve_of(mean, "mean", 0)};
  for (std::size_t i = 0; i < r.shapes.size(); ++i) {
    const auto bin = static_cast<std::size_t>(
        std::clamp(r.shapes[i].hz / r.plan.bin_hz() + 0.5, 0.0, static_cast<double>(mean.size() - 1)));
    spectrum.marks.push_back({r.shapes[i].hz, std::sqrt(mean[bin]), std::to_string(i + 1)});
  }
  figure.panels.push_back(std::move(spectrum));
  if (!r.plan.kept_points.empty()) {
    Panel single;
    single.title = "single points";
    single.x = frequency_axis(r, settings);
    single.y = {level_name(listed), unit, true, {}, {}};
    for (std::size_t i = 0; i < r.sums.kept.size(); ++i) {
      Curve curve;
      curve.name = "point " + std::to_string(r.points[r.plan.kept_points[i]].label);
      curve.colour = static_cast<int>(i);
      for (std::size_t k = 1; k < r.plan.bins(); ++k) {
        double sum = 0;
        for (const auto& variable : r.sums.kept[i])
          if (!variable.empty()) sum += std::norm(variable[k]) / 2;
        curve.x.push_back(r.frequency_hz(k)), curve.y.push_back(std::sqrt(sum));
      }
      single.curves.push_back(thinned(std::move(curve), 4000, false));
    }
    figure.panels.push_back(std::move(single));
  }
  Panel time;
  time.title =
      r.decays
          ? fmt::format("RMS over all points against time: at the end {} of what it was in the first tenth",
                        format_number(100 * r.left, 2) + "%")
          : "RMS over all points against time";
  time.x = {"Time", "s", false, {}, {}};
  time.y = {level_name(listed), listed.recording.variables[0].unit.label(), true, {}, {}};
  Curve level;
  for (std::size_t n = 0; n < r.plan.frames.size(); ++n) {
    double sum = 0;
    for (std::size_t v = 0; v < r.variables.size(); ++v)
      if (r.variables[v].unit.text() == r.variables[0].unit.text()) sum += r.sums.mean_square_in_time[v][n];
    level.x.push_back(listed.recording.axis.start +
                      static_cast<double>(r.plan.frames[n]) * listed.recording.axis.interval);
    level.y.push_back(std::sqrt(sum));
  }
  time.curves.push_back(thinned(std::move(level), 4000, false));
  figure.panels.push_back(std::move(time));
  return figure;
}

Figure field_maps_figure(const FieldReport& listed, const FieldTaskSettings& settings) {
  const FieldResult& r = listed.result;
  Figure figure;
  figure.title = stem_of(listed) + ": maps";
  std::vector<std::string> against;
  for (const FieldShape& s : r.shapes) {
    const std::string label = fmt::format("{}", r.points[s.phase_point].label);
    if (std::find(against.begin(), against.end(), label) == against.end()) against.push_back(label);
  }
  figure.caption =
      caption(listed, settings) +
      fmt::format("; phases against point{} {}; white rings: where a standing shape does not move",
                  against.size() > 1 ? "s" : "", fmt::join(against, ", "));
  figure.columns = 2;
  for (std::size_t i = 0; i < std::min<std::size_t>(4, r.shapes.size()); ++i) {
    const FieldShape& s = r.shapes[i];
    std::vector<double> size, phase;
    std::size_t main = 0;
    for (std::size_t v = 1; v < s.amplitude.size(); ++v)
      if (std::abs(s.amplitude[v][s.max_point]) > std::abs(s.amplitude[main][s.max_point])) main = v;
    for (std::size_t p = 0; p < r.points.size(); ++p) {
      size.push_back(FieldResult::size_at(s, p));
      // From -90 to 270: what moves in step or against it lies far from the ends, where colours jump.
      const double deg = std::arg(s.amplitude[main][p]) * degrees;
      phase.push_back(deg < -90 ? deg + 360 : deg);
    }
    ColourMap amplitude = map_of(listed, db_where(size, settings.logarithmic, s.max_level));
    amplitude.quantity = "Amplitude",
    amplitude.unit = settings.logarithmic
                         ? "dB re " + format_quantity(s.max_level, r.variables[0].unit.label(), 3)
                         : r.variables[0].unit.label();
    amplitude.low = settings.logarithmic ? -60 : 0, amplitude.high = settings.logarithmic ? 0 : s.max_level;
    if (settings.levels) amplitude.low = settings.levels->first, amplitude.high = settings.levels->second;
    step(amplitude, settings.colours);
    Panel panel = map_panel(listed, std::move(amplitude), shape_title(listed, i) + ", amplitude");
    const Plane plane = plane_of(r.points);
    Curve nodes;
    for (const Node& n : nodal_places(r.points, s, main))
      nodes.x.push_back(plane.u(n)), nodes.y.push_back(plane.v(n));
    nodes.points = Curve::Points::rings, nodes.colour = paper_colour;
    if (!nodes.x.empty()) panel.curves.push_back(std::move(nodes));
    Mark top{plane.u(r.points[s.max_point]), plane.v(r.points[s.max_point]),
             std::to_string(r.points[s.max_point].label)};
    panel.marks.push_back(top);
    figure.panels.push_back(std::move(panel));
    ColourMap turned = map_of(listed, phase);
    turned.quantity = "Phase", turned.unit = "deg", turned.low = -90, turned.high = 270;
    step(turned, settings.colours);
    figure.panels.push_back(
        map_panel(listed, std::move(turned),
                  shape_title(listed, i) +
                      (r.variables.size() > 1 ? ", phase of " + r.variables[main].name : ", phase") +
                      (s.standing() ? " (standing)" : " (travelling or mixed)")));
  }
  std::vector<double> top, hz;
  for (std::size_t p = 0; p < r.points.size(); ++p) {
    std::size_t best = 0;
    for (std::size_t v = 1; v < r.variables.size(); ++v)
      if (r.sums.top_power[v][p] > r.sums.top_power[best][p]) best = v;
    top.push_back(std::sqrt(r.sums.top_power[best][p]));
    hz.push_back(r.sums.top_hz[best][p]);
  }
  double most = 0, least_hz = 1e300, most_hz = 0;
  for (std::size_t p = 0; p < top.size(); ++p) {
    if (std::isnan(top[p])) continue;
    most = std::max(most, top[p]), least_hz = std::min(least_hz, hz[p]), most_hz = std::max(most_hz, hz[p]);
  }
  ColourMap greatest = map_of(listed, db_where(top, settings.logarithmic, most));
  greatest.quantity = "RMS",
  greatest.unit = settings.logarithmic ? "dB re " + format_quantity(most, r.variables[0].unit.label(), 3)
                                       : r.variables[0].unit.label();
  greatest.low = settings.logarithmic ? -60 : 0, greatest.high = settings.logarithmic ? 0 : most;
  step(greatest, settings.colours);
  figure.panels.push_back(map_panel(listed, std::move(greatest), "each point's highest bin"));
  ColourMap where = map_of(listed, hz);
  where.quantity = "Frequency", where.unit = "Hz";
  where.low = least_hz, where.high = std::max(most_hz, least_hz + r.plan.bin_hz());
  figure.panels.push_back(map_panel(listed, std::move(where), "frequency at which it lies"));
  add_differences(listed, figure);
  figure.panel_height = 370;
  return figure;
}

Figure field_shape_figure(const FieldReport& listed, std::size_t i, double instant,
                          const FieldTaskSettings& settings) {
  const FieldResult& r = listed.result;
  const FieldShape& s = r.shapes[i];
  const Plane plane = plane_of(r.points);
  Figure figure;
  figure.title = stem_of(listed) + ": deflection shape " + shape_title(listed, i);
  figure.caption = fmt::format(
      "greatest amplitude {} at point {}; {}", format_quantity(s.max_level, r.variables[0].unit.label(), 4),
      r.points[s.max_point].label,
      s.standing() ? "a standing shape"
                   : "points pass their greatest deflection one after the other: no standing shape");
  Mesh mesh;
  double wide = 0;
  std::array<double, 2> low{1e300, 1e300}, high{-1e300, -1e300};
  double out_low = 1e300, out_high = -1e300;
  for (const Node& n : r.points) {
    low[0] = std::min(low[0], plane.u(n)), high[0] = std::max(high[0], plane.u(n));
    low[1] = std::min(low[1], plane.v(n)), high[1] = std::max(high[1], plane.v(n));
    out_low = std::min(out_low, Plane::coordinate(n, plane.out)),
    out_high = std::max(out_high, Plane::coordinate(n, plane.out));
  }
  wide = std::max(high[0] - low[0], high[1] - low[1]);
  const double reach = (settings.exaggeration > 0 ? settings.exaggeration : 0.15) * wide;
  const double scale = s.max_level > 0 ? reach / s.max_level : 0;
  const std::complex<double> turn = std::polar(1.0, 2 * std::numbers::pi * instant);
  // Three variables move along x, y, z; one moves out of the plane.
  const bool whole = r.variables.size() == 3;
  for (std::size_t p = 0; p < r.points.size(); ++p) {
    const Node& n = r.points[p];
    Mesh::Place rest{plane.u(n), plane.v(n), Plane::coordinate(n, plane.out)}, moved = rest;
    std::array<double, 3> by{};
    double value = 0;
    bool known = true;
    for (std::size_t v = 0; v < r.variables.size(); ++v) {
      const double d = (s.amplitude[v][p] * turn).real();
      if (std::isnan(d))
        known = false;
      else if (whole)
        by[v] = d;
      else if (v == 0)
        by[plane.out] = d;
    }
    if (known) {
      moved.x += scale * by[plane.across], moved.y += scale * by[plane.up], moved.z += scale * by[plane.out];
      value = whole ? std::copysign(std::sqrt(by[0] * by[0] + by[1] * by[1] + by[2] * by[2]), by[plane.out])
                    : by[plane.out];
    }
    mesh.rest.push_back(rest), mesh.moved.push_back(moved), mesh.value.push_back(value);
  }
  mesh.lines = joined_points(r.points);
  mesh.z = {fmt::format("{} (deflection x {})", Plane::name(plane.out), format_number(scale, 3)), "m", false,
            out_low - 1.15 * reach, out_high + 1.15 * reach};
  mesh.value_axis = {level_name(listed), r.variables[0].unit.label(), false, -s.max_level, s.max_level};
  Panel panel;
  panel.title = fmt::format("at {:.0f} degrees of the period", 360 * instant);
  panel.x = {Plane::name(plane.across), "m", false, low[0], high[0]};
  panel.y = {Plane::name(plane.up), "m", false, low[1], high[1]};
  panel.mesh = std::move(mesh);
  figure.panels.push_back(std::move(panel));
  figure.panel_height = 740;
  if (settings.animate) figure.width = 900, figure.panel_height = 540;
  return figure;
}

Figure field_lines_figure(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  Figure figure;
  figure.title = stem_of(listed) + ": shapes along lines";
  figure.caption = "amplitude and phase of the first variable against the distance along the line";
  for (const PointLine& line : listed.lines) {
    Panel size, phase;
    size.title = fmt::format("point {} to point {}", r.points[line.points.front()].label,
                             r.points[line.points.back()].label);
    size.x = phase.x = {"Distance", "m", false, {}, {}};
    size.y = {"Amplitude", r.variables[0].unit.label(), false, 0, {}};
    phase.y = {"Phase", "deg", false, -180, 180};
    for (std::size_t i = 0; i < r.shapes.size(); ++i) {
      Curve a, p;
      a.name = shape_title(listed, i);
      a.colour = p.colour = static_cast<int>(i);
      for (std::size_t n = 0; n < line.points.size(); ++n) {
        const std::complex<double> v = r.shapes[i].amplitude[0][line.points[n]];
        a.x.push_back(line.along[n]), a.y.push_back(std::abs(v));
        p.x.push_back(line.along[n]), p.y.push_back(std::arg(v) * degrees);
      }
      size.curves.push_back(std::move(a)), phase.curves.push_back(std::move(p));
    }
    figure.panels.push_back(std::move(size));
    figure.panels.push_back(std::move(phase));
  }
  return figure;
}

}  // namespace vprism
