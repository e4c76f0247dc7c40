// figure.cpp: ratios over frequency, in the complex plane, and the chart that resonances were chosen
// from.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "base/text.h"
#include "commands/response/response.h"

namespace vprism {

namespace {

constexpr std::size_t most_response_curves = 16;

FigureAxis frequency_axis(const ResponseResult& r) {
  FigureAxis axis{"Frequency", "Hz", false, r.low_hz, r.high_hz};
  const double first = r.modes.empty() ? r.high_hz : r.modes.front().mode.frequency_hz;
  if (r.low_hz > 0 && r.high_hz / r.low_hz > 200 && first < r.high_hz / 30) axis.logarithmic = true;
  return axis;
}

/// A curve of each bin, broken where the ratio is not known.
template <typename Value>
Curve over_frequency(const ResponseResult& r, const ResponseCurve& curve, bool known, const Value& value) {
  Curve out;
  for (std::size_t k = 0; k < r.set.frequency_hz.size(); ++k) {
    if (r.set.frequency_hz[k] < r.low_hz || r.set.frequency_hz[k] > r.high_hz) continue;
    out.x.push_back(r.set.frequency_hz[k]);
    out.y.push_back(!known || r.known(curve, k) ? value(k) : std::nan(""));
  }
  return out;
}

std::string how_text(const ResponseResult& r) {
  std::string out = r.set.references.empty()
                        ? "impulse responses"
                        : std::to_string(r.set.averages) + (r.set.averages == 1 ? " average" : " averages");
  if (r.excitation.kind == Excitation::noise) out += ", " + r.window.name();
  out += "; RBW " + format_quantity(r.set.rbw_hz, "Hz", 3);
  return out;
}

}  // namespace

Figure bode_figure(const ResponseResult& r, bool unwrapped) {
  Figure figure;
  figure.title = r.recording.stem() + ": response";
  if (!r.set.references.empty()) {
    figure.title += " to";
    for (const std::size_t c : r.set.references)
      figure.title += (c == r.set.references[0] ? " " : ", ") + r.recording.channels[c].name;
  }
  figure.caption = how_text(r) +
                   "; black marks: resonances as numbered in the table; grey: the fit of all curves; broken "
                   "where nothing is known";
  // One panel of magnitudes for each unit.
  std::map<std::string, std::vector<std::size_t>> units;
  for (std::size_t i = 0; i < std::min(most_response_curves, r.set.curves.size()); ++i)
    units[r.curve_unit(r.set.curves[i]).label()].push_back(i);
  for (const auto& [unit, curves] : units) {
    Panel panel;
    panel.title = "magnitude";
    panel.x = frequency_axis(r);
    panel.y = {"Magnitude", unit == "1" ? "" : unit, true, {}, {}};
    for (const std::size_t i : curves) {
      if (i >= r.fit.fitted.size() || r.modes.empty()) continue;
      Curve fit = over_frequency(r, r.set.curves[i], false,
                                 [&](std::size_t k) { return std::abs(r.fit.fitted[i][k]); });
      fit.colour = neutral_colour;
      panel.curves.push_back(thinned(std::move(fit), 4000, panel.x.logarithmic));
    }
    for (const std::size_t i : curves) {
      Curve one = over_frequency(r, r.set.curves[i], true,
                                 [&](std::size_t k) { return std::abs(r.set.curves[i].ratio[k]); });
      one.name = r.curve_name(r.set.curves[i]);
      one.colour = static_cast<int>(i);
      panel.curves.push_back(std::move(one));
    }
    for (std::size_t m = 0; m < r.modes.size(); ++m)
      if (std::find(curves.begin(), curves.end(), r.modes[m].strongest) != curves.end())
        panel.marks.push_back({r.modes[m].mode.frequency_hz, r.modes[m].magnitude[r.modes[m].strongest],
                               std::to_string(m + 1)});
    figure.panels.push_back(std::move(panel));
  }
  Panel phase, coherence;
  phase.title = "phase";
  phase.x = frequency_axis(r);
  phase.y = {"Phase", "deg", false, {}, {}};
  if (!unwrapped) phase.y.low = -180, phase.y.high = 180;
  coherence.title =
      fmt::format("coherence; noise alone stays below {:.2f} in 19 of 20 bins", r.set.significant());
  coherence.x = frequency_axis(r);
  coherence.y = {"Coherence", "", false, 0, 1.02};
  std::vector<bool> listed(r.recording.channels.size(), false);
  for (std::size_t i = 0; i < std::min(most_response_curves, r.set.curves.size()); ++i) {
    const ResponseCurve& curve = r.set.curves[i];
    PhaseAlong phases(unwrapped);
    Curve one = over_frequency(r, curve, true,
                               [&](std::size_t k) { return phases.next(curve.ratio[k], r.known(curve, k)); });
    // No line across where the phase comes round.
    for (std::size_t k = 1; k < one.y.size(); ++k)
      if (!unwrapped && std::abs(one.y[k] - one.y[k - 1]) > 270) one.y[k - 1] = std::nan("");
    one.colour = static_cast<int>(i);
    phase.curves.push_back(std::move(one));
    if (listed[curve.channel]) continue;
    listed[curve.channel] = true;
    Curve share = over_frequency(r, curve, false, [&](std::size_t k) {
      return r.set.driven[k] ? r.set.coherence[curve.channel][k] : std::nan("");
    });
    share.colour = static_cast<int>(i);
    coherence.curves.push_back(std::move(share));
  }
  figure.panels.push_back(std::move(phase));
  if (r.set.averages > 1) figure.panels.push_back(std::move(coherence));
  return figure;
}

Figure nyquist_figure(const ResponseResult& r) {
  Figure figure;
  figure.title = r.recording.stem() + ": resonances in the complex plane";
  figure.caption =
      "mobility (response as a velocity) around each resonance, dots: bins, circle: fitted; " + how_text(r);
  std::vector<const KnownMode*> shown;
  for (const KnownMode& m : r.modes)
    if (m.circle && m.circle_points.size() >= 5 && shown.size() < 6) shown.push_back(&m);
  figure.columns = shown.size() > 1 ? 2 : 1;
  if (shown.size() > 4) figure.columns = 3;
  for (const KnownMode* m : shown) {
    Panel panel;
    panel.square = true;
    const ResponseCurve& curve = r.set.curves[m->strongest];
    panel.title = fmt::format("{}: {}, damping {}", r.curve_name(curve),
                              format_quantity(m->circle->mode.frequency_hz, "Hz", 6),
                              format_number(100 * m->circle->mode.damping, 3) + "%");
    panel.x = {"Real part", "", false, {}, {}};
    panel.y = {"Imaginary part", "", false, {}, {}};
    Curve circle, points, origin;
    for (int n = 0; n <= 120; ++n) {
      const std::complex<double> at =
          m->circle->centre + std::polar(m->circle->radius, n * std::numbers::pi / 60);
      circle.x.push_back(at.real()), circle.y.push_back(at.imag());
    }
    circle.colour = neutral_colour;
    for (const std::complex<double>& p : m->circle_points)
      points.x.push_back(p.real()), points.y.push_back(p.imag());
    points.points = Curve::Points::dots;
    origin.x = {0}, origin.y = {0}, origin.points = Curve::Points::crosses, origin.colour = 1;
    panel.curves = {std::move(circle), std::move(points), std::move(origin)};
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

Figure chart_figure(const ResponseResult& r, const ResponseSettings& settings) {
  Figure figure;
  figure.title = r.recording.stem() + ": stabilisation chart";
  figure.caption = fmt::format(
      "poles of rational fits of rising order; dots: same frequency (within {}%) and damping (within {}%) as "
      "the order before, "
      "rings: same frequency, crosses: neither",
      format_number(100 * settings.search.same_frequency), format_number(100 * settings.search.same_damping));
  Panel panel;
  panel.title = "all curves together; vertical lines: resonances as numbered in the table";
  panel.x = frequency_axis(r);
  panel.y = {"Order of the polynomials", "", false, 0, {}};
  std::size_t most = 1;
  for (const ChartPole& p : r.fit.chart) most = std::max(most, p.order);
  panel.y.high = static_cast<double>(most) + 1;
  // Behind it the sum of all magnitudes, on a logarithmic scale of its own.
  Curve sum;
  double top = -1e300;
  for (std::size_t k = 0; k < r.set.frequency_hz.size(); ++k) {
    if (r.set.frequency_hz[k] < r.low_hz || r.set.frequency_hz[k] > r.high_hz || !r.set.driven[k]) continue;
    double squares = 0;
    for (const ResponseCurve& curve : r.set.curves) squares += std::norm(curve.ratio[k]);
    sum.x.push_back(r.set.frequency_hz[k]);
    sum.y.push_back(10 * std::log10(std::max(squares, 1e-300)));
    top = std::max(top, sum.y.back());
  }
  for (double& v : sum.y) v = static_cast<double>(most) * std::clamp(0.92 + (v - top) / 80, 0.01, 1.0);
  sum.colour = neutral_colour;
  panel.curves.push_back(thinned(std::move(sum), 4000, panel.x.logarithmic));
  for (const auto& [kind, points, colour] :
       {std::tuple{ChartPole::Kind::fresh, Curve::Points::crosses, neutral_colour},
        {ChartPole::Kind::frequency, Curve::Points::rings, 1},
        {ChartPole::Kind::stable, Curve::Points::dots, 0}}) {
    Curve curve;
    for (const ChartPole& p : r.fit.chart)
      if (p.kind == kind) curve.x.push_back(p.frequency_hz), curve.y.push_back(static_cast<double>(p.order));
    if (curve.x.empty()) continue;
    curve.points = points, curve.colour = colour;
    panel.curves.push_back(std::move(curve));
  }
  for (std::size_t m = 0; m < r.modes.size(); ++m) {
    panel.verticals.push_back(r.modes[m].mode.frequency_hz);
    panel.marks.push_back(
        {r.modes[m].mode.frequency_hz, static_cast<double>(most) + 0.3, std::to_string(m + 1)});
  }
  figure.panels.push_back(std::move(panel));
  return figure;
}

Figure output_only_figure(const ResponseResult& r) {
  Figure figure;
  const OutputOnly& found = *r.output_only;
  const Spectrum& grid = r.spectra.own.front();
  figure.title = r.recording.stem() + ": what the channels share";
  figure.caption = "singular values of the matrix of cross powers, largest and second; " +
                   std::to_string(grid.plan.averages) + " averages, " + grid.window.name() + ", RBW " +
                   format_quantity(grid.plan.rbw_hz, "Hz", 3) + "; numbers: resonances of the table";
  Panel panel;
  panel.title = "powers in the two strongest directions";
  double last = 0;
  for (const OutputOnlyMode& m : found.modes) last = std::max(last, m.fit.frequency_hz);
  panel.x = {"Frequency", "Hz", false, std::max(r.low_hz, grid.plan.bin_hz),
             last > 0 ? std::min(r.high_hz, 4 * last) : r.high_hz};
  panel.y = {"Power per bin", scale_unit(r.recording.channels[0].unit, Scale::power), true, {}, {}};
  for (const auto* values : {&found.second, &found.first}) {
    Curve curve;
    for (std::size_t k = 1; k < values->size(); ++k)
      if (grid.frequency_hz(k) <= *panel.x.high)
        curve.x.push_back(grid.frequency_hz(k)), curve.y.push_back((*values)[k]);
    curve.colour = values == &found.first ? 0 : neutral_colour;
    curve.name = values == &found.first ? "largest" : "second";
    panel.curves.push_back(thinned(std::move(curve), 4000, false));
  }
  for (std::size_t i = 0; i < found.modes.size(); ++i) {
    const auto k = static_cast<std::size_t>(std::clamp(grid.bins_at(found.modes[i].fit.frequency_hz) + 0.5,
                                                       0.0, static_cast<double>(grid.bins() - 1)));
    panel.marks.push_back({found.modes[i].fit.frequency_hz, found.first[k], std::to_string(i + 1)});
  }
  figure.panels.push_back(std::move(panel));
  return figure;
}

}  // namespace vprism
