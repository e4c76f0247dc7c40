// events_report.cpp: see events_report.h.
#include "commands/shared/events_report.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/maps.h"

namespace vprism {

std::vector<std::vector<EventFit>> fit_on_samples(Input& input,
                                                  const std::vector<std::vector<SeenEvent>>& events) {
  constexpr std::size_t most = std::size_t{1} << 23;
  const Recording& r = input.road().recording();
  const double rate = r.axis.rate_hz(), duration = r.duration_s();
  std::vector<std::vector<EventFit>> out;
  for (const auto& some : events) out.emplace_back(some.size());
  for (std::size_t from = 0; from < events.size();) {
    std::vector<std::size_t> which;
    std::vector<Stretches> stretches;
    std::size_t samples = 0;
    for (; from < events.size() && (which.empty() || samples < most); ++from) {
      if (events[from].empty()) continue;
      stretches.push_back(stretches_of(events[from], rate, duration));
      which.push_back(from), samples += stretches.back().samples();
    }
    if (which.empty()) break;
    run_channels(input, which, {}, [&](const Block& block) {
      for (std::size_t i = 0; i < which.size(); ++i) stretches[i].add(block.first(), block.samples(i));
    });
    oneapi::tbb::parallel_for(std::size_t{0}, which.size(), [&](std::size_t i) {
      out[which[i]] = fit_events(events[which[i]], stretches[i], rate, duration);
    });
  }
  return out;
}

void take_shape(TimedEvent& event, const BurstFit& fit) {
  event.shape = fit.shape == BurstShape::bell ? "bell" : fit.shape == BurstShape::decay ? "decay" : "click";
  event.width_s = fit.width_s, event.width_std_s = fit.width_std_s, event.explained = fit.explained;
}

std::string events_text(const std::vector<TimedEvent>& events, const std::string& unit) {
  if (events.empty()) return "  no event stands out of the rest\n";
  TextTable table({{"event"},
                   {"from (s)"},
                   {"to (s)"},
                   {"peak at (s)"},
                   {"from (Hz)"},
                   {"to (Hz)"},
                   {"peak at (Hz)"},
                   {"level (" + events.front().level_scale + ")"},
                   {"over noise (dB)"},
                   {"", TextTable::Align::left}});
  for (std::size_t i = 0; i < std::min<std::size_t>(20, events.size()); ++i) {
    const TimedEvent& e = events[i];
    table.add({std::to_string(i + 1), format_number(e.start_s, 6), format_number(e.end_s, 6),
               format_number(e.peak_s, 6), format_number(e.low_hz, 4), format_number(e.high_hz, 4),
               format_uncertain(e.peak_hz, e.hz_std, ""), format_quantity(e.level, unit, 4),
               fmt::format("{:.1f}", e.over_noise_db),
               e.at_edge            ? "touches the record's ends"
               : e.shape == "click" ? "click, over within half a period"
               : !e.shape.empty()   ? e.shape + (e.shape == "bell" ? ", sigma " : ", time constant ") +
                                        format_uncertain(e.width_s, e.width_std_s, "s")
               : e.level_corrected
                   ? "about " + format_quantity(*e.level_corrected, unit, 3) + " if its shape is Gauss's"
                   : ""});
  }
  std::string out = table.text();
  if (events.size() > 20) out += fmt::format("  and {} more in the document\n", events.size() - 20);
  return out;
}

Json events_json(const std::vector<TimedEvent>& events) {
  Json out = Json::array();
  for (const TimedEvent& e : events) {
    out.push_back({{"start_s", number(e.start_s)},
                   {"end_s", number(e.end_s)},
                   {"peak_s", number(e.peak_s)},
                   {"peak_std_s", number(e.time_std_s)},
                   {"low_hz", number(e.low_hz)},
                   {"high_hz", number(e.high_hz)},
                   {"peak_hz", number(e.peak_hz)},
                   {"peak_std_hz", number(e.hz_std)},
                   {"level", number(e.level)},
                   {"level_std", number(e.level_std)},
                   {"over_noise_db", number(e.over_noise_db)},
                   {"at_edge", e.at_edge}});
    if (!e.shape.empty())
      out.back().update({{"shape", e.shape},
                         {"width_s", number(e.width_s)},
                         {"width_std_s", number(e.width_std_s)},
                         {"explained_percent", number(100 * e.explained)}});
    if (e.level_corrected) out.back()["level_corrected"] = number(*e.level_corrected);
  }
  return out;
}

Finding event_finding(const Recording& recording, const Channel& channel, const TimedEvent& e) {
  Finding f;
  f.kind = "event";
  f.recording = recording.file;
  f.channel = channel.name;
  f.frequency_hz = e.peak_hz, f.frequency_std_hz = e.hz_std;
  f.level_rms = e.level_scale == "peak" ? e.level / std::sqrt(2.0) : e.level;
  f.unit = channel.unit.label();
  f.text = fmt::format("an event from {} to {} s between {} and {}, {} {} at its peak",
                       format_number(e.start_s, 6), format_number(e.end_s, 6),
                       format_quantity(e.low_hz, "Hz", 4), format_quantity(e.high_hz, "Hz", 4),
                       format_quantity(e.level, channel.unit.label(), 4), e.level_scale);
  f.evidence = {fmt::format("{:.1f} dB over the noise of its frequency, at {} s and {}", e.over_noise_db,
                            format_uncertain(e.peak_s, e.time_std_s, ""),
                            format_uncertain(e.peak_hz, e.hz_std, "Hz"))};
  f.numbers = {{"start_s", e.start_s}, {"end_s", e.end_s}};
  return f;
}

void add_event_boxes(Panel& panel, const std::vector<TimedEvent>& events, double least_s, double least_hz) {
  for (std::size_t i = 0; i < std::min<std::size_t>(12, events.size()); ++i) {
    const TimedEvent& e = events[i];
    const double more_s = std::max(0.0, least_s - (e.end_s - e.start_s) / 2),
                 more_hz = std::max(0.0, least_hz - (e.high_hz - e.low_hz) / 2);
    const double low = panel.y.logarithmic ? std::max(e.low_hz / 1.02, *panel.y.low)
                                           : std::max(e.low_hz - more_hz, *panel.y.low);
    outline(panel, e.start_s - more_s, e.end_s + more_s, low,
            panel.y.logarithmic ? e.high_hz * 1.02 : e.high_hz + more_hz, std::to_string(i + 1));
  }
}

}  // namespace vprism
