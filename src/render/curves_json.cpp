// curves_json.cpp: curves of a panel for the page's script: rows over the x of all of them, with gaps where a
// curve has no point. Bands are triples of low, middle and high.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "render/report.h"

namespace vprism {

namespace {

/// JSON that can stand within a page: no text in it can end its block.
std::string in_page(const Json& json) {
  std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace), out;
  for (const char c : text) {
    if (c == '<')
      out += "\\u003c";
    else if (c == '>')
      out += "\\u003e";
    else if (c == '&')
      out += "\\u0026";
    else
      out += c;
  }
  return out;
}

/// "-" is a gap: the line breaks off there. (null is no point of the curve at all.)
std::string row_number(double value) { return std::isfinite(value) ? fmt::format("{:.7g}", value) : "\"-\""; }

/// Bars as the line around each, from the axis up and down again, with a gap behind it.
Curve outlined(const Curve& bars, bool logarithmic) {
  Curve out = bars;
  out.x.clear(), out.y.clear(), out.right.clear();
  double base = 0;
  if (logarithmic)
    for (const double y : bars.y)
      if (y > 0) base = base > 0 ? std::min(base, y / 10) : y / 10;
  for (std::size_t i = 0; i < bars.x.size(); ++i) {
    const double middle = bars.y[i], from = bars.x[i], to = bars.right[i];
    out.x.insert(out.x.end(), {from, from, to, to, to});
    out.y.insert(out.y.end(), {base, middle, middle, base, std::nan("")});
  }
  return out;
}

Json axis_json(const FigureAxis& axis, bool may_log) {
  return {{"name", axis.quantity},
          {"unit", {{"name", axis.unit}, {"prefix", takes_prefix(axis.unit)}}},
          {"log", axis.logarithmic},
          {"may_log", may_log},
          {"low", axis.low ? number(*axis.low) : Json(nullptr)},
          {"high", axis.high ? number(*axis.high) : Json(nullptr)}};
}

/// A band with fewer points: each stretch's lowest and highest.
Curve thinner_band(const Curve& band, std::size_t count) {
  if (band.x.size() <= count) return band;
  Curve out = band;
  out.x.clear(), out.y.clear(), out.high.clear();
  const std::size_t step = (band.x.size() + count - 1) / count;
  for (std::size_t i = 0; i < band.x.size(); i += step) {
    const std::size_t end = std::min(band.x.size(), i + step);
    double low = band.y[i], high = band.high[i];
    for (std::size_t k = i; k < end; ++k) low = std::min(low, band.y[k]), high = std::max(high, band.high[k]);
    out.x.push_back(band.x[i]), out.y.push_back(low), out.high.push_back(high);
  }
  return out;
}

}  // namespace

std::string curves_json(const Panel& panel, std::size_t points) {
  if (panel.map || panel.relief || panel.mesh || panel.square) return "";
  std::vector<Curve> curves;
  for (const Curve& c : panel.curves) {
    if (c.x.empty() || c.colour == paper_colour) continue;
    curves.push_back(!c.right.empty() ? outlined(c, panel.y.logarithmic)
                     : c.high.empty() ? thinned(c, points, panel.x.logarithmic)
                                      : thinner_band(c, points));
  }
  if (curves.empty()) return "";
  bool banded = false, x_positive = true, y_positive = true;
  Json names = Json::array();
  // Rows by x; where a curve comes back to the same x, as the sticks of lines do, the next row of that x.
  using Place = std::pair<double, int>;
  std::map<Place, std::size_t> rows;
  std::vector<std::vector<Place>> places(curves.size());
  for (std::size_t n = 0; n < curves.size(); ++n) {
    const Curve& c = curves[n];
    banded = banded || !c.high.empty();
    for (const double v : c.y) y_positive = y_positive && !(v < 0);
    for (std::size_t i = 0; i < c.x.size(); ++i) {
      places[n].emplace_back(c.x[i], i > 0 && c.x[i] == c.x[i - 1] ? places[n].back().second + 1 : 0);
      if (std::isfinite(c.x[i])) rows[places[n].back()];
    }
    names.push_back({{"name", clean_text(c.name)},
                     {"colour", colour_of(c)},
                     {"band", !c.high.empty()},
                     {"points", c.points != Curve::Points::none},
                     {"steps", !c.right.empty()},
                     {"faint", c.shade || c.colour == neutral_colour}});
  }
  if (rows.empty()) return "";
  x_positive = rows.rbegin()->first.first > 0 && rows.begin()->first.first >= 0;
  // Decibels are logarithms already.
  const bool decibels = panel.y.unit.find("dB") != std::string::npos;
  Json head = {{"title", clean_text(panel.title)},
               {"x", axis_json(panel.x, x_positive)},
               {"y", axis_json(panel.y, y_positive && !decibels)},
               {"curves", std::move(names)},
               {"bands", banded},
               {"marks", Json::array()},
               {"verticals", Json::array()}};
  for (const Mark& m : panel.marks) head["marks"].push_back({number(m.x), number(m.y), clean_text(m.label)});
  for (const double v : panel.verticals) head["verticals"].push_back(number(v));

  const std::size_t width = curves.size();
  std::size_t count = 0;
  for (auto& [place, row] : rows) row = count++;
  std::vector<std::string> cells(rows.size() * width, "null");
  for (std::size_t c = 0; c < width; ++c)
    for (std::size_t i = 0; i < curves[c].x.size(); ++i) {
      if (!std::isfinite(curves[c].x[i])) continue;
      double low = curves[c].y[i], high = curves[c].high.empty() ? low : curves[c].high[i];
      // What a logarithmic axis can't show.
      if (panel.y.logarithmic && !(low > 0)) low = high > 0 ? high : std::nan("");
      if (panel.y.logarithmic && !(high > 0)) high = std::nan("");
      cells[rows[places[c][i]] * width + c] =
          banded ? "[" + row_number(low) + "," + row_number((low + high) / 2) + "," + row_number(high) + "]"
                 : row_number(low);
    }
  if (banded)
    for (std::string& cell : cells)
      if (cell == "null") cell = "[null,null,null]";
  std::string out = in_page(head);
  out.back() = ',';
  out += "\"rows\":[";
  bool first = true;
  for (const auto& [place, row] : rows) {
    if (panel.x.logarithmic && !(place.first > 0)) continue;
    out += first ? "[" : ",[";
    first = false;
    out += fmt::format("{:.9g}", place.first);
    for (std::size_t c = 0; c < width; ++c) out += "," + cells[row * width + c];
    out += "]";
  }
  return out + "]}";
}

}  // namespace vprism
