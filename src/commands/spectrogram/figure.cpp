// figure.cpp: the map with its ridges, events and slices, and in 3-D.
#include <algorithm>
#include <cmath>

#include "base/percentile.h"
#include "commands/shared/maps.h"
#include "commands/spectrogram/spectrogram.h"
#include "commands/spectrum/spectrum.h"

namespace vprism {

namespace {

void add_slices(const SpectrogramShown& shown, std::size_t c, Figure& figure) {
  for (const bool at_time : {true, false}) {
    Panel panel;
    const Channel& named = shown.result.facts.recording.channels[c];
    std::string names;
    panel.x = {at_time ? "Frequency" : "Time", at_time ? "Hz" : "s"};
    panel.y = {scale_entry(shown.settings.analysis.scale).name,
               Shown{shown.settings.analysis}.unit(named.unit),
               !shown.settings.analysis.decibel_reference.has_value()};
    for (const MapSlice& slice : shown.settings.slices) {
      if (slice.at_time != at_time) continue;
      Curve curve = shown.slice(c, slice);
      curve.colour = static_cast<int>(panel.curves.size());
      names += (names.empty() ? "" : ", ") + curve.name;
      panel.curves.push_back(thinned(std::move(curve), 4000, false));
    }
    panel.title = named.name + (at_time ? ": spectrum at " : ": level at ") + names;
    if (!panel.curves.empty()) figure.panels.push_back(std::move(panel));
  }
}

}  // namespace

Figure spectrogram_figure(const SpectrogramShown& shown) {
  const Recording& r = shown.result.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": spectrogram";
  std::string ranges;
  for (std::size_t c = 0; c < shown.result.channels.size(); ++c) {
    const SpectrogramOfChannel& channel = shown.result.channels[c];
    if (figure.panels.size() >= most_panels_drawn) {
      figure.beyond = figure.panels.size() / c * (shown.result.channels.size() - c);
      break;
    }
    MapLook look;
    look.title = r.channels[c].name;
    look.x = {"Time", "s"};
    look.offset = r.axis.start;
    look.logarithmic = shown.settings.logarithmic && !r.complex;
    look.to_db = shown.to_db();
    look.level_unit = shown.level_unit(c);
    look.range_db = shown.settings.range_db;
    MapPanel panel = map_panel(channel.spectrogram.map, look);
    if (shown.result.channels.size() <= most_ranges) ranges += "; " + range_text(panel.range);
    for (std::size_t i = 0; i < channel.ridges.size(); ++i) {
      Curve line;
      for (const Ridge::Point& p : channel.ridges[i].points)
        line.x.push_back(r.axis.start + p.time_s), line.y.push_back(p.hz);
      line.colour = paper_colour;
      panel.panel.marks.push_back({line.x.back(), line.y.back(), std::to_string(i + 1)});
      panel.panel.curves.push_back(thinned(std::move(line), 2000, false));
    }
    add_event_boxes(panel.panel, shown.events(c), shown.result.plan.segment_s() / 4,
                    shown.result.plan.rbw_hz / 2);
    figure.panels.push_back(std::move(panel.panel));
    add_slices(shown, c, figure);
  }
  figure.caption = shown.cut() + ranges;
  return figure;
}

Figure spectrogram_waterfall(const SpectrogramShown& shown) {
  const Recording& r = shown.result.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": spectrogram in 3-D";
  figure.caption = shown.cut();
  for (std::size_t c = 0; c < shown.result.channels.size(); ++c) {
    if (c >= most_panels_drawn) {
      figure.beyond = shown.result.channels.size() - c;
      break;
    }
    const LevelMap map = shown.result.channels[c].spectrogram.map.reduced(400, 60);
    MapLook look;
    look.to_db = shown.to_db(), look.range_db = shown.settings.range_db;
    const LevelRange range = map_panel(map, look).range;
    Panel panel;
    panel.title = r.channels[c].name;
    panel.x = {"Frequency", "Hz"};
    panel.y = {"Time", "s"};
    Relief relief;
    relief.x = map.frequency_hz;
    // Noise up to its middle is the floor: what rises above it is then seen.
    std::vector<float> levels;
    for (const float power : map.power)
      if (!std::isnan(power)) levels.push_back(power);
    const double floor_db =
        shown.settings.range_db && shown.settings.range_db->low
            ? range.low_db
            : 10 * std::log10(std::max(static_cast<double>(median_in(levels)), 1e-37)) + look.to_db;
    relief.z = {"Level", shown.level_unit(c), false, floor_db};
    for (std::size_t k = 0; k < map.columns; ++k) {
      relief.y.push_back(r.axis.start + map.time_s(k));
      for (std::size_t row = 0; row < map.rows(); ++row) {
        const auto power = static_cast<double>(map.at(row, k));
        relief.values.push_back(std::max(
            floor_db, 10 * std::log10(std::isnan(power) ? 1e-37 : std::max(power, 1e-37)) + look.to_db));
      }
    }
    panel.relief = std::move(relief);
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

}  // namespace vprism
