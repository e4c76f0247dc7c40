// peak_rhythm.cpp: see peak_rhythm.h.
#include "identify/peaks/peak_rhythm.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace vprism {

std::optional<PeakRhythm> rhythm_of(std::span<const double> times_s) {
  if (times_s.size() < 3) return {};
  PeakRhythm out;
  std::vector<double> all;
  for (std::size_t i = 1; i < times_s.size(); ++i) all.push_back(times_s[i] - times_s[i - 1]);
  std::vector<double> sorted = all;
  std::sort(sorted.begin(), sorted.end());
  out.median_s = (sorted[(sorted.size() - 1) / 2] + sorted[sorted.size() / 2]) / 2;
  // An interval is of the usual kind, or holds more than one, or is a part of one.
  std::vector<double> usual, at;
  double scatter = 0, before = std::nan("");
  std::int64_t neighbours = 0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const double ratio = all[i] / out.median_s, whole = std::round(ratio);
    if (whole >= 2 && std::abs(ratio - whole) < 0.25 * std::sqrt(whole)) {
      out.missed += static_cast<std::int64_t>(whole) - 1;
      out.long_after.push_back(i);
      before = std::nan("");
      continue;
    }
    if (ratio < 0.75 && i + 1 < all.size() && std::abs((all[i] + all[i + 1]) / out.median_s - 1) < 0.25) {
      ++out.extra;
      out.short_after.push_back(i);
      ++i;
      before = std::nan("");
      continue;
    }
    if (!std::isnan(before)) scatter += std::pow(all[i] - before, 2), ++neighbours;
    before = all[i];
    usual.push_back(all[i]);
    at.push_back(times_s[i] + all[i] / 2);
  }
  if (usual.empty()) return {};
  out.intervals = static_cast<std::int64_t>(usual.size());
  const auto n = static_cast<double>(usual.size());
  for (const double v : usual) out.mean_s += v / n;
  for (const double v : usual) out.std_s += (v - out.mean_s) * (v - out.mean_s);
  out.std_s = usual.size() > 1 ? std::sqrt(out.std_s / (n - 1)) : 0;
  out.neighbour_scatter_s = neighbours > 0 ? std::sqrt(scatter / static_cast<double>(neighbours)) : 0;
  out.rate_hz = out.mean_s > 0 ? 1 / out.mean_s : 0;
  // A line through the rates over time.
  double mid = 0, level = 0, spread = 0, along = 0;
  for (std::size_t i = 0; i < usual.size(); ++i) mid += at[i] / n, level += 1 / usual[i] / n;
  for (std::size_t i = 0; i < usual.size(); ++i)
    spread += (at[i] - mid) * (at[i] - mid), along += (at[i] - mid) * (1 / usual[i] - level);
  if (usual.size() > 2 && spread > 0) {
    out.trend_hz_per_s = along / spread;
    double left = 0;
    for (std::size_t i = 0; i < usual.size(); ++i)
      left += std::pow(1 / usual[i] - level - out.trend_hz_per_s * (at[i] - mid), 2);
    out.trend_std = std::sqrt(left / (n - 2) / spread);
  }
  return out;
}

PeakPairing pair_peaks(std::span<const double> first_s, std::span<const double> second_s, double reach_s) {
  PeakPairing out;
  std::vector<double> delays;
  std::size_t taken = 0;
  for (const double t : first_s) {
    const auto next = std::lower_bound(second_s.begin(), second_s.end(), t);
    double nearest = std::numeric_limits<double>::infinity();
    for (const auto& candidate : {next, next == second_s.begin() ? next : next - 1})
      if (candidate != second_s.end() && std::abs(*candidate - t) < std::abs(nearest))
        nearest = *candidate - t;
    if (std::abs(nearest) > reach_s) {
      ++out.alone_first;
      continue;
    }
    delays.push_back(nearest);
    ++taken;
  }
  out.pairs = static_cast<std::int64_t>(delays.size());
  out.alone_second = static_cast<std::int64_t>(second_s.size()) - static_cast<std::int64_t>(taken);
  for (const double d : delays) out.delay_mean_s += d / static_cast<double>(delays.size());
  for (const double d : delays) out.delay_std_s += (d - out.delay_mean_s) * (d - out.delay_mean_s);
  out.delay_std_s =
      delays.size() > 1 ? std::sqrt(out.delay_std_s / static_cast<double>(delays.size() - 1)) : 0;
  return out;
}

}  // namespace vprism
