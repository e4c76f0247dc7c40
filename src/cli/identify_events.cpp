// identify_events.cpp: what happens once, or now and then, as findings.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/text.h"
#include "cli/identify.h"
#include "identify/events.h"

namespace vprism {

namespace {

/// The RMS over the whole record of a swing that long, to rank it by.
double level_of(const TimeEvent& e, std::int64_t samples) {
  return (e.swing - e.usual) / std::sqrt(8.0) *
         std::sqrt((e.end - e.first) / static_cast<double>(std::max<std::int64_t>(1, samples)));
}

/// What a family of lines explains comes as often as its fundamental, once or twice a period.
bool events_of_family(const Recording& r, std::size_t c, std::size_t events, double rms,
                      const IdentifyResult& result) {
  for (std::size_t i = 0; i < result.findings.size(); ++i) {
    const Finding& f = result.findings[i];
    if (result.channels[i] != c || (f.kind != "harmonic-family" && f.kind != "impulse-family") ||
        f.level_rms * f.level_rms < 0.5 * rms * rms)
      continue;
    const double periods = f.frequency_hz * r.duration_s(), count = static_cast<double>(events);
    if (count > 0.2 * periods && count < 2.5 * periods + 2) return true;
  }
  return false;
}

}  // namespace

void name_events(const Recording& r, std::size_t c, const Outline& outline, double rms,
                 IdentifyResult& result) {
  const std::vector<TimeEvent> events = find_events(outline);
  constexpr std::size_t most = 10;
  if (events.size() > 3 && events_of_family(r, c, events.size(), rms, result)) return;
  const Channel& channel = r.channels[c];
  const auto at = [&](double sample) { return r.axis.start + sample * r.axis.interval; };
  const bool alike = events.size() > most && events[most - 1].swing > 0.5 * events.front().swing;
  double square = 0;
  for (const TimeEvent& e : events) square += std::pow(level_of(e, r.samples), 2);
  for (std::size_t i = 0; i < std::min(alike ? 1 : most, events.size()); ++i) {
    const TimeEvent& e = events[i];
    Finding f;
    f.kind = "event";
    f.recording = r.file;
    f.channel = channel.name;
    f.unit = channel.unit.label();
    f.level_rms = std::min(alike ? std::sqrt(square) : level_of(e, r.samples), rms);
    f.text = fmt::format("an event from {} to {}, {} peak to peak, {:.3g} times what is usual",
                         format_quantity(at(e.first), "s", 6), format_quantity(at(e.end), "s", 6),
                         format_quantity(e.swing, f.unit, 4), e.swing / std::max(e.usual, 1e-300));
    f.numbers = {{"start_s", at(e.first)}, {"end_s", at(e.end)}, {"swing", e.swing}};
    if (alike) {
      f.text =
          fmt::format("{} events, the largest {}", events.size(), f.text.substr(std::strlen("an event ")));
      f.numbers.emplace_back("count", static_cast<double>(events.size()));
      std::string others;
      for (std::size_t j = 1; j < most; ++j)
        others += (j > 1 ? ", " : "") + format_quantity(at(events[j].first), "s", 6);
      f.evidence.push_back("the next largest begin at " + others);
    }
    f.evidence.push_back(fmt::format("the median peak to peak of stretches this long is {}",
                                     format_quantity(e.usual, f.unit, 3)));
    if (events.size() > most && i == 0 && !alike)
      f.evidence.push_back(fmt::format("{} events in all; the {} largest are shown", events.size(), most));
    result.findings.push_back(std::move(f));
    result.watches.emplace_back();
    result.channels.push_back(c);
  }
}

}  // namespace vprism
