// figure.cpp: thinning of curves for drawing.
#include "render/figure.h"

#include <algorithm>
#include <cmath>

#include "render/figure_style.h"

namespace vprism {

const char* colour_of(const Curve& curve) {
  const std::vector<std::string>& own = figure_style().colours;
  if (curve.colour >= 0 && !own.empty())
    return own[static_cast<std::size_t>(curve.colour) % own.size()].c_str();
  return curve.colour == neutral_colour ? "#a6a6a6"
         : curve.colour == paper_colour
             ? "#ffffff"
             : line_colours[static_cast<std::size_t>(curve.colour) % std::size(line_colours)];
}

const char* picture_ending(Picture picture) {
  static constexpr const char* endings[] = {"png", "svg", "pdf", "figure.json"};
  return endings[static_cast<std::size_t>(picture)];
}

std::vector<Figure> paged(const Figure& figure) {
  constexpr std::size_t most_on_one = 32, on_a_page = panels_on_a_page;
  const std::size_t made = figure.panels.size(), all = made + figure.beyond;
  if (all <= most_on_one) return {figure};
  const std::size_t drawn = std::min(made, most_panels_drawn), count = (drawn + on_a_page - 1) / on_a_page;
  std::vector<Figure> pages;
  for (std::size_t p = 0; p < count; ++p) {
    Figure page;
    page.title = figure.title + " (page " + std::to_string(p + 1) + " of " + std::to_string(count) + ")";
    page.caption = figure.caption;
    if (drawn < all)
      page.caption += (page.caption.empty() ? "" : "; ") + std::string("the first ") + std::to_string(drawn) +
                      " of " + std::to_string(all) + " panels; choose others with --channel";
    page.width = figure.width;
    page.columns = std::max(2, figure.columns);
    page.panel_height = 170;
    const auto begin = figure.panels.begin() + static_cast<std::ptrdiff_t>(p * on_a_page);
    page.panels.assign(begin,
                       begin + static_cast<std::ptrdiff_t>(std::min(on_a_page, drawn - p * on_a_page)));
    for (Panel& panel : page.panels) panel.listing.clear();
    pages.push_back(std::move(page));
  }
  return pages;
}

Curve thinned(Curve curve, std::size_t count, bool logarithmic_x) {
  if (curve.x.size() <= count || !curve.high.empty()) return curve;
  const auto place = [&](double x) { return logarithmic_x ? std::log(std::max(x, 1e-300)) : x; };
  std::size_t start = 0;
  while (logarithmic_x && start + 1 < curve.x.size() && !(curve.x[start] > 0)) ++start;
  const double from = place(curve.x[start]), to = place(curve.x.back());
  const double stretches = static_cast<double>(count) / 2;
  Curve out;
  out.name = curve.name;
  out.colour = curve.colour;
  for (std::size_t i = start; i < curve.x.size();) {
    const double stretch = std::floor((place(curve.x[i]) - from) / (to - from) * stretches);
    std::size_t low = i, high = i;
    for (; i < curve.x.size() && std::floor((place(curve.x[i]) - from) / (to - from) * stretches) <= stretch;
         ++i) {
      if (curve.y[i] < curve.y[low]) low = i;
      if (curve.y[i] > curve.y[high]) high = i;
    }
    for (const std::size_t k : {std::min(low, high), std::max(low, high)}) {
      if (k == std::max(low, high) && low == high) continue;
      out.x.push_back(curve.x[k]);
      out.y.push_back(curve.y[k]);
    }
    if (low == high) {
      out.x.push_back(curve.x[low]);
      out.y.push_back(curve.y[low]);
    }
  }
  return out;
}

}  // namespace vprism
