// events.cpp: what happens once, or now and then, as findings.
#include "identify/events/events.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/dot.h"
#include "base/percentile.h"
#include "base/text.h"
#include "commands/identify/identify.h"

namespace vprism {

namespace {

/// Mean squares about the median, of an event and of the whole record.
class EventLevels {
 public:
  /// Without samples a level is that of a sine of so much swing.
  EventLevels(std::span<const double> samples, const std::vector<TimeEvent>& events, std::int64_t all)
      : samples_(samples), all_(static_cast<double>(std::max<std::int64_t>(1, all))) {
    if (samples.empty()) return;
    std::vector<double> some;
    for (std::size_t n = 0; n < samples.size(); n += 1 + samples.size() / 65536) some.push_back(samples[n]);
    middle_ = median_in(some);
    // Whatever stands beside them, noise or lines.
    double beside = squares_about(samples.data(), samples.size(), middle_), count = all_;
    for (const TimeEvent& e : events) beside -= square_in(e), count -= e.end - e.first;
    usual_ = std::max(0.0, beside / std::max(1.0, count));
  }
  /// What an event holds beyond what is usual, as an RMS over the whole record.
  double of(const TimeEvent& e) const {
    const double count = e.end - e.first;
    if (samples_.empty()) return (e.swing - e.usual) / std::sqrt(8.0) * std::sqrt(count / all_);
    return std::sqrt(std::max(0.0, square_in(e) - usual_ * count) / all_);
  }

 private:
  double square_in(const TimeEvent& e) const {
    const auto first = static_cast<std::size_t>(e.first),
               end = std::min(samples_.size(), static_cast<std::size_t>(e.end));
    return first < end ? squares_about(samples_.data() + first, end - first, middle_) : 0;
  }

  std::span<const double> samples_;
  double all_, middle_ = 0, usual_ = 0;
};

bool within_louder(const TimeEvent& e, const NoiseCourse& course) {
  return std::any_of(course.stretches.begin(), course.stretches.end(), [&](const NoiseStretch& s) {
    return s.louder && e.end > static_cast<double>(s.first) && e.first < static_cast<double>(s.end);
  });
}

/// What is left of a run-up where its levels change quickly, and at the ends.
bool left_by_run_up(const TimeEvent& e, double level_rms, const RunUp& run) {
  return e.swing < 0.5 * std::sqrt(8.0) * run.rms || level_rms < 0.1 * run.rms;
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

/// Within a burst, and no larger than it is there beside what is usual.
bool within_burst(const Recording& r, const TimeEvent& e, const Finding& f) {
  double from = std::nan(""), to = std::nan("");
  for (const auto& [key, value] : f.numbers) {
    if (key == "start_s") from = value;
    if (key == "end_s") to = value;
  }
  if (f.kind != "burst" || !(to > from)) return false;
  const double slack = 0.1 * (to - from), begin = r.axis.start + e.first * r.axis.interval,
               end = r.axis.start + e.end * r.axis.interval;
  const double there_rms = f.level_rms * std::sqrt(std::max(1.0, r.duration_s() / (to - from)));
  return begin > from - slack && end < to + slack && e.swing < 1.5 * std::sqrt(8.0) * there_rms + e.usual;
}

}  // namespace

void name_events(const Recording& r, std::size_t c, const Outline& outline, double rms,
                 std::span<const double> samples, const NoiseCourse* course,
                 const std::vector<RunUp>& run_ups, IdentifyResult& result) {
  std::vector<TimeEvent> events = find_events(outline);
  if (course != nullptr) std::erase_if(events, [&](const TimeEvent& e) { return within_louder(e, *course); });
  const EventLevels levels(events.empty() ? std::span<const double>() : samples, events, r.samples);
  for (const RunUp& run : run_ups)
    std::erase_if(events, [&](const TimeEvent& e) { return left_by_run_up(e, levels.of(e), run); });
  for (std::size_t i = 0; i < result.findings.size(); ++i)
    if (result.channels[i] == c)
      std::erase_if(events, [&](const TimeEvent& e) { return within_burst(r, e, result.findings[i]); });
  constexpr std::size_t most = 10;
  if (events.size() > 3 && events_of_family(r, c, events.size(), rms, result)) return;
  const Channel& channel = r.channels[c];
  const auto at = [&](double sample) { return r.axis.start + sample * r.axis.interval; };
  const bool alike = events.size() > most && events[most - 1].swing > 0.5 * events.front().swing;
  double square = 0;
  for (const TimeEvent& e : events) square += std::pow(levels.of(e), 2);
  // Together no more than the channel.
  const double scale = square > rms * rms ? rms / std::sqrt(square) : 1;
  for (std::size_t i = 0; i < std::min(alike ? 1 : most, events.size()); ++i) {
    const TimeEvent& e = events[i];
    Finding f;
    f.kind = "event";
    f.recording = r.file;
    f.channel = channel.name;
    f.unit = channel.unit.label();
    f.level_rms = scale * (alike ? std::sqrt(square) : levels.of(e));
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
