// fitted_events.cpp: see fitted_events.h.
#include "identify/events/fitted_events.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "identify/lines/steady_lines.h"

namespace vprism {

namespace {

struct Reach {
  std::int64_t from = 0, to = 0;
};

/// From `lengths` of an event before it to as many behind it.
Reach reach_of(const SeenEvent& e, double rate_hz, double duration_s, double lengths) {
  const double length = lengths * std::max(e.end_s - e.start_s, e.window_s);
  const double low = std::max(0.0, std::min(e.start_s, e.peak_s) - length),
               high = std::min(duration_s, std::max(e.end_s, e.peak_s) + length);
  return {static_cast<std::int64_t>(low * rate_hz), static_cast<std::int64_t>(high * rate_hz)};
}
constexpr double fitted_lengths = 1, lines_lengths = 4;

/// Lines that stand through each stretch, fitted beside the events in it, are taken off: an event's fit would
/// follow the stronger of the two, and the cut at the record's ends makes a line look like an event.
void take_steady_lines(const std::vector<SeenEvent>& events, Stretches& stretches, double rate_hz,
                       double duration_s) {
  stretches.each([&](std::int64_t from, std::span<double> x) {
    std::vector<SampleRange> aside;
    for (const SeenEvent& e : events) {
      // What rings after it lasts longer than it stands above the half.
      Reach core = reach_of(e, rate_hz, duration_s, 0.5);
      core.to += static_cast<std::int64_t>(std::max(e.end_s - e.start_s, e.window_s) * rate_hz);
      const auto place = [&](std::int64_t n) {
        return static_cast<std::size_t>(
            std::clamp<std::int64_t>(n - from, 0, static_cast<std::int64_t>(x.size())));
      };
      if (place(core.from) < place(core.to)) aside.push_back({place(core.from), place(core.to)});
    }
    take_off(x, steady_lines(x, std::move(aside)));
  });
}

/// Square of what a bell of the given width about an event's summit reads.
double reading(std::span<const double> x, double rate_hz, double time_s, double width_s, double hz) {
  double re = 0, im = 0, all = 0;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(n) / rate_hz - time_s,
                 w = std::exp(-t * t / (2 * width_s * width_s));
    re += w * x[n] * std::cos(2 * std::numbers::pi * hz * t);
    im += w * x[n] * std::sin(2 * std::numbers::pi * hz * t);
    all += w;
  }
  return all > 0 ? (re * re + im * im) / (all * all) : 0;
}

/// Takes an event off as far as it reaches, which may be further than what it was fitted to.
void take_event(const BurstFit& fit, Stretches& stretches, double rate_hz) {
  const double reach = 12 * fit.width_s + 2 / rate_hz;
  stretches.each([&](std::int64_t from, std::span<double> x) {
    const auto place = [&](double time_s) {
      return static_cast<std::size_t>(
          std::clamp(time_s * rate_hz - static_cast<double>(from), 0.0, static_cast<double>(x.size())));
    };
    for (std::size_t n = place(fit.time_s - reach); n < place(fit.time_s + reach); ++n)
      x[n] -= fit.at(static_cast<double>(from + static_cast<std::int64_t>(n)) / rate_hz);
  });
}

/// A fit over all that the map's window may have blurred, then over what is near to what that found: there
/// the noise is the event's own neighbourhood, and a short event is not lost in a long stretch.
std::optional<BurstFit> fit_twice(std::span<const double> x, double rate_hz, double about_s,
                                  const SeenEvent& e) {
  const auto first =
      fit_burst(x, rate_hz, about_s, 0.7 * std::max(e.end_s - e.start_s, e.window_s), e.hz, 0.02);
  if (!first) return std::nullopt;
  const double length = std::max(first->end_s() - first->start_s(), 1 / first->hz);
  const auto low = static_cast<std::size_t>(std::max(0.0, (first->start_s() - 2.5 * length) * rate_hz));
  const auto high =
      std::min(x.size(), static_cast<std::size_t>(std::max(0.0, (first->end_s() + 3.5 * length) * rate_hz)));
  if (high < low + 16 || 10 * (high - low) > 7 * x.size())
    return first->explained > 0.2 ? first : std::nullopt;
  const double from_s = static_cast<double>(low) / rate_hz;
  auto second = fit_burst(x.subspan(low, high - low), rate_hz, first->time_s - from_s, length, first->hz);
  if (second) second->time_s += from_s;
  return second;
}

}  // namespace

SeenEvent seen_event(const MapEvent& event, double window_s) {
  return {event.peak_s,  event.row_start_s, event.row_end_s,
          event.peak_hz, window_s,          event.threshold > 0 ? event.power / event.threshold : 0};
}

Stretches stretches_of(const std::vector<SeenEvent>& events, double rate_hz, double duration_s) {
  constexpr std::int64_t most_samples = std::int64_t{1} << 20;
  std::vector<std::pair<std::int64_t, std::int64_t>> wanted;
  for (const SeenEvent& e : events) {
    const Reach reach = reach_of(e, rate_hz, duration_s, lines_lengths);
    if (reach.to - reach.from <= most_samples) wanted.push_back({reach.from, reach.to});
  }
  return Stretches(std::move(wanted));
}

std::vector<EventFit> fit_events(const std::vector<SeenEvent>& events, Stretches& stretches, double rate_hz,
                                 double duration_s) {
  std::vector<EventFit> out(events.size());
  Stretches before = stretches;
  take_steady_lines(events, stretches, rate_hz, duration_s);
  for (std::size_t i = 0; i < events.size(); ++i) {
    const SeenEvent& e = events[i];
    const Reach reach = reach_of(e, rate_hz, duration_s, fitted_lengths);
    const std::span<double> x = stretches.part(reach.from, reach.to),
                            whole = before.part(reach.from, reach.to);
    if (x.empty() || std::any_of(x.begin(), x.end(), [](double v) { return !std::isfinite(v); })) continue;
    const double start = static_cast<double>(reach.from) / rate_hz, about = e.peak_s - start;
    const double width = e.window_s / 2.355;
    // What is left must be more than noise by itself.
    const double least = std::max(0.25, e.over_threshold > 0 ? 1 / e.over_threshold : 0);
    if (reading(x, rate_hz, about, width, e.hz) < least * reading(whole, rate_hz, about, width, e.hz)) {
      out[i].merged = true;
      continue;
    }
    const auto fit = fit_twice(x, rate_hz, about, e);
    if (!fit) continue;
    BurstFit placed = *fit;
    placed.time_s += start;
    take_event(placed, stretches, rate_hz);
    out[i].fit = placed;
  }
  return out;
}

}  // namespace vprism
