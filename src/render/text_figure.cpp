// text_figure.cpp: see text_figure.h. A character of braille (Unicode U+2800 and up) is two dots wide and
// four high.
#include "render/text_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "base/text.h"

namespace vprism {

namespace {

/// Of the 216 colours of a terminal's cube, nearest to those of lines (figure.h).
constexpr int line_tones[] = {32, 166, 36, 175, 214, 74, 245};
constexpr int grey = 245;

/// From dark to bright, as maps are drawn: black, violet, red, orange, pale yellow.
constexpr int map_tones[] = {16, 17, 54, 90, 126, 161, 167, 203, 209, 215, 222, 229};
constexpr const char* shades[] = {" ", "\u2591", "\u2592", "\u2593", "\u2588"};

std::string in_tone(const std::string& text, int tone, bool colours) {
  return colours && tone >= 0 ? fmt::format("\033[38;5;{}m{}\033[0m", tone, text) : text;
}

/// From values to a place of 0 to 1 along an axis.
class Scale {
 public:
  Scale(const FigureAxis& axis, double low, double high) : logarithmic_(axis.logarithmic) {
    low_ = axis.low.value_or(low), high_ = axis.high.value_or(high);
    if (logarithmic_ && !(low_ > 0)) low_ = high_ > 0 ? high_ / 1e6 : 1;
    if (!(high_ > low_)) {
      const double room = low_ == 0 ? 1 : 0.1 * std::abs(low_);
      low_ = logarithmic_ ? low_ / 2 : low_ - room, high_ = logarithmic_ ? high_ * 2 : high_ + room;
    }
    const double largest = std::max(std::abs(low_), std::abs(high_));
    prefix_ = prefix_for(largest, axis.unit);
    unit_ = axis.unit;
  }
  /// NaN where there is no place.
  double place(double value) const {
    if (logarithmic_) return value > 0 ? std::log(value / low_) / std::log(high_ / low_) : std::nan("");
    return (value - low_) / (high_ - low_);
  }
  double value(double place) const {
    return logarithmic_ ? low_ * std::pow(high_ / low_, place) : low_ + place * (high_ - low_);
  }
  /// A number in the axis's prefix.
  std::string label(double place) const { return text_of(value(place)); }
  /// Round numbers and their places: multiples of 1, 2 or 5 times a power of ten, or powers of ten.
  std::vector<std::pair<double, std::string>> ticks(double wanted) const {
    std::vector<std::pair<double, std::string>> out;
    const auto add = [&](double v) {
      const double at = place(v);
      if (at > -1e-9 && at < 1 + 1e-9) out.emplace_back(std::clamp(at, 0.0, 1.0), text_of(v));
    };
    if (logarithmic_ && high_ / low_ > 30) {
      const double decades = std::log10(high_ / low_), each = std::max(1.0, std::round(decades / wanted));
      for (double d = std::ceil(std::log10(low_) / each) * each; d <= std::log10(high_) + 1e-9; d += each)
        add(std::pow(10, d));
      return out;
    }
    const double rough = (high_ - low_) / wanted, power = std::pow(10, std::floor(std::log10(rough)));
    const double step = rough / power > 5   ? 10 * power
                        : rough / power > 2 ? 5 * power
                        : rough / power > 1 ? 2 * power
                                            : power;
    const double first = std::ceil(low_ / step - 1e-9);
    for (int k = 0; k < 50 && (first + k) * step <= high_ + 1e-9 * step; ++k) add((first + k) * step);
    return out;
  }
  std::string unit() const { return prefix_.symbol + unit_; }

 private:
  std::string text_of(double v) const {
    return std::abs(v) < 1e-9 * (high_ - low_) && !logarithmic_ ? "0" : format_number(v / prefix_.factor, 6);
  }
  double low_ = 0, high_ = 1;
  bool logarithmic_ = false;
  Prefix prefix_;
  std::string unit_;
};

class Dots {
 public:
  Dots(std::size_t columns, std::size_t rows)
      : columns_(columns), rows_(rows), cells_(columns * rows), tones_(columns * rows, -1) {}
  std::size_t width() const { return 2 * columns_; }
  std::size_t height() const { return 4 * rows_; }
  /// From the left and from below.
  void set(long x, long y, int tone) {
    if (x < 0 || y < 0 || x >= static_cast<long>(width()) || y >= static_cast<long>(height())) return;
    const auto down = height() - 1 - static_cast<std::size_t>(y), across = static_cast<std::size_t>(x);
    static constexpr std::array<std::array<unsigned, 2>, 4> bits = {
        {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}}};
    const std::size_t cell = down / 4 * columns_ + across / 2;
    cells_[cell] |= bits[down % 4][across % 2];
    tones_[cell] = tone;
  }
  /// What lies beside the dots is cut off first, so that a long line is not walked through dot by dot.
  void line(double x0, double y0, double x1, double y1, int tone) {
    if (x1 < x0) std::swap(x0, x1), std::swap(y0, y1);
    const double end = static_cast<double>(width()), rise = x1 > x0 ? (y1 - y0) / (x1 - x0) : 0;
    if (x1 < -1 || x0 > end) return;
    if (x0 < -1) y0 += rise * (-1 - x0), x0 = -1;
    if (x1 > end) y1 += rise * (end - x1), x1 = end;
    const double steps = std::max({1.0, std::ceil(x1 - x0), std::ceil(std::abs(y1 - y0))});
    for (double i = 0; i <= steps; ++i)
      set(std::lround(x0 + (x1 - x0) * i / steps), std::lround(y0 + (y1 - y0) * i / steps), tone);
  }
  std::string row(std::size_t r, bool colours) const {
    std::string out;
    for (std::size_t c = 0; c < columns_; ++c) {
      const unsigned dots = cells_[r * columns_ + c];
      if (dots == 0) {
        out += ' ';
        continue;
      }
      // U+2800 + dots, in UTF-8.
      const std::string one = {static_cast<char>(0xE2), static_cast<char>(0xA0 | (dots >> 6U)),
                               static_cast<char>(0x80 | (dots & 0x3FU))};
      out += in_tone(one, tones_[r * columns_ + c], colours);
    }
    return out;
  }

 private:
  std::size_t columns_, rows_;
  std::vector<unsigned> cells_;
  std::vector<int> tones_;
};

int tone_of(const Curve& curve) {
  return curve.colour < 0 ? grey : line_tones[static_cast<std::size_t>(curve.colour) % std::size(line_tones)];
}

void widen(const std::vector<double>& values, bool logarithmic, double& low, double& high) {
  for (const double v : values) {
    if (!std::isfinite(v) || (logarithmic && !(v > 0))) continue;
    low = std::min(low, v), high = std::max(high, v);
  }
}

void draw_curve(const Curve& curve, const Scale& x, const Scale& y, Dots& dots) {
  const auto across = static_cast<double>(dots.width() - 1), up = static_cast<double>(dots.height() - 1);
  const int tone = tone_of(curve);
  double last_x = std::nan(""), last_y = last_x;
  for (std::size_t i = 0; i < std::min(curve.x.size(), curve.y.size()); ++i) {
    const double px = across * x.place(curve.x[i]);
    double py = up * y.place(curve.y[i]);
    if (std::isnan(py) && curve.y[i] <= 0) py = -1;  // Below a logarithmic axis.
    if (!std::isfinite(px) || !std::isfinite(py)) {
      last_x = std::nan("");
      continue;
    }
    py = std::clamp(py, -2.0, up + 2);
    if (!curve.high.empty()) {
      const double top = std::clamp(up * y.place(curve.high[i]), -2.0, up + 2);
      if (std::isfinite(top)) dots.line(px, py, px, top, tone);
    } else if (!curve.right.empty()) {
      const double to = across * x.place(curve.right[i]);
      for (double at = std::max(px, 0.0); at <= std::min(to, across); ++at) dots.line(at, 0, at, py, tone);
    } else if (curve.points != Curve::Points::none) {
      dots.set(std::lround(px), std::lround(py), tone);
    } else if (std::isfinite(last_x)) {
      dots.line(last_x, last_y, px, py, tone);
    } else {
      dots.set(std::lround(px), std::lround(py), tone);
    }
    last_x = px, last_y = py;
  }
}

/// The numbers of marks, over the dots.
void put_marks(const Panel& panel, const Scale& x, const Scale& y, std::size_t columns,
               std::vector<std::vector<std::string>>& over) {
  for (const Mark& mark : panel.marks) {
    const double px = x.place(mark.x), py = y.place(mark.y);
    if (!(px >= 0 && px <= 1) || !std::isfinite(py)) continue;
    const auto rows = static_cast<double>(over.size());
    const auto row = static_cast<std::size_t>(std::clamp((1 - py) * rows - 1, 0.0, rows - 1));
    auto at = static_cast<std::size_t>(px * static_cast<double>(columns - 1));
    at = std::min(at, columns - std::min(columns, mark.label.size()));
    bool free = true;
    for (std::size_t i = 0; i < mark.label.size() && at + i < columns; ++i)
      free = free && over[row][at + i].empty();
    for (std::size_t i = 0; free && i < mark.label.size() && at + i < columns; ++i)
      over[row][at + i] = mark.label.substr(i, 1);
  }
}

std::vector<std::string> map_rows(const ColourMap& map, std::size_t columns, std::size_t rows, bool colours,
                                  Scale& levels) {
  double low = INFINITY, high = -INFINITY;
  for (const float v : map.values)
    if (std::isfinite(v) && (!map.logarithmic || v > 0))
      low = std::min<double>(low, v), high = std::max<double>(high, v);
  if (map.logarithmic && high > 0) low = std::max(low, high / 1e5);
  levels = Scale({map.quantity, map.unit, map.logarithmic, map.low, map.high}, low, high);
  // The highest value of each place: short events are not to vanish.
  const auto place = [&](std::size_t c, std::size_t r, std::size_t of) {
    const std::size_t c0 = c * map.columns / columns, c1 = std::max(c0 + 1, (c + 1) * map.columns / columns);
    const std::size_t r0 = r * map.rows / of, r1 = std::max(r0 + 1, (r + 1) * map.rows / of);
    float top = -INFINITY;
    for (std::size_t i = r0; i < std::min(r1, map.rows); ++i)
      for (std::size_t k = c0; k < std::min(c1, map.columns); ++k)
        if (std::isfinite(map.values[i * map.columns + k]))
          top = std::max(top, map.values[i * map.columns + k]);
    const double at = levels.place(top);
    return std::isfinite(at) ? std::clamp(at, 0.0, 1.0) : 0.0;
  };
  const auto tone = [&](std::size_t c, std::size_t r, std::size_t of) {
    return map_tones[static_cast<std::size_t>(place(c, r, of) * (std::size(map_tones) - 1) + 0.5)];
  };
  std::vector<std::string> out;
  for (std::size_t r = rows; r-- > 0;) {
    std::string line, before;
    for (std::size_t c = 0; c < columns; ++c) {
      if (!colours) {
        line += shades[static_cast<std::size_t>(place(c, r, rows) * (std::size(shades) - 1) + 0.5)];
        continue;
      }
      // The upper half in one colour, the lower one in another.
      const std::string tones =
          fmt::format("\033[38;5;{};48;5;{}m", tone(c, 2 * r + 1, 2 * rows), tone(c, 2 * r, 2 * rows));
      line += (tones == before ? "" : tones) + "\u2580";
      before = tones;
    }
    out.push_back(line + (colours ? "\033[0m" : ""));
  }
  return out;
}

std::string axis_text(const FigureAxis& axis, const Scale& scale) {
  const std::string unit = scale.unit();
  return clean_text(axis.quantity) + (unit.empty() || unit == "1" ? "" : " (" + unit + ")");
}

/// Numbers under the panel: at its ends and between, with room around each.
std::string x_labels(const Scale& x, std::size_t columns) {
  std::string line(columns, ' ');
  std::size_t free = 0;
  for (const auto& [at, label] : x.ticks(6)) {
    const auto middle = static_cast<std::size_t>(at * static_cast<double>(columns - 1));
    const std::size_t half = label.size() / 2;
    std::size_t from = middle > half ? middle - half : 0;
    if (label.size() > columns) return "";
    from = std::min(from, columns - label.size());
    if (from < free) continue;
    line.replace(from, label.size(), label);
    free = from + label.size() + 2;
  }
  line.erase(line.find_last_not_of(' ') + 1);
  return line;
}

std::string text_panel(const Panel& panel, std::size_t width, std::size_t rows, bool colours) {
  if (panel.mesh)
    return clean_text(panel.title) + ": a shape in 3-D, which text can't show; ask for --figure png\n";
  Panel flat = panel;
  if (panel.relief) {  // From above.
    const Relief& relief = *panel.relief;
    ColourMap map;
    map.columns = relief.x.size(), map.rows = relief.y.size();
    map.values.assign(relief.values.begin(), relief.values.end());
    map.quantity = relief.z.quantity, map.unit = relief.z.unit, map.logarithmic = relief.z.logarithmic;
    map.low = relief.z.low, map.high = relief.z.high;
    if (!relief.x.empty() && !relief.y.empty())
      map.x_low = relief.x.front(), map.x_high = relief.x.back(), map.y_low = relief.y.front(),
      map.y_high = relief.y.back();
    flat.map = map;
  }
  double x_low = INFINITY, x_high = -INFINITY, y_low = INFINITY, y_high = -INFINITY;
  for (const Curve& curve : flat.curves) {
    widen(curve.x, flat.x.logarithmic, x_low, x_high), widen(curve.right, flat.x.logarithmic, x_low, x_high);
    widen(curve.y, flat.y.logarithmic, y_low, y_high), widen(curve.high, flat.y.logarithmic, y_low, y_high);
  }
  if (flat.map) {
    x_low = flat.map->x_low, x_high = flat.map->x_high;
    y_low = flat.map->y_low, y_high = flat.map->y_high;
  }
  if (!(x_high >= x_low) || !(y_high >= y_low)) return clean_text(flat.title) + ": nothing to draw\n";
  const Scale x(flat.x, x_low, x_high), y(flat.y, y_low, y_high);
  std::vector<std::string> labels(rows);
  std::size_t margin = 1;
  for (const auto& [at, label] : y.ticks(static_cast<double>(rows) / 4)) {
    labels[static_cast<std::size_t>(std::lround((1 - at) * static_cast<double>(rows - 1)))] = label;
    margin = std::max(margin, display_width(label));
  }
  const std::size_t columns = width > margin + 12 ? width - margin - 2 : 10;
  std::vector<std::string> lines;
  Scale levels({}, 0, 1);
  if (flat.map) {
    lines = map_rows(*flat.map, columns, rows, colours, levels);
  } else {
    Dots dots(columns, rows);
    for (const double at : flat.verticals) {
      const double place = x.place(at);
      if (!(place >= 0 && place <= 1)) continue;
      const auto across = std::lround(static_cast<double>(dots.width() - 1) * place);
      for (std::size_t up = 0; up < dots.height(); up += 3) dots.set(across, static_cast<long>(up), grey);
    }
    for (const Curve& curve : flat.curves)
      if (!curve.shade) draw_curve(curve, x, y, dots);
    std::vector<std::vector<std::string>> over(rows, std::vector<std::string>(columns));
    put_marks(flat, x, y, columns, over);
    for (std::size_t r = 0; r < rows; ++r) {
      const std::string drawn = dots.row(r, colours);
      // Marks stand in the place of what is drawn there; colours make cells longer than they look.
      std::string line;
      std::size_t at = 0;
      for (std::size_t c = 0; c < columns; ++c) {
        const std::size_t from = at;
        if (drawn[at] == '\033') {
          at = drawn.find('m', at) + 1;
          at += 3;
          at = drawn.find('m', at) + 1;
        } else {
          at += static_cast<unsigned char>(drawn[at]) < 0x80 ? 1 : 3;
        }
        line += over[r][c].empty() ? drawn.substr(from, at - from) : over[r][c];
      }
      lines.push_back(line);
    }
  }
  std::string out = (flat.title.empty() ? "" : clean_text(flat.title) + "\n") + axis_text(flat.y, y) + "\n";
  for (std::size_t r = 0; r < rows; ++r) {
    out += std::string(margin - display_width(labels[r]), ' ') + labels[r] +
           (labels[r].empty() ? "\u2502" : "\u2524") + lines[r] + "\n";
  }
  out += std::string(margin, ' ') + "\u2514";
  for (std::size_t c = 0; c < columns; ++c) out += "\u2500";
  out += "\n" + std::string(margin + 1, ' ') + x_labels(x, columns) + "\n";
  const std::string name = axis_text(flat.x, x);
  out += std::string(margin + 1 + (columns > display_width(name) ? (columns - display_width(name)) / 2 : 0),
                     ' ') +
         name + "\n";
  if (flat.map) {
    out += "  ";
    constexpr int cells = 12;
    for (int i = 0; i < cells; ++i) {
      const double at = static_cast<double>(i) / (cells - 1);
      out += colours ? fmt::format("\033[48;5;{}m  ",
                                   map_tones[static_cast<std::size_t>(at * (std::size(map_tones) - 1) + 0.5)])
                     : std::string(shades[static_cast<std::size_t>(at * (std::size(shades) - 1) + 0.5)]);
    }
    out += std::string(colours ? "\033[0m" : "") + " " + clean_text(flat.map->quantity) + " " +
           levels.label(0) + " to " + levels.label(1) + " " + levels.unit() + "\n";
  } else if (flat.curves.size() > 1) {
    std::string legend;
    for (const Curve& curve : flat.curves)
      if (!curve.name.empty() && !curve.shade)
        legend += (legend.empty() ? "  " : "   ") + in_tone("\u2501\u2501", tone_of(curve), colours) + " " +
                  clean_text(curve.name);
    if (!legend.empty()) out += legend + "\n";
  }
  return out;
}

}  // namespace

std::string text_figure(const Figure& figure, std::size_t columns, bool colours, std::size_t rows) {
  columns = std::clamp<std::size_t>(columns, 40, 200);
  std::string out = figure.title.empty() ? "" : clean_text(figure.title) + "\n";
  constexpr std::size_t most_panels = 8;
  const std::size_t shown = std::min(figure.panels.size(), most_panels);
  if (rows == 0) rows = shown <= 1 ? 18 : shown <= 3 ? 12 : 8;
  for (std::size_t p = 0; p < shown; ++p)
    out += (out.empty() ? "" : "\n") + text_panel(figure.panels[p], columns, rows, colours);
  if (shown < figure.panels.size() + figure.beyond)
    out += fmt::format("\nand {} panels more, which --figure png draws\n",
                       figure.panels.size() + figure.beyond - shown);
  return out;
}

}  // namespace vprism
