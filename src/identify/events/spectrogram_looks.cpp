// spectrogram_looks.cpp: see spectrogram_looks.h.
#include "identify/events/spectrogram_looks.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace vprism {

std::vector<MapEvent> spectrogram_events(const Spectrogram& s) {
  const LevelMap& map = s.map;
  // Segments that overlap by half or less look anew each; more overlap adds little.
  const double looks = std::max(1.0, 2 * map.step_s / s.grid.plan.segment_s());
  const std::vector<double> independent(map.rows(), looks);
  const std::vector<std::pair<std::size_t, std::size_t>> all(map.rows(), {0, map.columns});
  std::vector<RowNoise> noise = row_noise(map, independent, all, 4, 1e-3);
  // What a mean or a slow drift leaks into the first bins is no event.
  if (s.grid.mirrored())
    for (std::size_t r = 0; r < map.rows() && map.frequency_hz[r] < 2.5 * s.grid.plan.bin_hz; ++r)
      noise[r].power = 0;
  return without_wanderers(map, find_map_events(map, noise));
}

std::vector<Caution> compare_looks(const std::string& channel, const Spectrogram& slow,
                                   const std::vector<MapEvent>& slow_events, const Spectrogram& quick,
                                   const std::vector<MapEvent>& quick_events, double start_s) {
  std::vector<Caution> out;
  const double window = slow.grid.plan.segment_s();
  const auto strength = [](const MapEvent& e) { return e.power; };
  std::vector<MapEvent> found = quick_events;
  std::stable_sort(found.begin(), found.end(),
                   [&](const MapEvent& a, const MapEvent& b) { return strength(a) > strength(b); });
  std::size_t listed = 0, more = 0;
  for (const MapEvent& e : found) {
    const double lasts = e.end_s - e.start_s;
    if (lasts >= 0.6 * window) continue;
    // The quick look's rows are wide: what it shows may lie anywhere within one.
    const double wide = quick.grid.plan.rbw_hz;
    double seen = 0;
    for (std::size_t r = slow.map.row_at(e.peak_hz - wide); r <= slow.map.row_at(e.peak_hz + wide); ++r)
      seen = std::max(seen, static_cast<double>(slow.map.at(r, slow.map.column_at(e.peak_s))));
    const double lost = 10 * std::log10(e.power / std::max(seen, 1e-37));
    if (lost < 2) continue;
    if (++listed > 3) {
      ++more;
      continue;
    }
    out.push_back(
        {"event-shorter-than-window", Severity::warning, channel,
         fmt::format("an event at {} s near {} lasts about {} and is read {:.1f} dB lower under the window "
                     "of {} than under one of {}",
                     format_number(start_s + e.peak_s, 6), format_quantity(e.peak_hz, "Hz", 3),
                     format_quantity(std::max(lasts, quick.map.step_s), "s", 2), lost,
                     format_quantity(window, "s", 3), format_quantity(quick.grid.plan.segment_s(), "s", 3)),
         fmt::format("look again with --segment {}, or with scalogram", quick.grid.plan.segment)});
  }
  if (more > 0) out.back().text += fmt::format(" (and {} more)", more);
  // Events the quick look parts in time, whose times the slow one shows as one.
  const auto around = [&](double time) {
    const MapEvent* best = nullptr;
    for (const MapEvent& e : slow_events)
      if (time >= e.start_s && time <= e.end_s && (best == nullptr || e.power > best->power)) best = &e;
    return best;
  };
  for (std::size_t i = 0; i < found.size() && i < 20; ++i)
    for (std::size_t k = i + 1; k < found.size() && k < 20; ++k) {
      const MapEvent &a = found[i], &b = found[k];
      const bool apart = a.end_s < b.start_s || b.end_s < a.start_s;
      if (!apart || std::abs(a.peak_s - b.peak_s) > window) continue;
      const MapEvent *in_a = around(a.peak_s), *in_b = around(b.peak_s);
      const bool together = in_a != nullptr && in_b != nullptr && in_a->start_s < b.peak_s &&
                            in_a->end_s > b.peak_s && in_b->start_s < a.peak_s && in_b->end_s > a.peak_s;
      if (!together) continue;
      out.push_back(
          {"events-merged", Severity::warning, channel,
           fmt::format("segments of {} show two events, at {} and {} s; those of {} show them at the same "
                       "time",
                       format_quantity(quick.grid.plan.segment_s(), "s", 3),
                       format_number(start_s + std::min(a.peak_s, b.peak_s), 6),
                       format_number(start_s + std::max(a.peak_s, b.peak_s), 6),
                       format_quantity(window, "s", 3)),
           fmt::format("look again with --segment {}, or with scalogram", quick.grid.plan.segment)});
      return out;
    }
  return out;
}

}  // namespace vprism
