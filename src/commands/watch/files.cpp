// files.cpp: see files.h.
#include "commands/watch/files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/shared/maps.h"
#include "frame/outputs.h"

namespace vprism {

Json peaks_json(const ChannelNow& now) {
  Json peaks = Json::array();
  for (const Peak& p : now.peaks)
    peaks.push_back({{"frequency_hz", number(p.frequency_hz)},
                     {"frequency_std_hz", number(p.frequency_std_hz)},
                     {"level", number(p.rms)}});
  return peaks;
}

namespace {

/// The first channel that had a look: gaps may leave others without. Null where none had.
const ChannelNow* lead_of(const WatchState& w) {
  for (const ChannelNow& n : w.now)
    if (!n.spectrum.power.empty()) return &n;
  return nullptr;
}

constexpr std::size_t small_map = 100'000, most_of_map = 4'000'000;

std::vector<double> shown_hz(const WatchState& w, std::size_t c) {
  std::vector<double> hz;
  const Spectrum& lead = lead_of(w)->spectrum;
  const auto [low, high] = w.shown_bins(c);
  for (std::size_t k = low; k < high; ++k) hz.push_back(lead.frequency_hz(k));
  return hz;
}

LevelMap map_of(const WatchState& w, std::size_t c) { return w.maps[c].map(shown_hz(w, c)); }

/// The greatest of neighbouring rows where there would be more than `most` levels.
LevelMap bounded_map(const WatchState& w, std::size_t c, std::size_t most) {
  LevelMap map = map_of(w, c);
  return map.rows() * map.columns > most
             ? map.reduced(std::max<std::size_t>(1, most / map.columns), map.columns)
             : map;
}

Delivery listed(const WatchState& w) {
  Delivery delivery;
  delivery.command = "watch";
  InputFacts facts;
  facts.recording = w.recording;
  facts.recording.samples = w.samples;
  delivery.inputs.push_back(facts);
  delivery.cautions = w.cautions;
  for (std::size_t c = 0; c < w.now.size(); ++c) {
    Json peaks = peaks_json(w.now[c]);
    delivery.results.push_back({{"channel", w.recording.channels[c].name},
                                {"unit", w.recording.channels[c].unit.label()},
                                {"rate_hz", number(w.recording.axis.rate_hz())},
                                {"segment", w.now[c].spectrum.plan.segment},
                                {"rbw_hz", number(w.now[c].spectrum.plan.rbw_hz)},
                                {"rms", number(w.now[c].rms)},
                                {"min", number(w.now[c].least)},
                                {"max", number(w.now[c].greatest)},
                                {"peaks", std::move(peaks)}});
  }
  delivery.further["samples"] = w.samples;
  delivery.further["until_s"] = number(w.until_s);
  delivery.further["looks"] = w.looks;
  delivery.further["alarms"] = w.alarms;
  delivery.further["events"] = w.events;
  return delivery;
}

Figure spectrum_picture(const WatchState& w) {
  Figure figure;
  figure.title = w.stem + ": the newest " + format_quantity(w.stretch_s, "s", 3) + " until " +
                 format_quantity(w.until_s, "s", 6);
  const SpectrumPlan& plan = lead_of(w)->spectrum.plan;
  figure.caption =
      fmt::format("{}, segment {}, RBW {}, {} averages; level: rms", lead_of(w)->spectrum.window.name(),
                  plan.segment, format_quantity(plan.rbw_hz, "Hz", 4), plan.averages);
  for (std::size_t c = 0; c < std::min<std::size_t>(4, w.now.size()); ++c) {
    const Spectrum& s = w.now[c].spectrum;
    if (s.power.empty()) continue;
    const auto [low, high] = w.shown_bins(c);
    Panel panel;
    panel.title = w.recording.channels[c].name;
    panel.x = {"Frequency", "Hz"};
    panel.y = {"Level, RMS", w.recording.channels[c].unit.label(), true};
    Curve curve;
    for (std::size_t k = std::max<std::size_t>(1, low); k < high; ++k)
      curve.x.push_back(s.frequency_hz(k)), curve.y.push_back(s.level(k, Scale::rms));
    panel.curves.push_back(thinned(std::move(curve), 4000, false));
    for (std::size_t i = 0; i < w.now[c].peaks.size(); ++i)
      panel.marks.push_back({w.now[c].peaks[i].frequency_hz, w.now[c].peaks[i].rms, std::to_string(i + 1)});
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

Figure map_picture(const WatchState& w) {
  Figure figure;
  figure.title = w.stem + ": spectrogram of the newest looks";
  figure.caption =
      fmt::format("a column a look, each the mean over {}", format_quantity(w.stretch_s, "s", 3));
  for (std::size_t c = 0; c < std::min<std::size_t>(3, w.now.size()); ++c) {
    if (w.maps[c].columns() == 0) continue;
    MapLook look;
    look.title = w.recording.channels[c].name;
    look.x = {"Time", "s"};
    look.level_unit = decibels_of(w.recording.channels[c].unit);
    figure.panels.push_back(map_panel(map_of(w, c), look).panel);
  }
  return figure;
}

}  // namespace

std::pair<std::size_t, std::size_t> WatchState::shown_bins(std::size_t c) const {
  const ChannelNow* const lead = lead_of(*this);
  if (lead == nullptr) return {0, 0};
  const bool whole = c >= spans.size() || !spans[c];
  return lead->spectrum.bins_within(whole ? std::nullopt : spans[c]->low,
                                    whole ? std::nullopt : spans[c]->high);
}

std::vector<OutputFolder::Entry> write_watch(const WatchState& w, const OutputSettings& output, bool ended,
                                             std::string* why_pictures_failed) {
  Outputs folder(output, "watch");
  if (w.recording.file != "standard input") folder.protect(w.recording.file);
  if (const ChannelNow* const lead = lead_of(w); lead != nullptr) {
    std::string csv = "frequency (Hz)";
    for (const Channel& channel : w.recording.channels)
      csv += "," + csv_cell(channel.name + " (" + channel.unit.text() + ")");
    csv += "\n";
    for (std::size_t k = 0; k < lead->spectrum.bins(); ++k) {
      std::string row;
      bool any = false;
      for (std::size_t c = 0; c < w.now.size(); ++c) {
        const Spectrum& s = w.now[c].spectrum;
        const auto [low, high] = w.shown_bins(c);
        const bool there = !s.power.empty() && k >= low && k < high;
        any = any || (k >= low && k < high);
        row += there ? fmt::format(",{:.6g}", s.level(k, Scale::rms)) : ",";
      }
      if (any) csv += fmt::format("{}", lead->spectrum.frequency_hz(k)) + row + "\n";
    }
    folder.add(w.stem + "-watch-spectrum.csv", csv, "the newest spectrum, RMS per bin");
    for (std::size_t c = 0; c < w.now.size(); ++c)
      if (w.maps[c].columns() > 0 && (ended || w.maps[c].columns() * shown_hz(w, c).size() <= small_map))
        write_level_map(folder, "csv",
                        w.stem + "-watch" + (w.now.size() > 1 ? "-" + std::to_string(c + 1) : ""),
                        "the newest looks, RMS per bin", bounded_map(w, c, most_of_map), 0,
                        {"frequency (Hz)",
                         "time (s)",
                         w.recording.channels[c].name + " RMS (" + w.recording.channels[c].unit.text() + ")",
                         {}},
                        [](double power) { return std::sqrt(power); });
    if (output.figure) {
      folder.add_figure(w.stem + "-watch-spectrum", spectrum_picture(w), "the newest spectrum");
      if (std::any_of(w.maps.begin(), w.maps.end(), [](const RollingMap& map) { return map.columns() > 1; }))
        folder.add_figure(w.stem + "-watch-map", map_picture(w), "the newest looks");
    }
  }
  folder.draw_waiting();
  if (why_pictures_failed != nullptr) *why_pictures_failed = folder.why_pictures_failed();
  auto entries = folder.entries_with_digests();
  for (const std::string& name : w.alarm_records)
    entries.push_back({folder.path_of(name), "the waveform around an alarm"});
  if (!w.recorded.empty()) entries.push_back({folder.path_of(w.recorded), "the stream itself"});
  entries.push_back({folder.path_of(w.stem + "-watch.json"), "result document"});
  folder.add(w.stem + "-watch.json", listed(w).document_text(entries), "result document");
  folder.commit();
  return entries;
}

}  // namespace vprism
