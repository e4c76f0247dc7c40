// report.cpp: orders and the resonances they cross as text, JSON, findings and pictures.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/orders/orders.h"
#include "commands/shared/maps.h"

namespace vprism {

namespace {

std::string damping_text(const CrossedResonance& r) {
  return r.damping > 0 ? ", damping " + format_uncertain(100 * r.damping, 100 * r.damping_std, "%") : "";
}

std::string orders_text(const OrdersOfChannel& c, double start_s) {
  const std::string unit = c.channel.unit.label();
  std::string out = "\n" + c.channel.name + ": orders up to " + format_number(c.orders.highest) + "\n";
  TextTable table({{"order"},
                   {"greatest (peak)"},
                   {"at (rev/s)"},
                   {"at (Hz)"},
                   {"at (s)"},
                   {"phase there (deg)"},
                   {"at top speed (peak)"},
                   {"phase (deg)"}});
  for (const OrderCut& cut : c.orders.cuts) {
    if (cut.amplitude.empty()) continue;
    const auto at = static_cast<std::size_t>(std::max_element(cut.amplitude.begin(), cut.amplitude.end()) -
                                             cut.amplitude.begin());
    const auto fast =
        static_cast<std::size_t>(std::max_element(cut.speed.begin(), cut.speed.end()) - cut.speed.begin());
    table.add({format_number(cut.order, 4), format_quantity(cut.amplitude[at], unit, 4),
               format_number(cut.speed[at], 5), format_number(cut.order * cut.speed[at], 5),
               format_number(start_s + cut.time_s[at], 5), fmt::format("{:.0f}", cut.phase_deg[at]),
               format_quantity(cut.amplitude[fast], unit, 4), fmt::format("{:.0f}", cut.phase_deg[fast])});
  }
  out += table.text();
  if (c.orders.resonances.empty()) out += "  no resonance is crossed\n";
  for (const CrossedResonance& r : c.orders.resonances) {
    out += "  resonance near " + format_uncertain(r.hz, r.hz_std, "Hz") + damping_text(r) + ", crossed by";
    for (std::size_t i = 0; i < r.crossings.size(); ++i)
      out += fmt::format("{} order {} at {} rev/s ({} s, {:.1f} times over)", i > 0 ? "," : "",
                         format_number(r.crossings[i].order, 4), format_number(r.crossings[i].speed, 4),
                         format_number(start_s + r.crossings[i].time_s, 4), r.crossings[i].over);
    out += "\n";
  }
  return out;
}

Finding crossed_finding(const Recording& r, const Channel& channel, const CrossedResonance& found) {
  Finding f;
  f.kind = "resonance";
  f.recording = r.file, f.channel = channel.name;
  f.frequency_hz = found.hz, f.frequency_std_hz = found.hz_std;
  f.unit = channel.unit.label();
  double top = 0;
  for (const Crossing& c : found.crossings) {
    top = std::max(top, c.amplitude);
    f.evidence.push_back(fmt::format("order {} rises to {} ({:.1f} times over) at {} rev/s, {}, {} s",
                                     format_number(c.order, 4), format_quantity(c.amplitude, f.unit, 3),
                                     c.over, format_number(c.speed, 4), format_quantity(c.hz, "Hz", 4),
                                     format_number(r.axis.start + c.time_s, 4)));
  }
  f.level_rms = top / std::sqrt(2.0);
  f.text = fmt::format("a resonance near {}{}, crossed by {} {}",
                       format_uncertain(found.hz, found.hz_std, "Hz"), damping_text(found),
                       found.crossings.size(), found.crossings.size() == 1 ? "order" : "orders");
  return f;
}

Json orders_json(const OrdersOfChannel& c, const OrdersResult& result) {
  const double start = result.facts.recording.axis.start;
  Json cuts = Json::array(), resonances = Json::array();
  for (const OrderCut& cut : c.orders.cuts) {
    Json points = Json::array();
    const std::size_t step = std::max<std::size_t>(1, cut.speed.size() / 400);
    for (std::size_t n = 0; n < cut.speed.size(); n += step)
      points.push_back({number(start + cut.time_s[n]), number(cut.speed[n]), number(cut.amplitude[n]),
                        number(cut.phase_deg[n])});
    cuts.push_back({{"order", number(cut.order)},
                    {"revolutions", number(cut.revolutions)},
                    {"points", std::move(points)}});
  }
  for (const CrossedResonance& r : c.orders.resonances) {
    Json crossings = Json::array();
    for (const Crossing& x : r.crossings)
      crossings.push_back({{"order", number(x.order)},
                           {"speed_rev_per_s", number(x.speed)},
                           {"time_s", number(start + x.time_s)},
                           {"frequency_hz", number(x.hz)},
                           {"frequency_std_hz", number(x.hz_std)},
                           {"amplitude", number(x.amplitude)},
                           {"over", number(x.over)},
                           {"width_hz", number(x.width_hz)},
                           {"damping_ratio", x.damping > 0 ? number(x.damping) : Json(nullptr)},
                           {"damping_std", x.damping > 0 ? number(x.damping_std) : Json(nullptr)},
                           {"lag_hz", number(x.lag_hz)}});
    resonances.push_back({{"frequency_hz", number(r.hz)},
                          {"frequency_std_hz", number(r.hz_std)},
                          {"damping_ratio", r.damping > 0 ? number(r.damping) : Json(nullptr)},
                          {"damping_std", r.damping > 0 ? number(r.damping_std) : Json(nullptr)},
                          {"crossings", std::move(crossings)}});
  }
  return {{"channel", c.channel.name},
          {"unit", c.channel.unit.label()},
          {"speed_from", result.speed_from},
          {"revolutions", number(result.shaft.last() - result.shaft.first())},
          {"slowest_rev_per_s", number(result.slowest)},
          {"fastest_rev_per_s", number(result.fastest)},
          {"pulses_missing", result.pulses.missing},
          {"pulses_extra", result.pulses.extra},
          {"samples_per_revolution", c.orders.per_turn},
          {"orders", c.orders.found},
          {"cuts", std::move(cuts)},
          {"resonances", std::move(resonances)}};
}

}  // namespace

void warn_of_quick_crossings(const OrdersOfChannel& c, std::vector<Caution>& out) {
  for (const CrossedResonance& r : c.orders.resonances)
    for (const Crossing& x : r.crossings)
      if (x.damping == 0 && x.lag_hz > 0.3 * x.width_hz) {
        out.push_back(
            {"crossed-quickly", Severity::note, c.channel.name,
             fmt::format(
                 "order {} passes {} so quickly that the resonance is read late, by up to {}, and too "
                 "low",
                 format_number(x.order), format_quantity(x.hz, "Hz", 4), format_quantity(x.lag_hz, "Hz", 2)),
             "run up more slowly, and down as well: the truth lies between the two"});
        return;
      }
}

void report_orders(const OrdersResult& result, Delivery& delivery) {
  const Recording& r = result.facts.recording;
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n  " +
                   fmt::format("{}: {} revolutions from {} to {} s, {} to {} rev/s\n", result.speed_from,
                               format_number(result.shaft.last() - result.shaft.first(), 6),
                               format_number(r.axis.start + result.shaft.start_s(), 5),
                               format_number(r.axis.start + result.shaft.end_s(), 5),
                               format_number(result.slowest, 4), format_number(result.fastest, 5));
  for (const OrdersOfChannel& c : result.channels) {
    delivery.text += orders_text(c, r.axis.start);
    for (const CrossedResonance& found : c.orders.resonances)
      delivery.findings.push_back(crossed_finding(r, c.channel, found));
    delivery.results.push_back(orders_json(c, result));
  }
  delivery.text += "\n";
}

Figure orders_figure(const OrdersResult& result, const OrdersOfChannel& c, double revolutions) {
  const std::string unit = c.channel.unit.label();
  Figure figure;
  figure.title = result.facts.recording.stem() + ": " + c.channel.name + ", orders";
  figure.caption = fmt::format("{}; blocks of {} revolutions, Hann; numbers: orders", result.speed_from,
                               format_number(revolutions));
  MapLook look;
  look.x = {"Speed", "rev/s"};
  look.to_db = 10 * std::log10(2.0);
  look.level_unit = "dB re 1 " + unit;
  look.title = "level over speed and order";
  look.y_quantity = "Order", look.y_unit = "";
  figure.panels.push_back(map_panel(c.orders.by_speed, look).panel);
  look.title = "level over speed and frequency";
  look.y_quantity = "Frequency", look.y_unit = "Hz";
  LevelMap shown = c.frequencies;
  double top = 0;
  for (const OrderCut& cut : c.orders.cuts) top = std::max(top, 1.15 * cut.order * result.fastest);
  if (top > 0)
    shown = shown.cropped({}, std::max(top, shown.frequency_hz[std::min<std::size_t>(8, shown.rows() - 1)]));
  MapPanel frequencies = map_panel(shown, look);
  for (const OrderCut& cut : c.orders.cuts) {
    Curve line;
    line.colour = paper_colour;
    line.x = {result.slowest, result.fastest},
    line.y = {cut.order * result.slowest, cut.order * result.fastest};
    frequencies.panel.marks.push_back(
        {result.fastest, cut.order * result.fastest, format_number(cut.order, 4)});
    frequencies.panel.curves.push_back(std::move(line));
  }
  figure.panels.push_back(std::move(frequencies.panel));
  Panel cuts, phases;
  cuts.title = "order cuts";
  cuts.x = {"Speed", "rev/s", false, result.slowest, result.fastest};
  cuts.y = {"Amplitude (peak)", unit, true};
  phases.title = "their phase at the shaft's angle 0";
  phases.x = cuts.x;
  phases.y = {"Phase", "deg", false, -180, 180};
  for (const OrderCut& cut : c.orders.cuts) {
    Curve curve, phase;
    curve.name = phase.name = "order " + format_number(cut.order, 4);
    curve.colour = phase.colour = static_cast<int>(cuts.curves.size());
    for (std::size_t n = 0; n < cut.speed.size(); ++n) {
      curve.x.push_back(cut.speed[n]), curve.y.push_back(cut.amplitude[n]);
      phase.x.push_back(cut.speed[n]), phase.y.push_back(cut.phase_deg[n]);
    }
    cuts.curves.push_back(std::move(curve));
    phases.curves.push_back(std::move(phase));
  }
  for (const CrossedResonance& r : c.orders.resonances)
    for (const Crossing& x : r.crossings)
      cuts.marks.push_back({x.speed, x.amplitude, format_quantity(x.hz, "Hz", 3)});
  if (!cuts.curves.empty()) {
    figure.panels.push_back(std::move(cuts));
    figure.panels.push_back(std::move(phases));
  }
  figure.panel_height = 270;
  return figure;
}

}  // namespace vprism
