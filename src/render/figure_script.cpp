// figure_script.cpp: a figure as gnuplot's commands, data among them.
//
// Every text goes into a single-quoted string, in which gnuplot substitutes nothing (no backquotes, no
// macros), with ' doubled and control characters gone, and is drawn with enhanced markup off. No file name
// appears in the script.
#include "render/figure_script.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/text.h"
#include "render/figure_style.h"
#include "render/panel_script.h"

namespace vprism {

namespace {

/// From where to where a panel's curves reach.
std::pair<double, double> reach_of(const Panel& panel) {
  double low = 1e300, high = -1e300;
  for (const Curve& curve : panel.curves)
    for (const double x : curve.x)
      if (std::isfinite(x)) low = std::min(low, x), high = std::max(high, x);
  return {panel.x.low.value_or(low), panel.x.high.value_or(high)};
}

/// Whether one name below the other says it for both: the same quantity over the same stretch.
bool same_axis(const Panel& a, const Panel& b) {
  if (a.x.quantity != b.x.quantity || a.x.unit != b.x.unit) return false;
  const auto [low, high] = reach_of(a);
  const auto [other_low, other_high] = reach_of(b);
  const bool drawn = low < high && other_low < other_high;
  const double slack = 0.02 * (high - low);
  return !drawn || (std::abs(low - other_low) <= slack && std::abs(high - other_high) <= slack);
}

/// A figure in the size that the style wants; its panels share the height.
Figure styled(Figure figure) {
  const FigureStyle& style = figure_style();
  const int rows = (std::max<int>(1, static_cast<int>(figure.panels.size())) + figure.columns - 1) /
                   std::max(1, figure.columns);
  if (style.width_px > 0) {
    // As high as it was for its width, but for text, which does not shrink with it.
    if (figure.panel_height == 0 && style.height_px == 0)
      figure.panel_height =
          std::max(200, static_cast<int>(std::max(260, 740 / rows) * style.width_px / figure.width));
    figure.width = static_cast<int>(style.width_px);
    // Beside a narrow panel there is no room for what its marks say.
    if (figure.width < 800)
      for (Panel& panel : figure.panels) panel.listing.clear();
  }
  if (style.height_px > 0)
    figure.panel_height = std::max(150, static_cast<int>((style.height_px - 60) / rows));
  return figure;
}

/// The terminal of a kind for a page of so many pixels.
std::string terminal(const char* name, double width, double height, const char* size_of_font) {
  const FigureStyle& style = figure_style();
  const bool png = std::string(name) == "pngcairo", pdf = std::string(name) == "pdfcairo";
  const double scale = png ? style.dpi / pixels_per_inch : 1, fonts = scale * style.font_scale,
               lines = scale * style.line_scale;
  std::string out = fmt::format("set terminal {} noenhanced size ", name);
  out += pdf ? fmt::format("{:.2f}in,{:.2f}in", width / pixels_per_inch, height / pixels_per_inch)
             : fmt::format("{},{}", std::lround(width * scale), std::lround(height * scale));
  out += " font '" + style.font + "," + size_of_font + "'";
  if (fonts != 1) out += fmt::format(" fontscale {}", fonts);
  if (lines != 1) out += fmt::format(" linewidth {}", lines);
  return out + (pdf ? "\n" : " background rgb 'white'\n");
}

/// A caption in lines that the picture has room for.
std::vector<std::string> caption_lines(const Figure& figure) {
  const auto most = static_cast<std::size_t>(figure.width / 7);
  std::vector<std::string> lines(1);
  for (const std::string& word : split(figure.caption, ' ')) {
    if (!lines.back().empty() && lines.back().size() + 1 + word.size() > most) lines.emplace_back();
    lines.back() += (lines.back().empty() ? "" : " ") + word;
  }
  return lines;
}

struct PageSize {
  int rows, columns, foot, height;
};

PageSize size_of(const Figure& figure) {
  const int panels = std::max<int>(1, static_cast<int>(figure.panels.size()));
  const int columns = std::max(1, figure.columns), rows = (panels + columns - 1) / columns;
  const int panel_height = figure.panel_height > 0 ? figure.panel_height : std::max(260, 740 / rows);
  const int foot = 11 + 15 * static_cast<int>(caption_lines(figure).size());
  return {rows, columns, foot, panel_height * rows + 34 + foot};
}

constexpr const char* look =
    "set encoding utf8\nset border 3 linecolor rgb '#333333' linewidth 0.8\nset tics nomirror out scale "
    "0.6 textcolor rgb '#333333'\nset grid linetype 1 linewidth 0.4 linecolor rgb '#dddddd'\nset samples "
    "2\nset style textbox opaque noborder fillcolor rgb 'white' margins 0.4,0.3\n";

/// A figure on a page of its own, the terminal being set.
std::string page_script(const Figure& figure) {
  const auto [rows, columns, foot_pixels, height] = size_of(figure);
  const int panels = std::max<int>(1, static_cast<int>(figure.panels.size()));
  std::string script;
  const double head = 34.0 / height, foot = static_cast<double>(foot_pixels) / height;
  script += fmt::format("set multiplot\nset label 101 {} at screen 0.012,{} left font ',13' noenhanced\n",
                        quoted(figure.title), 1 - head / 2);
  const std::vector<std::string> lines = caption_lines(figure);
  for (std::size_t i = 0; i < lines.size(); ++i)
    script += fmt::format(
        "set label {} {} at screen 0.012,{} left font ',9.5' textcolor rgb '#555555' noenhanced\n", 102 + i,
        quoted(lines[i]), foot - (13.0 + 15.0 * static_cast<double>(i)) / height);
  bool listed = false, mapped = false;
  for (const Panel& panel : figure.panels)
    listed = listed || !panel.listing.empty(), mapped = mapped || panel.map;
  const double share = (1 - head - foot) / rows, across = 1.0 / columns;
  // On a narrow page numbers and names take a greater share.
  const bool styled = figure_style().width_px > 0;
  const double type = styled ? figure_style().font_scale / figure.width : 0;
  const double left_margin = std::max(104 * type, columns > 2 ? 0.075 : 0.085);
  const double right_margin = std::max((mapped ? 108 : 20) * type, listed ? 0.135 : mapped ? 0.11 : 0.015);
  for (int p = 0; p < panels && !figure.panels.empty(); ++p) {
    const double top = 1 - head - p / columns * share, bottom = top - share;
    const double from = p % columns * across;
    Frame frame{bottom + 46.0 / height, top - 34.0 / height, from + left_margin,
                from + across - right_margin};
    frame.key_rows =
        key_rows_of(figure.panels[static_cast<std::size_t>(p)], (frame.right - frame.left) * figure.width);
    frame.top -= frame.key_rows * key_row_pixels / height;
    frame.shape = (frame.top - frame.bottom) * height / ((frame.right - frame.left) * figure.width);
    script += fmt::format(
        "set lmargin at screen {}\nset rmargin at screen {}\nset tmargin at screen {}\nset bmargin at screen "
        "{}\n",
        frame.left, frame.right, frame.top, frame.bottom);
    std::string panel;
    // Panels that stand above one with the same axis leave its name to that one.
    const Panel& now = figure.panels[static_cast<std::size_t>(p)];
    const bool last = p + columns >= panels || columns > 1 ||
                      !same_axis(now, figure.panels[static_cast<std::size_t>(p) + 1]);
    add_panel(panel, now, frame, last);
    if (now.relief || now.mesh) {
      script += fmt::format(
          "unset lmargin\nunset rmargin\nunset tmargin\nunset bmargin\nset origin 0,{}\nset size 1,{}\n",
          bottom + 4.0 / height, share - 8.0 / height);
    }
    if (p == 0) {
      // The figure's title and caption belong to the whole and are drawn with the first panel.
      const std::size_t at = panel.find("unset label\n");
      panel.replace(at, 12, "");
    } else if (p == 1) {
      for (std::size_t i = 0; i <= lines.size(); ++i) script += fmt::format("unset label {}\n", 101 + i);
    }
    script += panel;
  }
  return script + "unset multiplot\n";
}

}  // namespace

std::string figure_script(const Figure& given, Picture picture) {
  const Figure figure = styled(given);
  const int height = size_of(figure).height;
  return terminal(picture == Picture::png   ? "pngcairo"
                  : picture == Picture::svg ? "svg"
                                            : "pdfcairo",
                  figure.width, height, picture == Picture::pdf ? "8" : "11") +
         look + page_script(figure) + "unset output\nexit\n";
}

std::string pages_script(const std::vector<Figure>& given) {
  int height = 0;
  std::vector<Figure> figures;
  for (const Figure& figure : given) {
    figures.push_back(styled(figure));
    height = std::max(height, size_of(figures.back()).height);
  }
  std::string script = terminal("pdfcairo", figures.front().width, std::min(height, 1400), "8") + look;
  for (const Figure& figure : figures) script += page_script(figure);
  return script + "unset output\nexit\n";
}

std::string animation_script(const std::vector<Figure>& figures, int hundredths) {
  std::string script = fmt::format(
      "set terminal gif noenhanced animate delay {} loop 0 optimize size {},{} font 'DejaVu Sans,10'\n",
      hundredths, figures.front().width, size_of(figures.front()).height);
  script += look;
  for (const Figure& figure : figures) script += page_script(figure);
  return script + "unset output\nexit\n";
}

}  // namespace vprism
