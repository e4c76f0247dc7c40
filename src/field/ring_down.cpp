// ring_down.cpp: see ring_down.h.
#include "field/ring_down.h"

#include <algorithm>
#include <cmath>

#include "base/percentile.h"

namespace vprism {

namespace {

double mean_of(const std::vector<double>& level, std::size_t from, std::size_t to) {
  double sum = 0;
  for (std::size_t n = from; n < to; ++n) sum += level[n];
  return to > from ? sum / static_cast<double>(to - from) : 0;
}

/// Lone frames far above those on both sides.
std::vector<std::size_t> ruined_frames(const std::vector<double>& level) {
  constexpr std::size_t reach = 6;
  std::vector<std::size_t> out;
  for (std::size_t n = 0; n < level.size(); ++n) {
    std::vector<double> near;
    for (std::size_t j = n > reach ? n - reach : 0; j < std::min(level.size(), n + reach + 1); ++j)
      if (j != n && j + 1 != n && j != n + 1) near.push_back(level[j]);
    if (near.size() < reach) continue;
    if (level[n] > 8 * *std::max_element(near.begin(), near.end())) out.push_back(n);
  }
  return out;
}

/// Means over a window about each frame, so that the beat of the motion is no fall.
std::vector<double> smoothed(const std::vector<double>& level, std::size_t reach) {
  std::vector<double> sums(level.size() + 1, 0.0), out(level.size());
  for (std::size_t n = 0; n < level.size(); ++n) sums[n + 1] = sums[n] + level[n];
  for (std::size_t n = 0; n < level.size(); ++n) {
    const std::size_t low = n > reach ? n - reach : 0, high = std::min(level.size(), n + reach + 1);
    out[n] = (sums[high] - sums[low]) / static_cast<double>(high - low);
  }
  return out;
}

/// Whether the level falls from fifth to fifth of a stretch, to half the amplitude or less.
bool falls(const std::vector<double>& level, std::size_t from, std::size_t to) {
  const double length = static_cast<double>(to - from);
  const auto part = [&](int fifth) {
    return mean_of(level, from + static_cast<std::size_t>(0.2 * fifth * length),
                   from + static_cast<std::size_t>(0.2 * (fifth + 1) * length));
  };
  if (!(part(4) < 0.25 * part(0))) return false;
  for (int i = 0; i < 3; ++i)
    if (part(i + 1) > 0.9 * part(i)) return false;
  return true;
}

}  // namespace

RingDown judge_ring_down(const std::vector<double>& raw) {
  RingDown out;
  const std::size_t frames = raw.size();
  out.to = frames;
  if (frames < 16) return out;
  out.ruined = ruined_frames(raw);
  std::vector<double> level = raw;
  // Many are no accident: what is driven by blows, or only noise.
  if (out.ruined.size() > std::max<std::size_t>(3, frames / 100)) out.ruined.clear();
  for (const std::size_t n : out.ruined) level[n] = n > 2 ? level[n - 2] : level[n + 2];
  const std::vector<double> smooth = smoothed(level, std::max<std::size_t>(4, frames / 100));
  const auto left = [&](std::size_t from, std::size_t to) {
    const std::size_t tenth = std::max<std::size_t>(1, (to - from) / 10);
    const double first = mean_of(level, from, from + tenth);
    return first > 0 ? std::sqrt(mean_of(level, to - tenth, to) / first) : 0;
  };
  const double top = *std::max_element(smooth.begin(), smooth.end());
  // From the frame where it was last near its greatest to where it has come down to the record's end.
  std::size_t from = frames - 1;
  while (from > 0 && smooth[from] < 0.7 * top) --from;
  // It begins with the record where it is falling there already: an exponential is at 0.7 of its beginning
  // after a third of the time that it takes to 0.35; what was driven first stays up for longer.
  std::size_t half = frames - 1;
  while (half > from && smooth[half] < 0.35 * top) --half;
  if (smooth.front() > 0.5 * top && 10 * from < 6 * half) from = 0;
  std::vector<double> last(smooth.end() - static_cast<std::ptrdiff_t>(std::max<std::size_t>(4, frames / 10)),
                           smooth.end());
  const double floor = percentile_in(last, 0.5);
  std::size_t to = frames;
  // A plateau: the last tenth is as high as the one before it, and far below the top.
  const double before = mean_of(level, frames - frames / 5, frames - frames / 10),
               end = mean_of(level, frames - frames / 10, frames);
  if (end > 0.8 * before && floor < 0.1 * top) {
    to = from;
    while (to < frames && smooth[to] > 1.5 * floor) ++to;
    // With a part of the noise, so that slow decays are not cut where they drown.
    to = std::min(frames, to + (to - from) / 4);
  }
  if (to < from + 16 || !falls(level, from, to)) {
    out.left = left(0, frames);
    return out;
  }
  // The beginning before the decay must be another state, not the beat of its first moments.
  out.decays = true;
  out.from = from < std::max<std::size_t>(3, frames / 200) ? 0 : from;
  out.to = to;
  out.left = left(out.from, out.to);
  return out;
}

}  // namespace vprism
