// events.cpp: see events.h.
#include "identify/events/events.h"

#include <algorithm>
#include <cmath>

namespace vprism {

std::vector<TimeEvent> find_events(const Outline& outline) {
  constexpr std::size_t fewest = 32;
  const std::size_t count = outline.low.size();
  // A stretch must hold enough of the signal to show its usual swing.
  if (count < fewest || outline.samples_per_stretch < 4) return {};
  std::vector<double> swing(count), sorted;
  for (std::size_t i = 0; i < count; ++i) {
    swing[i] = outline.high[i] - outline.low[i];
    if (std::isfinite(swing[i])) sorted.push_back(swing[i]);
  }
  if (sorted.size() < fewest) return {};
  const auto median = [](std::vector<double>& v) {
    const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    return *middle;
  };
  const double usual = median(sorted);
  for (double& v : sorted) v = std::abs(v - usual);
  const double limit = std::max(2 * usual, usual + 10 * 1.4826 * median(sorted));
  std::vector<TimeEvent> events;
  std::size_t out = 0;
  const auto length = static_cast<double>(outline.samples_per_stretch);
  for (std::size_t i = 0; i < count; ++i) {
    if (!(swing[i] > limit)) continue;
    ++out;
    const double first = length * static_cast<double>(i),
                 end = std::min(first + length, static_cast<double>(outline.samples));
    if (!events.empty() && first - events.back().end < 1.5 * length) {
      events.back().end = end;
      events.back().swing = std::max(events.back().swing, swing[i]);
    } else {
      events.push_back({first, end, swing[i], usual});
    }
  }
  if (10 * out > count) return {};
  std::stable_sort(events.begin(), events.end(),
                   [](const TimeEvent& a, const TimeEvent& b) { return a.swing > b.swing; });
  return events;
}

}  // namespace vprism
