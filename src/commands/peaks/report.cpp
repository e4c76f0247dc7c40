// report.cpp: peaks as text, JSON, CSV and a figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/peaks/peaks.h"

namespace vprism {

namespace {

constexpr std::size_t most_listed = 100000;  ///< In the document; all are in the CSV.

std::string title_of(const ChannelPeaks& c) { return c.channel.name + (c.sign < 0 ? ", minima" : ""); }

std::string rhythm_text(const PeakRhythm& rhythm) {
  std::string out = fmt::format("  every {} (std {}, neighbours differ by {} RMS): {}",
                                format_quantity(rhythm.mean_s, "s", 6), format_quantity(rhythm.std_s, "s", 3),
                                format_quantity(rhythm.neighbour_scatter_s, "s", 3),
                                format_quantity(rhythm.rate_hz, "Hz", 6));
  if (rhythm.rate_hz > 0.05 && rhythm.rate_hz < 50)
    out += fmt::format(", {:.5g} a minute", 60 * rhythm.rate_hz);
  out += "\n";
  if (std::abs(rhythm.trend_hz_per_s) > 3 * rhythm.trend_std && rhythm.trend_std > 0)
    out += fmt::format("  the rate {} by {} ± {} a second\n", rhythm.trend_hz_per_s > 0 ? "rises" : "falls",
                       format_quantity(std::abs(rhythm.trend_hz_per_s), "Hz", 3),
                       format_quantity(rhythm.trend_std, "Hz", 2));
  if (rhythm.missed > 0 || rhythm.extra > 0)
    out += fmt::format("  by the intervals {} missing, {} too many\n", rhythm.missed, rhythm.extra);
  return out;
}

std::string shape_text(const ChannelPeaks& c) {
  std::string out = fmt::format("  by their shape: {} samples, {} high", c.shape.count,
                                format_quantity(std::abs(c.shape.height), c.channel.unit.label(), 4));
  if (c.unlike > 0) out += fmt::format("; {} left out that are less like it", c.unlike);
  return out + "\n";
}

Json json_of(const ChannelPeaks& c) {
  Json peaks = Json::array();
  for (std::size_t i = 0; i < std::min(c.peaks.size(), most_listed); ++i) {
    peaks.push_back({{"time_s", number(c.times_s[i])},
                     {"time_std_s", number(c.times_std_s[i])},
                     {"height", number(c.peaks[i].height)},
                     {"height_std", number(c.peaks[i].height_std)},
                     {"prominence", number(c.peaks[i].prominence)},
                     {"width_s", number(c.widths_s[i])},
                     {"interval_s", i == 0 ? Json(nullptr) : number(c.times_s[i] - c.times_s[i - 1])}});
    if (!c.likenesses.empty()) peaks.back()["likeness"] = number(c.likenesses[i]);
  }
  const auto rhythm = [&](auto get) { return c.rhythm ? number(get(*c.rhythm)) : Json(nullptr); };
  const bool bounded = std::isfinite(c.rules.min_prominence) && c.rules.min_prominence > 0;
  const bool shaped = !c.shape.empty();
  return {{"channel", c.channel.name},
          {"unit", c.channel.unit.label()},
          {"template_samples", shaped ? Json(c.shape.count) : Json(nullptr)},
          {"template_height", shaped ? number(c.shape.height) : Json(nullptr)},
          {"unlike", shaped ? Json(c.unlike) : Json(nullptr)},
          {"kind", c.sign > 0 ? "maxima" : "minima"},
          {"count", c.peaks.size()},
          {"min_prominence", bounded ? number(c.rules.min_prominence) : Json(nullptr)},
          {"min_prominence_found", c.prominence_found},
          {"interval_mean_s", rhythm([](const PeakRhythm& r) { return r.mean_s; })},
          {"interval_std_s", rhythm([](const PeakRhythm& r) { return r.std_s; })},
          {"interval_median_s", rhythm([](const PeakRhythm& r) { return r.median_s; })},
          {"interval_neighbour_rms_s", rhythm([](const PeakRhythm& r) { return r.neighbour_scatter_s; })},
          {"rate_hz", rhythm([](const PeakRhythm& r) { return r.rate_hz; })},
          {"rate_trend_hz_per_s", rhythm([](const PeakRhythm& r) { return r.trend_hz_per_s; })},
          {"rate_trend_std", rhythm([](const PeakRhythm& r) { return r.trend_std; })},
          {"missed", c.rhythm ? Json(c.rhythm->missed) : Json(nullptr)},
          {"extra", c.rhythm ? Json(c.rhythm->extra) : Json(nullptr)},
          {"peaks", std::move(peaks)}};
}

TextTable table_of(const ChannelPeaks& c) {
  const bool shaped = !c.likenesses.empty();
  TextTable out =
      shaped ? TextTable({{"#"}, {"time"}, {"height"}, {"prominence"}, {"width"}, {"interval"}, {"likeness"}})
             : TextTable({{"#"}, {"time"}, {"height"}, {"prominence"}, {"width"}, {"interval"}});
  const std::string unit = c.channel.unit.label();
  constexpr std::size_t shown = 30;
  for (std::size_t i = 0; i < std::min(shown, c.peaks.size()); ++i) {
    std::vector<std::string> row = {std::to_string(i + 1),
                                    format_uncertain(c.times_s[i], c.times_std_s[i], "s"),
                                    format_uncertain(c.peaks[i].height, c.peaks[i].height_std, unit),
                                    format_quantity(c.peaks[i].prominence, unit, 4),
                                    format_quantity(c.widths_s[i], "s", 4),
                                    i == 0 ? "" : format_quantity(c.times_s[i] - c.times_s[i - 1], "s", 6)};
    if (shaped)
      row.push_back(std::isnan(c.likenesses[i]) ? "" : fmt::format("{:.0f}%", 100 * c.likenesses[i]));
    out.add(row);
  }
  return out;
}

Panel trace_panel(const PeaksResult& result, std::size_t index) {
  const Recording& r = result.facts.recording;
  const ChannelPeaks& c = result.channels[index];
  std::size_t column = 0;
  while (column < r.channels.size() && r.channels[column].name != c.channel.name) ++column;
  const Outline outline = coarser(result.outlines->result()[column], 640);
  Panel panel;
  panel.title = fmt::format("{}: {} {}", c.channel.name, c.peaks.size(), c.sign > 0 ? "peaks" : "minima");
  panel.x = {"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()};
  panel.y = {c.channel.quantity.empty() ? "Value" : c.channel.quantity,
             c.channel.unit.text() == "1" ? "" : c.channel.unit.label()};
  Curve trace;
  trace.colour = 0;
  for (std::size_t i = 0; i < outline.low.size(); ++i) {
    const double sample =
        (static_cast<double>(i) + 0.5) * static_cast<double>(outline.samples_per_stretch) - 0.5;
    trace.x.push_back(r.axis.stamped && i < outline.at.size() ? outline.at[i]
                                                              : r.axis.start + sample * r.axis.interval);
    trace.y.push_back(outline.low[i]);
    if (outline.samples_per_stretch > 1) trace.high.push_back(outline.high[i]);
  }
  panel.curves.push_back(std::move(trace));
  Curve tops;
  tops.colour = 1, tops.points = c.peaks.size() > 300 ? Curve::Points::dots : Curve::Points::rings;
  tops.x = c.times_s;
  for (const TimePeak& peak : c.peaks) tops.y.push_back(peak.height);
  if (!tops.x.empty()) panel.curves.push_back(thinned(std::move(tops), 2000, false));
  return panel;
}

/// Intervals where the later peak of each stands.
Panel interval_panel(const PeaksResult& result, const ChannelPeaks& c) {
  const Recording& r = result.facts.recording;
  Panel panel;
  panel.title = c.channel.name + ": time since the peak before";
  panel.x = {"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()};
  panel.y = {"Interval", "s"};
  Curve points;
  points.points = Curve::Points::dots, points.colour = 2;
  for (std::size_t i = 1; i < c.times_s.size(); ++i) {
    points.x.push_back(c.times_s[i]);
    points.y.push_back(c.times_s[i] - c.times_s[i - 1]);
  }
  panel.curves.push_back(thinned(std::move(points), 4000, false));
  return panel;
}

Panel height_panel(const ChannelPeaks& c) {
  Panel panel;
  panel.title = c.channel.name + ": how many of each height";
  panel.y = {"Peaks", ""};
  panel.y.low = 0;
  double low = c.peaks.front().height, high = low;
  for (const TimePeak& peak : c.peaks) low = std::min(low, peak.height), high = std::max(high, peak.height);
  const double room = std::max(high - low, 1e-9 * std::max(std::abs(high), 1e-300));
  const auto bars =
      static_cast<std::size_t>(std::clamp(std::sqrt(static_cast<double>(c.peaks.size())) * 2, 8.0, 60.0));
  Curve counts;
  counts.colour = 4;
  counts.y.assign(bars, 0);
  for (std::size_t i = 0; i < bars; ++i) {
    counts.x.push_back(low + room * static_cast<double>(i) / static_cast<double>(bars));
    counts.right.push_back(low + room * static_cast<double>(i + 1) / static_cast<double>(bars));
  }
  for (const TimePeak& peak : c.peaks)
    ++counts.y[std::min(bars - 1,
                        static_cast<std::size_t>((peak.height - low) / room * static_cast<double>(bars)))];
  panel.x = {"Height", c.channel.unit.text() == "1" ? "" : c.channel.unit.label(), false, low, low + room};
  panel.curves.push_back(std::move(counts));
  return panel;
}

}  // namespace

void report_peaks(const PeaksResult& result, Delivery& delivery) {
  const Recording& r = result.facts.recording;
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n";
  for (const ChannelPeaks& c : result.channels) {
    delivery.text += fmt::format(
        "\n{}: {} {}", title_of(c), c.peaks.size(),
        c.sign > 0 ? (c.peaks.size() == 1 ? "peak" : "peaks") : (c.peaks.size() == 1 ? "minimum" : "minima"));
    if (c.rules.min_prominence > 0 && std::isfinite(c.rules.min_prominence))
      delivery.text += fmt::format(" of a prominence from {} on{}",
                                   format_quantity(c.rules.min_prominence, c.channel.unit.label(), 3),
                                   c.prominence_found ? " (found)" : "");
    delivery.text += "\n";
    if (!c.shape.empty()) delivery.text += shape_text(c);
    if (c.rhythm) delivery.text += rhythm_text(*c.rhythm);
    if (!c.peaks.empty()) delivery.text += table_of(c).text();
    if (c.peaks.size() > most_listed)
      delivery.cautions.push_back({"peaks-not-listed", Severity::note, c.channel.name,
                                   "the document lists the first " + std::to_string(most_listed) + " of " +
                                       std::to_string(c.peaks.size()) + " peaks",
                                   "the CSV has all; or gate to a part"});
    if (c.peaks.size() > 30) delivery.text += fmt::format("  and {} more, in the CSV\n", c.peaks.size() - 30);
    delivery.results.push_back(json_of(c));
  }
  Json pairs = Json::array();
  for (const PeaksResult::Pair& p : result.pairs) {
    const std::string first = title_of(result.channels[0]), other = title_of(result.channels[p.other]);
    const double delay = p.pairing.delay_mean_s;
    delivery.text +=
        fmt::format("\n{} peaks of \"{}\" have one of \"{}\" beside them, {} {} (std {}); alone {} and {}\n",
                    p.pairing.pairs, first, other, format_quantity(std::abs(delay), "s", 4),
                    delay >= 0 ? "later" : "earlier", format_quantity(p.pairing.delay_std_s, "s", 3),
                    p.pairing.alone_first, p.pairing.alone_second);
    pairs.push_back({{"first", first},
                     {"second", other},
                     {"pairs", p.pairing.pairs},
                     {"delay_mean_s", number(delay)},
                     {"delay_std_s", number(p.pairing.delay_std_s)},
                     {"leads", delay >= 0 ? first : other},
                     {"alone_first", p.pairing.alone_first},
                     {"alone_second", p.pairing.alone_second}});
  }
  if (!pairs.empty()) delivery.further["pairs"] = std::move(pairs);
  delivery.text += "\n";
}

std::string peaks_csv(const PeaksResult& result) {
  std::string out =
      "channel,time (s),time std (s),height,height std,prominence,width (s),interval (s),unit,likeness\n";
  for (const ChannelPeaks& c : result.channels)
    for (std::size_t i = 0; i < c.peaks.size(); ++i)
      out += fmt::format(
          "{},{:.12g},{:.3g},{:.10g},{:.3g},{:.8g},{:.8g},{},{},{}\n", csv_cell(title_of(c)), c.times_s[i],
          c.times_std_s[i], c.peaks[i].height, c.peaks[i].height_std, c.peaks[i].prominence, c.widths_s[i],
          i == 0 ? "" : fmt::format("{:.10g}", c.times_s[i] - c.times_s[i - 1]),
          csv_cell(c.channel.unit.text()),
          c.likenesses.empty() || std::isnan(c.likenesses[i]) ? "" : fmt::format("{:.4g}", c.likenesses[i]));
  return out;
}

Figure peaks_figure(const PeaksResult& result) {
  Figure figure;
  figure.title = result.facts.recording.stem() + ": peaks";
  for (std::size_t i = 0; i < result.channels.size(); ++i) {
    const ChannelPeaks& c = result.channels[i];
    figure.panels.push_back(trace_panel(result, i));
    if (c.rhythm) {
      figure.panels.push_back(interval_panel(result, c));
      figure.caption +=
          fmt::format("{}{}: every {}, std {}", figure.caption.empty() ? "" : "; ", title_of(c),
                      format_quantity(c.rhythm->mean_s, "s", 5), format_quantity(c.rhythm->std_s, "s", 3));
    }
    if (c.peaks.size() > 5) figure.panels.push_back(height_panel(c));
  }
  return figure;
}

}  // namespace vprism
