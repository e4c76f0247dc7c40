// figure.cpp: a comparison as a figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/compare/compare.h"

namespace vprism {

namespace {

void overlay(const Compared& c, const AnalysisSettings& analysis, bool before_after, Figure& figure) {
  if (figure.caption.empty())
    figure.caption = plan_text(c.a.spectrum->curve(), analysis.spectrum.overlap) +
                     "; level: " + scale_entry(analysis.scale).name;
  SpectrumResult both;
  both.channels = {*c.a.spectrum, *c.b.spectrum};
  Panel panel = level_panel(both, 0, analysis), other = level_panel(both, 1, analysis);
  panel.marks.clear();
  panel.title =
      c.a.channel.name == c.b.channel.name ? c.a.channel.name : c.a.channel.name + " and " + c.b.channel.name;
  panel.x.low = std::min(*panel.x.low, *other.x.low);
  panel.x.high = std::max(*panel.x.high, *other.x.high);
  panel.x.logarithmic = panel.x.logarithmic || other.x.logarithmic;
  if (panel.x.logarithmic && !(*panel.x.low > 0)) panel.x.logarithmic = false;
  Curve a = panel.curves.back(), b = other.curves.back();
  a.name = std::string(compare_word(false, before_after)) + ": " + c.a.label;
  b.name = std::string(compare_word(true, before_after)) + ": " + c.b.label;
  b.colour = 1;
  if (!c.same_unit) {
    panel.curves = {a};
    panel.title = c.a.label;
    other.marks.clear();
    b.colour = 0;
    other.curves = {b};
    other.title = c.b.label;
    figure.panels.push_back(std::move(panel));
    figure.panels.push_back(std::move(other));
    return;
  }
  panel.curves = {a, b};
  if (panel.y.low && other.y.low) panel.y.low = std::min(*panel.y.low, *other.y.low);
  figure.panels.push_back(std::move(panel));
}

/// What each line of both changed by.
void differences(const Compared& c, bool before_after, Figure& figure) {
  Panel panel;
  panel.title = fmt::format("difference of the lines, {} over {}", compare_word(true, before_after),
                            compare_word(false, before_after));
  if (!figure.panels.empty()) panel.x = figure.panels.back().x;
  panel.x.quantity = "Frequency", panel.x.unit = "Hz";
  panel.y = {"Difference", "dB", false, {}, {}};
  double most = 1, last = 0;
  for (const LinePair& p : c.pairs) {
    if (!p.a || !p.b || !c.same_unit) continue;
    const double hz = c.a.lines[*p.a].hz;
    Curve stick;
    stick.x = {hz, hz};
    stick.y = {0, p.delta_db};
    stick.colour = p.changed() ? 1 : neutral_colour;
    panel.curves.push_back(std::move(stick));
    if (p.changed()) panel.marks.push_back({hz, p.delta_db, fmt::format("{:+.1f}", p.delta_db)});
    most = std::max(most, std::abs(p.delta_db));
    last = std::max(last, hz);
  }
  if (panel.curves.empty()) return;
  if (!panel.x.high) panel.x.low = 0, panel.x.high = 1.1 * last;
  Curve zero;
  zero.x = {*panel.x.low, *panel.x.high};
  zero.y = {0, 0};
  zero.colour = neutral_colour;
  panel.curves.push_back(std::move(zero));
  for (Curve& curve : panel.curves) curve.name.clear();
  panel.y.low = -1.2 * most, panel.y.high = 1.2 * most;
  figure.panels.push_back(std::move(panel));
}

}  // namespace

Figure compare_figure(const std::vector<Compared>& all, const AnalysisSettings& analysis, bool before_after) {
  Figure figure;
  figure.title = before_after ? "Before and after" : "Comparison";
  for (const Compared& c : all) {
    if (figure.panels.size() >= 8) break;
    if (c.a.spectrum && c.b.spectrum) overlay(c, analysis, before_after, figure);
    if (c.signature) figure.panels.push_back(signature_panel(c, before_after, figure.panels.back().x));
    differences(c, before_after, figure);
  }
  return figure;
}

}  // namespace vprism
