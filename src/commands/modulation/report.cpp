// report.cpp: see commands/modulation/report.h.
#include "commands/modulation/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/lines/whole_lines.h"

namespace vprism {

namespace {

std::string swing_text(const Swing& s, const std::string& what) {
  return fmt::format("{}, {} ({:.4f} alike), at {}, period {}", what, s.shape, s.likeness,
                     format_uncertain(s.rate_hz, s.rate_std_hz, "Hz"),
                     format_quantity(1 / s.rate_hz, "s", 5));
}

Json swings_json(const std::vector<Swing>& swings) {
  Json out = Json::array();
  for (const Swing& s : swings)
    out.push_back({{"rate_hz", number(s.rate_hz)},
                   {"rate_std_hz", number(s.rate_std_hz)},
                   {"peak", number(s.peak)},
                   {"peak_std", number(s.peak_std)},
                   {"shape", s.shape},
                   {"likeness", number(s.likeness)},
                   {"phase_deg", number(s.phase_deg)}});
  return out;
}

/// Lowest and highest of stretches, so that no excursion is lost.
Curve outline(const std::vector<double>& values, double start, double rate_hz) {
  Curve curve;
  const std::size_t step = std::max<std::size_t>(1, values.size() / 1500);
  for (std::size_t at = 0; at < values.size(); at += step) {
    const auto first = values.begin() + static_cast<std::ptrdiff_t>(at);
    const auto last = values.begin() + static_cast<std::ptrdiff_t>(std::min(values.size(), at + step));
    curve.x.push_back(start + static_cast<double>(at) / rate_hz);
    curve.y.push_back(*std::min_element(first, last));
    if (step > 1) curve.high.push_back(*std::max_element(first, last));
  }
  return curve;
}

Panel swing_panel(const std::vector<double>& values, double rate_hz, const std::vector<Swing>& swings,
                  const std::string& title, const std::string& unit, const std::vector<Jump>& jumps) {
  std::vector<double> level = values;
  for (std::size_t n = 0; n < level.size(); ++n)
    for (const Jump& jump : jumps)
      if (static_cast<double>(n) / rate_hz >= jump.time_s) level[n] -= jump.step_hz;
  double mean = 0;
  for (const double v : level) mean += v / static_cast<double>(level.size());
  for (double& v : level) v -= mean;
  const Spectrum s = whole_spectrum(level, rate_hz);
  Panel panel;
  panel.title = title;
  double top = 0;
  for (const Swing& swing : swings) top = std::max(top, 12 * swing.rate_hz);
  panel.x = {"Frequency", "Hz", false, 0, top > 0 ? std::min(top, rate_hz / 2) : rate_hz / 2};
  Curve curve;
  for (std::size_t k = 1; k < s.bins() && s.frequency_hz(k) <= *panel.x.high; ++k) {
    curve.x.push_back(s.frequency_hz(k));
    curve.y.push_back(s.level(k, Scale::peak));
  }
  panel.y = {"Swing (peak)", unit, true};
  panel.curves.push_back(thinned(std::move(curve), 4000, false));
  for (std::size_t i = 0; i < std::min<std::size_t>(6, swings.size()); ++i)
    panel.marks.push_back({swings[i].rate_hz, swings[i].fundamental, std::to_string(i + 1)});
  return panel;
}

}  // namespace

void warn_of_modulation(ModulationResult& result, std::size_t c) {
  const ChannelModulation& channel = result.channels[c];
  const Modulation& m = channel.measured;
  const std::string name = result.facts.recording.channels[c].name;
  std::vector<Caution>& out = result.facts.recording.cautions;
  const double low = channel.band.carrier_hz - channel.band.half_hz,
               high = channel.band.carrier_hz + channel.band.half_hz;
  if (m.lowest_hz < low + 0.05 * channel.band.half_hz || m.highest_hz > high - 0.05 * channel.band.half_hz)
    out.push_back(
        {"carrier-at-span-edge", Severity::warning, name,
         fmt::format("the frequency goes from {} to {}, to the edge of the span {}..{} or beyond: what lies "
                     "outside is cut off",
                     format_quantity(m.lowest_hz, "Hz", 6), format_quantity(m.highest_hz, "Hz", 6),
                     format_quantity(low, "Hz", 6), format_quantity(high, "Hz", 6)),
         "give a wider --span"});
  if (channel.cut_sidebands > 1e-3)
    out.push_back({"sidebands-cut-off", Severity::note, name,
                   fmt::format("sidebands of a swing lie outside the span {}..{}: its deviation is off by "
                               "about {:.2g}%, which its uncertainty holds",
                               format_quantity(low, "Hz", 4), format_quantity(high, "Hz", 4),
                               100 * channel.cut_sidebands),
                   "give a wider --span"});
  for (const Jump& jump : m.edge_jumps)
    out.push_back(
        {"jump-at-end", Severity::note, name,
         "the frequency seems to step by " + format_quantity(jump.step_hz, "Hz", 3) + " at " +
             format_quantity(result.facts.recording.axis.start + channel.series.start_s + jump.time_s, "s",
                             6) +
             ", so near an end that the filters could make it: it is not listed, and the carrier may hold "
             "it",
         "record on beyond it, or gate it off"});
  if (channel.series.suppressed) return;
  const double least = *std::min_element(channel.series.amplitude.begin(), channel.series.amplitude.end());
  if (least < 0.1 * m.level)
    out.push_back(
        {"carrier-drops", Severity::warning, name,
         fmt::format("the carrier's amplitude falls to {:.2g}% of its mean: its phase and frequency are lost "
                     "there",
                     100 * least / m.level),
         "look at the amplitude against time; gate, or narrow the span"});
}

std::string modulation_text(const ModulationResult& result, std::size_t c) {
  const ChannelModulation& channel = result.channels[c];
  const Recording& r = result.facts.recording;
  const Modulation& m = channel.measured;
  const std::string unit = r.channels[c].unit.label();
  std::string out = r.channels[c].name + "\n";
  const auto line = [&](const std::string& key, const std::string& value) {
    out += fmt::format("  {:<22}{}\n", key, value);
  };
  line("span", format_quantity(channel.band.carrier_hz - channel.band.half_hz, "Hz", 7) + " to " +
                   format_quantity(channel.band.carrier_hz + channel.band.half_hz, "Hz", 7) + ", series at " +
                   format_quantity(channel.series.rate_hz, "Hz", 6));
  line("carrier", format_uncertain(m.carrier_hz, m.carrier_std_hz, "Hz") +
                      (m.jumps.empty() ? "" : " (before the first jump)"));
  line("amplitude", format_quantity(m.level, unit, 5) +
                        (channel.series.suppressed ? " (RMS; the carrier is suppressed: the amplitude goes "
                                                     "through zero)"
                                                   : " (peak)"));
  line("frequency range", format_quantity(m.lowest_hz, "Hz", 9) + " to " +
                              format_quantity(m.highest_hz, "Hz", 9) +
                              fmt::format(", {:.4g} ppm of the carrier",
                                          1e6 * (m.highest_hz - m.lowest_hz) / std::abs(m.carrier_hz)));
  if (channel.band.occupied_hz > 0)
    line("occupied (99%)", format_quantity(channel.band.occupied_hz, "Hz", 4));
  line("drift", format_uncertain(m.drift_hz_per_s, m.drift_std_hz_per_s, "Hz") + " each second");
  for (std::size_t i = 0; i < m.states.size(); ++i) {
    const FrequencyState& s = m.states[i];
    line(i == 0 ? "states" : "",
         fmt::format("{}, {:.3g}% of the time, {} {} of {} on average",
                     format_uncertain(s.frequency_hz, s.frequency_std_hz, "Hz"), 100 * s.share, s.visits,
                     s.visits == 1 ? "visit" : "visits", format_quantity(s.dwell_s, "s", 3)));
  }
  if (!m.states.empty()) line("", fmt::format("{} transitions", m.transitions));
  for (std::size_t i = 0; i < m.frequency.size(); ++i) {
    const Swing& s = m.frequency[i];
    line(i == 0 ? "frequency swings" : "", swing_text(s, "+-" + format_uncertain(s.peak, s.peak_std, "Hz")));
  }
  for (std::size_t i = 0; i < m.amplitude.size(); ++i) {
    const Swing& s = m.amplitude[i];
    line(i == 0 ? "amplitude swings" : "",
         swing_text(s, channel.series.suppressed ? "+-" + format_quantity(s.peak, unit, 4)
                                                 : fmt::format("depth {:.4g}%", 100 * s.peak / m.level)));
  }
  for (const Jump& jump : m.jumps)
    line("jump", format_uncertain(jump.step_hz, jump.step_std_hz, "Hz") + " at " +
                     format_number(r.axis.start + channel.series.start_s + jump.time_s, 7) + " s");
  line("frequency noise", format_quantity(m.frequency_noise_hz, "Hz", 3) + " RMS within " +
                              format_quantity(channel.series.rate_hz / 2, "Hz", 3));
  return out;
}

Json modulation_json(const ModulationResult& result, std::size_t c) {
  const ChannelModulation& channel = result.channels[c];
  const Modulation& m = channel.measured;
  // The main swing: of the frequency, or of the amplitude where that alone swings.
  const Swing* main = !m.frequency.empty()  ? &m.frequency.front()
                      : m.amplitude.empty() ? nullptr
                                            : &m.amplitude.front();
  Json jumps = Json::array();
  for (const Jump& jump : m.jumps)
    jumps.push_back(
        {{"time_s", number(result.facts.recording.axis.start + channel.series.start_s + jump.time_s)},
         {"step_hz", number(jump.step_hz)},
         {"step_std_hz", number(jump.step_std_hz)}});
  Json states = Json::array();
  for (const FrequencyState& s : m.states)
    states.push_back({{"frequency_hz", number(s.frequency_hz)},
                      {"frequency_std_hz", number(s.frequency_std_hz)},
                      {"share", number(s.share)},
                      {"visits", s.visits},
                      {"dwell_s", number(s.dwell_s)}});
  const auto of_main = [&](double Swing::*value) {
    return main != nullptr ? number(main->*value) : Json(nullptr);
  };
  return {{"channel", result.facts.recording.channels[c].name},
          {"unit", result.facts.recording.channels[c].unit.label()},
          {"carrier_hz", number(m.carrier_hz)},
          {"carrier_std_hz", number(m.carrier_std_hz)},
          {"level", number(m.level)},
          {"deviation_hz", number(m.frequency.empty() ? 0 : m.frequency.front().peak)},
          {"rate_hz", of_main(&Swing::rate_hz)},
          {"period_s", main != nullptr ? number(1 / main->rate_hz) : Json(nullptr)},
          {"depth", channel.series.suppressed ? Json(nullptr) : number(m.depth())},
          {"carrier_suppressed", channel.series.suppressed},
          {"shape", main != nullptr ? Json(main->shape) : Json(nullptr)},
          {"drift_hz_per_s", number(m.drift_hz_per_s)},
          {"drift_std_hz_per_s", number(m.drift_std_hz_per_s)},
          {"states", std::move(states)},
          {"transitions", m.transitions},
          {"lowest_hz", number(m.lowest_hz)},
          {"highest_hz", number(m.highest_hz)},
          {"spread_ppm", number(1e6 * (m.highest_hz - m.lowest_hz) / std::abs(m.carrier_hz))},
          {"occupied_hz", number(channel.band.occupied_hz)},
          {"frequency_noise_hz", number(m.frequency_noise_hz)},
          {"span_hz",
           {number(channel.band.carrier_hz - channel.band.half_hz),
            number(channel.band.carrier_hz + channel.band.half_hz)}},
          {"series_rate_hz", number(channel.series.rate_hz)},
          {"jumps", std::move(jumps)},
          {"frequency_swings", swings_json(m.frequency)},
          {"amplitude_swings", swings_json(m.amplitude)}};
}

Finding jump_finding(const Recording& r, std::size_t c, const Jump& jump, double start_s) {
  const double time_s = r.axis.start + start_s + jump.time_s;
  Finding f;
  f.kind = "event";
  f.recording = r.file, f.channel = r.channels[c].name;
  f.frequency_hz = std::abs(jump.step_hz), f.frequency_std_hz = jump.step_std_hz;
  f.unit = r.channels[c].unit.label();
  f.text = fmt::format("the carrier jumps by {} at {} s",
                       format_uncertain(jump.step_hz, jump.step_std_hz, "Hz"), format_number(time_s, 6));
  f.numbers = {{"time_s", time_s}, {"step_hz", jump.step_hz}};
  return f;
}

Figure modulation_figure(const ModulationResult& result, std::size_t c) {
  const ChannelModulation& channel = result.channels[c];
  const Recording& r = result.facts.recording;
  const Modulation& m = channel.measured;
  const std::string unit = r.channels[c].unit.label();
  Figure figure;
  figure.title = r.stem() + ": " + r.channels[c].name + " around " + format_quantity(m.carrier_hz, "Hz", 6);
  figure.caption = fmt::format("span {} to {}, series at {}; dashed: jumps",
                               format_quantity(channel.band.carrier_hz - channel.band.half_hz, "Hz", 6),
                               format_quantity(channel.band.carrier_hz + channel.band.half_hz, "Hz", 6),
                               format_quantity(channel.series.rate_hz, "Hz", 5));
  Panel frequency;
  frequency.title = "frequency less " + format_quantity(m.carrier_hz, "Hz", 9);
  frequency.x = {"Time", "s"};
  frequency.y = {"Frequency", "Hz"};
  std::vector<double> off = channel.series.frequency;
  for (double& f : off) f -= m.carrier_hz;
  const double start = r.axis.start + channel.series.start_s;
  frequency.curves.push_back(outline(off, start, channel.series.rate_hz));
  for (const Jump& jump : m.jumps) frequency.verticals.push_back(start + jump.time_s);
  Panel amplitude;
  amplitude.title = "amplitude (peak)";
  amplitude.x = {"Time", "s"};
  amplitude.y = {r.channels[c].quantity.empty() ? "Amplitude" : r.channels[c].quantity, unit};
  amplitude.curves.push_back(outline(channel.series.amplitude, start, channel.series.rate_hz));
  figure.panels.push_back(std::move(frequency));
  figure.panels.push_back(std::move(amplitude));
  figure.panels.push_back(swing_panel(channel.series.frequency, channel.series.rate_hz, m.frequency,
                                      "what the frequency swings at", "Hz", m.jumps));
  figure.panels.push_back(swing_panel(channel.series.amplitude, channel.series.rate_hz, m.amplitude,
                                      "what the amplitude swings at", unit, {}));
  figure.panel_height = 230;
  return figure;
}

}  // namespace vprism
