// report.cpp: a spectrogram as text, JSON, findings and slices.
#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "commands/spectrogram/spectrogram.h"
#include "commands/spectrum/spectrum.h"

namespace vprism {

namespace {

std::string limits_text(const SpectrogramResult& result) {
  return "events shorter than " + format_quantity(result.plan.segment_s(), "s", 3) +
         " are spread over that time, lines closer than " + format_quantity(result.plan.rbw_hz, "Hz", 3) +
         " merge";
}

}  // namespace

std::string MapSlice::name() const { return format_quantity(where, at_time ? "s" : "Hz", 7); }

double SpectrogramShown::level(double power) const {
  const double crest = result.facts.recording.complex ? 1 : 2;
  return level_of(power, settings.analysis.scale, crest, result.plan.rbw_hz, result.plan.segment_s());
}

double SpectrogramShown::value(double power) const { return Shown{settings.analysis}.value(level(power)); }

double SpectrogramShown::to_db() const {
  return decibels(level(1), scale_entry(settings.analysis.scale).amplitude,
                  settings.analysis.decibel_reference.value_or(1));
}

std::string SpectrogramShown::level_unit(std::size_t c) const {
  const std::string plain = scale_unit(channel(c).unit, settings.analysis.scale);
  return "dB re " + format_number(settings.analysis.decibel_reference.value_or(1)) +
         (plain == "1" ? "" : " " + plain);
}

std::string SpectrogramShown::cut() const {
  const Spectrogram& first = result.channels.front().spectrogram;
  const double overlap = 1 - static_cast<double>(result.plan.hop) / static_cast<double>(result.plan.segment);
  std::string out = fmt::format(
      "{}, segment {} ({}), {}, {} segments, RBW {}", first.grid.window.name(), result.plan.segment,
      format_quantity(result.plan.segment_s(), "s", 4),
      overlap >= 0
          ? format_number(100 * overlap, 3) + "% overlap"
          : "step " + format_quantity(static_cast<double>(result.plan.hop) / result.plan.rate_hz, "s", 4),
      first.segments, format_quantity(result.plan.rbw_hz, "Hz"));
  if (first.group > 1) out += fmt::format("; a column is the greatest of {} segments", first.group);
  if (settings.sharpen) out += "; reassigned";
  return out;
}

std::vector<TimedEvent> SpectrogramShown::events(std::size_t c) const {
  std::vector<TimedEvent> out;
  const double start = result.facts.recording.axis.start;
  const SpectrogramOfChannel& channel = result.channels[c];
  const std::vector<double>& rows = channel.spectrogram.map.frequency_hz;
  for (std::size_t i = 0; i < channel.events.size(); ++i) {
    const MapEvent& e = channel.events[i];
    TimedEvent event;
    event.start_s = start + e.start_s, event.end_s = start + e.end_s, event.peak_s = start + e.peak_s;
    event.low_hz = e.low_hz, event.high_hz = e.high_hz, event.peak_hz = e.peak_hz;
    event.level = level(e.power);
    event.over_noise_db = 10 * std::log10(e.over_noise());
    event.time_std_s = result.plan.segment_s() / 4 / std::sqrt(e.over_noise());
    event.hz_std = result.plan.rbw_hz / 2 / std::sqrt(e.over_noise());
    event.level_std = event.level / std::sqrt(2 * e.over_noise());
    event.level_scale = scale_entry(settings.analysis.scale).name;
    const BurstFit* fit = i < channel.fits.size() && channel.fits[i].fit ? &*channel.fits[i].fit : nullptr;
    // A fit that ran out of the map is of something else.
    if (fit != nullptr && fit->hz >= rows.front() && fit->hz <= rows.back()) {
      take_shape(event, *fit);
      event.start_s = std::max(start, start + fit->start_s());
      event.end_s = std::min(start + fit->end_s(), start + result.facts.recording.duration_s());
      event.peak_s = start + fit->time_s, event.time_std_s = fit->time_std_s;
      if (fit->shape != BurstShape::click) {
        event.peak_hz = fit->hz, event.hz_std = fit->hz_std;
        event.low_hz = std::max(rows.front(), fit->hz - fit->half_hz());
        event.high_hz = std::min(rows.back(), fit->hz + fit->half_hz());
      }
      // What it had at its top, however long the segment; densities are the map's.
      if (settings.analysis.scale == Scale::rms || settings.analysis.scale == Scale::peak) {
        const double to_scale = settings.analysis.scale == Scale::rms ? std::sqrt(0.5) : 1;
        event.level = to_scale * fit->amplitude, event.level_std = to_scale * fit->amplitude_std;
      }
    }
    out.push_back(event);
  }
  return out;
}

Curve SpectrogramShown::slice(std::size_t c, const MapSlice& slice) const {
  const LevelMap& map = result.channels[c].spectrogram.map;
  const double start = result.facts.recording.axis.start;
  Curve curve;
  curve.name = slice.name();
  if (slice.at_time) {
    const std::size_t column = map.column_at(slice.where - start);
    for (std::size_t r = 0; r < map.rows(); ++r) {
      curve.x.push_back(map.frequency_hz[r]);
      curve.y.push_back(value(map.at(r, column)));
    }
  } else {
    const std::size_t row = map.row_at(slice.where);
    for (std::size_t k = 0; k < map.columns; ++k) {
      curve.x.push_back(start + map.time_s(k));
      curve.y.push_back(value(map.at(row, k)));
    }
  }
  return curve;
}

void report_spectrogram(const SpectrogramShown& shown, Delivery& delivery) {
  const SpectrogramResult& result = shown.result;
  const Recording& r = result.facts.recording;
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                   format_quantity(r.axis.rate_hz(), "Hz", 9) + "\n  " + shown.cut() + "\n  " +
                   limits_text(result) + "\n";
  for (std::size_t c = 0; c < result.channels.size(); ++c) {
    const SpectrogramOfChannel& channel = result.channels[c];
    const Channel& named = r.channels[c];
    delivery.text += "\n" + named.name + "\n";
    const auto level = [&](double power) {
      return format_quantity(shown.level(power), scale_unit(named.unit, shown.settings.analysis.scale), 4);
    };
    Json ridges = Json::array();
    if (!channel.ridges.empty()) {
      TextTable table(
          {{"ridge"},
           {"from (s)"},
           {"to (s)"},
           {"lowest (Hz)"},
           {"highest (Hz)"},
           {"slope (Hz/s)"},
           {std::string("mean level (") + scale_entry(shown.settings.analysis.scale).name + ")"}});
      for (std::size_t i = 0; i < channel.ridges.size(); ++i) {
        const Ridge& ridge = channel.ridges[i];
        table.add({std::to_string(i + 1), format_number(r.axis.start + ridge.points.front().time_s, 6),
                   format_number(r.axis.start + ridge.points.back().time_s, 6),
                   format_number(ridge.low_hz(), 7), format_number(ridge.high_hz(), 7),
                   format_number(ridge.slope(), 3), level(ridge.mean_power())});
        Json points = Json::array();
        const std::size_t step = std::max<std::size_t>(1, ridge.points.size() / 200);
        for (std::size_t p = 0; p < ridge.points.size(); p += step)
          points.push_back({number(r.axis.start + ridge.points[p].time_s), number(ridge.points[p].hz),
                            number(shown.level(ridge.points[p].power))});
        ridges.push_back({{"start_s", number(r.axis.start + ridge.points.front().time_s)},
                          {"end_s", number(r.axis.start + ridge.points.back().time_s)},
                          {"low_hz", number(ridge.low_hz())},
                          {"high_hz", number(ridge.high_hz())},
                          {"slope_hz_per_s", number(ridge.slope())},
                          {"level", number(shown.level(ridge.mean_power()))},
                          {"points", std::move(points)}});
      }
      delivery.text += table.text();
    }
    if (!shown.settings.sharpen) delivery.text += events_text(shown.events(c), named.unit.label());
    for (const TimedEvent& e : shown.events(c)) delivery.findings.push_back(event_finding(r, named, e));
    delivery.results.push_back({{"channel", named.name},
                                {"unit", named.unit.label()},
                                {"rate_hz", number(result.plan.rate_hz)},
                                {"window", channel.spectrogram.grid.window.name()},
                                {"segment", result.plan.segment},
                                {"hop", result.plan.hop},
                                {"segments", channel.spectrogram.segments},
                                {"columns", channel.spectrogram.map.columns},
                                {"bin_hz", number(result.plan.bin_hz)},
                                {"rbw_hz", number(result.plan.rbw_hz)},
                                {"window_s", number(result.plan.segment_s())},
                                {"scale", scale_entry(shown.settings.analysis.scale).name},
                                {"ridges", std::move(ridges)},
                                {"events", events_json(shown.events(c))}});
  }
  delivery.text += "\n";
}

std::string spectrogram_slices_csv(const SpectrogramShown& shown) {
  std::string out = "channel,slice,frequency (Hz) or time (s),level,unit\n";
  for (std::size_t c = 0; c < shown.result.channels.size(); ++c)
    for (const MapSlice& slice : shown.settings.slices) {
      const Curve curve = shown.slice(c, slice);
      for (std::size_t i = 0; i < curve.x.size(); ++i)
        out += fmt::format(
            "{},{},{:.10g},{:.6g},{}\n", csv_cell(shown.result.facts.recording.channels[c].name), curve.name,
            curve.x[i], curve.y[i],
            csv_cell(Shown{shown.settings.analysis}.unit(shown.result.facts.recording.channels[c].unit)));
    }
  return out;
}

}  // namespace vprism
