// gated_lines.cpp: see gated_lines.h.
#include "identify/courses/gated_lines.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "base/dot.h"
#include "base/percentile.h"
#include "identify/courses/regular_times.h"
#include "identify/findings/explained.h"
#include "identify/lines/steady_lines.h"
#include "identify/lines/whole_lines.h"

namespace vprism {

namespace {

constexpr double full_turn = 2 * std::numbers::pi;
constexpr std::size_t shortest = 1024, longest = std::size_t{1} << 18, most_lines = 6, most_rivals = 8,
                      most_windows = 3;

/// Means of squares about each sample, over `window` of them.
std::vector<double> power_of(std::span<const double> x, std::size_t window) {
  std::vector<double> sum(x.size() + 1, 0.0), out(x.size());
  for (std::size_t n = 0; n < x.size(); ++n) sum[n + 1] = sum[n] + x[n] * x[n];
  for (std::size_t n = 0; n < x.size(); ++n) {
    const std::size_t from = n - std::min(n, window / 2), to = std::min(x.size(), n + window - window / 2);
    out[n] = std::max(0.0, (sum[to] - sum[from]) / static_cast<double>(to - from));
  }
  return out;
}

/// Stretches over the level that parts what is quiet from what is not; gaps no longer than two windows are
/// none. Nothing where the two are less than 14 dB apart.
std::vector<SampleRange> stretches_on(const std::vector<double>& power, std::size_t window) {
  constexpr double apart = 25;
  std::vector<double> some;
  for (std::size_t n = 0; n < power.size(); n += std::max<std::size_t>(1, power.size() / 8192))
    some.push_back(power[n]);
  const double loud = percentile_of(some, 0.93), quiet = percentile_of(some, 0.07);
  if (!(loud > apart * quiet)) return {};
  // Lines that beat come near nothing as well, but for a moment.
  const double limit = std::sqrt(loud * std::max(quiet, 1e-8 * loud));
  std::vector<SampleRange> out;
  for (std::size_t n = 0; n < power.size(); ++n) {
    if (!(power[n] > limit)) continue;
    if (!out.empty() && n <= out.back().second + 2 * window)
      out.back().second = n + 1;
    else
      out.emplace_back(n, n + 1);
  }
  return out;
}

/// How often it comes on, where that is regular.
std::optional<RegularTimes> gate_of(const std::vector<SampleRange>& on) {
  // What is on at the first sample began before it.
  std::vector<double> at, steps;
  for (const SampleRange& s : on)
    if (s.first > 0) at.push_back(static_cast<double>(s.first));
  for (std::size_t i = 1; i < at.size(); ++i) steps.push_back(at[i] - at[i - 1]);
  if (steps.size() < 2) return {};
  auto gate = fit_regular_times(at, 1 / median_in(steps), 1);
  if (gate && gate->scatter_s * gate->rate_hz > 0.1) gate.reset();
  return gate;
}

/// Whether the lines lie as far apart as what repeats with the gate has its orders: then it is no gate that
/// comes and goes, but something that rings each time. Where not all times are alike a little of it lies
/// between.
bool is_comb(const std::vector<SteadyLine>& lines, const std::optional<RegularTimes>& gate) {
  if (lines.size() < 2 || !gate) return false;
  double on_orders = 0, all = 0;
  bool between = true;  // What lies on no order lies where every second, third or fourth time repeats.
  for (std::size_t i = 1; i < lines.size(); ++i) {
    const double orders = (lines[i].cycles - lines.front().cycles) / gate->rate_hz;
    const double power = lines[i].cosine * lines[i].cosine + lines[i].sine * lines[i].sine;
    all += power;
    if (std::abs(orders - std::round(orders)) < 0.05)
      on_orders += power;
    else
      between = between && (std::abs(4 * orders - std::round(4 * orders)) < 0.08 ||
                            std::abs(3 * orders - std::round(3 * orders)) < 0.06);
  }
  return between && on_orders >= 0.9 * all;
}

}  // namespace

GatedLines find_gated_lines(std::span<const double> x, double rate_hz) {
  constexpr double least_share = 0.1, most_share = 0.9, most_left = 0.01, most_beside = 0.05;
  constexpr std::size_t fewest = 3;
  if (x.size() < shortest || x.size() > longest) return {};
  const double n = static_cast<double>(x.size()), mean = std::accumulate(x.begin(), x.end(), 0.0) / n;
  std::vector<double> about(x.begin(), x.end());
  for (double& v : about) v -= mean;
  for (std::size_t tries = 0, window = 4; tries < most_windows; ++tries, window *= 3) {
    std::vector<SampleRange> on = stretches_on(power_of(about, window), window);
    double held = 0;
    for (const SampleRange& s : on) held += static_cast<double>(s.second - s.first);
    if (on.size() < fewest || held < least_share * n || held > most_share * n) continue;
    // While it is on for no more than a few windows nothing can be said of its edges.
    if (held < 4 * static_cast<double>(window * on.size())) continue;
    std::vector<SampleRange> aside;
    for (std::size_t i = 0; i <= on.size(); ++i) {
      const std::size_t from = i == 0 ? 0 : on[i - 1].second - std::min(window, on[i - 1].second);
      const std::size_t to = i == on.size() ? x.size() : std::min(x.size(), on[i].first + window);
      if (from < to) aside.emplace_back(from, to);
    }
    const std::vector<SteadyLine> lines = steady_lines(about, aside, most_lines, 0.8 * least_share);
    if (lines.empty()) continue;
    std::vector<double> less = about;
    take_off(less, lines);
    const auto model = [&](std::size_t k) { return about[k] - less[k]; };
    for (SampleRange& s : on) {
      const std::size_t reach = 2 * window;
      if (s.first < window)
        s.first = 0;
      else
        s.first = first_explained(about, s.first - std::min(s.first, reach),
                                  std::min(x.size(), s.first + reach), model);
      if (s.second + window > x.size())
        s.second = x.size();
      else
        s.second = end_explained(about, s.second - std::min(s.second, reach),
                                 std::min(x.size(), s.second + reach), model);
    }
    std::erase_if(on, [](const SampleRange& s) { return s.second <= s.first; });
    if (on.size() < fewest) continue;
    GatedLines out;
    out.rest = about;
    double left = 0, there = 0, beside = 0, would_leave = 0, count = 0, sum = 0, squares = 0;
    auto next = on.begin();
    for (std::size_t k = 0; k < x.size(); ++k) {
      const auto at = static_cast<double>(k);
      while (next != on.end() && k >= next->second) ++next;
      if (next == on.end() || k < next->first) {
        beside += about[k] * about[k], would_leave += less[k] * less[k];
        continue;
      }
      out.rest[k] = less[k];
      left += less[k] * less[k], there += about[k] * about[k];
      ++count, sum += at, squares += at * at;
    }
    // Lines that beat are quiet for a while, too: but then they explain that.
    const double quiet = beside / std::max(1.0, n - count) * count;
    if (left > std::max(most_left * there, 4 * quiet) || beside * count > most_beside * there * (n - count) ||
        would_leave < 4 * beside)
      continue;
    const std::optional<RegularTimes> gate = gate_of(on);
    if (is_comb(lines, gate)) return {};
    // Steady lines that beat, or a carrier and its sidebands, are its rivals.
    if (2 * variance_of(out.rest) > left_by_steady_lines(about, most_rivals)) return {};
    const Spectrum beside_lines = whole_spectrum(out.rest, rate_hz);
    for (double& v : out.rest) v += mean;
    const double spread = squares - sum * sum / count;
    for (const SteadyLine& line : lines) {
      LineStates one;
      one.kind = LineStates::Kind::amplitude;
      const double amplitude = std::hypot(line.cosine, line.sine), share = count / n;
      // Cramer and Rao, for noise of the density about the line: var(omega) = 2 noise / (A^2 sum (t - mean
      // t)^2).
      const double noise = density_around(beside_lines, line.cycles * rate_hz) * rate_hz / 2;
      const double std_hz = std::sqrt(2 * noise / spread) / amplitude * rate_hz / full_turn;
      one.states = {{line.cycles * rate_hz, std_hz, amplitude, share},
                    {line.cycles * rate_hz, 0, 0, 1 - share}};
      one.on_at_first = on.front().first == 0;
      for (const SampleRange& s : on) {
        if (s.first > 0) one.changes_s.push_back(static_cast<double>(s.first) / rate_hz);
        if (s.second < x.size()) one.changes_s.push_back(static_cast<double>(s.second) / rate_hz);
      }
      one.window_s = static_cast<double>(window) / rate_hz;
      one.rms = amplitude * std::sqrt(share / 2);
      one.explained = 1 - left / there;
      if (gate) one.gate_hz = gate->rate_hz * rate_hz, one.gate_std_hz = gate->rate_std_hz * rate_hz;
      out.lines.push_back(std::move(one));
    }
    return out;
  }
  return {};
}

}  // namespace vprism
