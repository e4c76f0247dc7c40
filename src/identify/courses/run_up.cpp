// run_up.cpp: see run_up.h.
#include "identify/courses/run_up.h"

#include <algorithm>
#include <cmath>

#include "base/dot.h"
#include "base/percentile.h"
#include "identify/courses/slow_part.h"
#include "identify/courses/speed_course.h"

namespace vprism {

namespace {

/// How far lines stand out at each ratio to the course, on the mean over the columns.
struct RatioScores {
  double low = 0, step = 0;
  std::vector<double> score;
  double ratio(std::size_t i) const { return low + static_cast<double>(i) * step; }
};

RatioScores score_ratios(const RaisedMap& map, const std::vector<double>& hz) {
  constexpr double cap = 20;
  const auto [low_hz, high_hz] = std::minmax_element(hz.begin(), hz.end());
  RatioScores out;
  out.step = 0.5 * map.bin_hz() / *high_hz;
  out.low = std::max(0.1, 3 * map.bin_hz() / percentile_of(hz, 0.25));
  const double top = 0.48 * map.rate_hz / (0.5 * (*low_hz + *high_hz));
  for (double ratio = out.low; ratio < top; ratio += out.step) {
    double sum = 0;
    std::size_t count = 0;
    for (std::size_t c = 0; c < hz.size(); ++c) {
      const double bin = ratio * hz[c] / map.bin_hz();
      if (bin > 0.96 * static_cast<double>(map.bins - 1)) continue;
      sum += std::min(cap, map.at(static_cast<std::size_t>(std::lround(bin)), c)), ++count;
    }
    out.score.push_back(2 * count > hz.size() ? sum / static_cast<double>(count) : 0);
  }
  return out;
}

/// Ratios that stand out, the strongest first, none within `apart` of a stronger one. `leading` gets the
/// highest of those that stand out well.
std::vector<double> ratios_of(const RatioScores& scores, double apart, double& leading) {
  constexpr std::size_t most = 24;
  if (scores.score.size() < 8) return {};
  std::vector<double> scatter = scores.score;
  const double usual = median_in(scatter);
  for (double& v : scatter) v = std::abs(v - usual);
  const double limit = usual + std::max(0.5, 6 * 1.4826 * median_in(scatter));
  std::vector<std::size_t> tops;
  for (std::size_t i = 1; i + 1 < scores.score.size(); ++i)
    if (scores.score[i] > limit && scores.score[i] >= scores.score[i - 1] &&
        scores.score[i] > scores.score[i + 1])
      tops.push_back(i);
  std::sort(tops.begin(), tops.end(),
            [&](std::size_t a, std::size_t b) { return scores.score[a] > scores.score[b]; });
  std::vector<double> out;
  leading = 1;
  for (const std::size_t i : tops) {
    const double ratio = scores.ratio(i);
    if (scores.score[i] - usual > 0.6 * (scores.score[tops.front()] - usual))
      leading = std::max(leading, ratio);
    if (out.size() < most &&
        std::none_of(out.begin(), out.end(), [&](double other) { return std::abs(other - ratio) < apart; }))
      out.push_back(ratio);
  }
  return out;
}

/// One of the lines that are followed.
struct FollowedLine {
  double ratio = 0, ratio_std = 0, power = 0, power_std = 0, noise = 0;
  /// Squares of phases that it is known by.
  CourseLine weighed() const { return {ratio, ratio * ratio * power / std::max(noise, 1e-6 * power)}; }
};

/// The orders of lines whose lowest is 1: whole and half ones, as machines have, where that is what they may
/// be within two uncertainties. `first` gets the ratio of the lowest, by all that are such.
std::vector<RunUpOrder> orders_of(const std::vector<FollowedLine>& lines, double& first) {
  const FollowedLine& lowest = *std::min_element(
      lines.begin(), lines.end(), [](const auto& a, const auto& b) { return a.ratio < b.ratio; });
  std::vector<RunUpOrder> out;
  double said = 0, weights = 0;
  for (const FollowedLine& line : lines) {
    RunUpOrder o;
    o.order = line.ratio / lowest.ratio;
    if (&line != &lowest)
      o.order_std = o.order * std::hypot(line.ratio_std / line.ratio, lowest.ratio_std / lowest.ratio);
    o.rms = std::sqrt(std::max(0.0, line.power - line.noise));
    o.rms_std = o.rms > 0 ? line.power_std / (2 * o.rms) : 0;
    const double half = std::round(2 * o.order) / 2;
    if (std::abs(o.order - half) <= 2 * o.order_std) {
      const double weight = 1 / (line.ratio_std * line.ratio_std);
      o.order = half;
      said += weight * half * line.ratio, weights += weight * half * half;
    }
    out.push_back(o);
  }
  first = weights > 0 ? said / weights : lowest.ratio;
  std::sort(out.begin(), out.end(),
            [](const RunUpOrder& a, const RunUpOrder& b) { return a.order < b.order; });
  return out;
}

/// Those seen, and of those known by now what is known.
std::vector<double> ratios_again(const std::vector<FollowedLine>& lines, std::vector<double> seen,
                                 double apart) {
  for (double& ratio : seen)
    for (const FollowedLine& line : lines)
      if (std::abs(line.ratio - ratio) < apart) ratio = line.ratio;
  return seen;
}

}  // namespace

std::optional<RunUp> follow_run_up(std::span<const double> x, double rate_hz, SpeedCourse course,
                                   std::size_t least_orders) {
  constexpr double stands_out = 6;
  // From rest on, orders are one at first.
  double low = percentile_of(course.hz, 0.25);
  const double apart = 4 * course.map.bin_hz() / low;
  double leading = 1;
  std::vector<double> ratios = ratios_of(score_ratios(course.map, course.hz), apart, leading);
  if (leading > 1.5) {
    course.centre_on(x, leading);
    ratios = ratios_of(score_ratios(course.map, course.hz), apart, leading);
  }
  if (ratios.empty()) return {};
  const CourseLine steady{leading, 1};
  for (int round = 0; round < 3; ++round) course.follow(x, {&steady, 1}, course.map.length);
  low = percentile_of(course.hz, 0.25);
  double narrowest = 1;
  for (const double a : ratios)
    for (const double b : ratios)
      if (a < b) narrowest = std::min(narrowest, b - a);
  const double half_band_hz = std::max(2 * rate_hz / static_cast<double>(x.size()),
                                       std::min(1.5 * course.map.bin_hz(), 0.3 * narrowest * low));
  SlowPart slow_part(x.size(), rate_hz, half_band_hz);
  RunUp out;
  std::vector<FollowedLine> lines;
  // Again once all of them together have said how the course runs.
  for (int round = 0; round < 3; ++round) {
    out.rest.assign(x.begin(), x.end());
    const std::vector<double> again = ratios_again(lines, ratios, 0.5 * apart);
    lines.clear();
    for (double ratio : again) {
      if (ratio * low < 2 * half_band_hz) continue;
      slow_part.find(out.rest, course.phase, ratio);
      const double further = slow_part.further_order(course.phase);
      if (std::abs(further) < apart) ratio += further;
      slow_part.find(out.rest, course.phase, ratio);
      const double power = slow_part.power(), noise = slow_part.noise();
      if (!(power > stands_out * noise)) continue;
      slow_part.take_off(course.phase, ratio, out.rest);
      // On its way through resonances its phase changes by as much as half a turn: one radian, in all the
      // turns.
      lines.push_back(
          {ratio, 1 / (course.phase.back() - course.phase.front()), power, slow_part.power_std(), noise});
    }
    if (round > 1 || lines.empty()) break;
    // Closer and closer: shorter segments follow more closely, and need a phase that is nearly right. Orders
    // must be apart in them, and from their images below 0 Hz.
    double lowest = narrowest;
    std::vector<CourseLine> weighed;
    for (const FollowedLine& line : lines)
      lowest = std::min(lowest, 2 * line.ratio), weighed.push_back(line.weighed());
    const double least_length = 5 * rate_hz / (lowest * low);
    for (const std::size_t part : {1u, 1u, 2u, 2u, 4u})
      if (const std::size_t length = course.map.length / part;
          part == 1 || static_cast<double>(length) > least_length)
        course.follow(x, weighed, length);
  }
  const double before = variance_of(x), held = before - variance_of(out.rest);
  if (lines.size() < std::max<std::size_t>(1, least_orders) ||
      !(held > (lines.size() == 1 ? 0.5 : 0.2) * before))
    return {};
  double first = 1;
  out.orders = orders_of(lines, first);
  for (const RunUpOrder& o : out.orders) out.rms = std::hypot(out.rms, o.rms);
  // Where orders lie too close at first each may have something of the others.
  if (const double all = std::sqrt(held); out.rms > all) {
    for (RunUpOrder& o : out.orders) o.rms *= all / out.rms;
    out.rms = all;
  }
  out.from_s = course.from_s, out.to_s = course.to_s;
  out.from_hz = first * course.from_hz, out.to_hz = first * course.to_hz;
  out.low_hz = first * course.low_hz, out.high_hz = first * course.high_hz;
  out.from_std_hz = first * course.from_std_hz, out.to_std_hz = first * course.to_std_hz;
  return out;
}

bool has_run_up_length(std::size_t samples) {
  constexpr std::size_t least = 2048, most = std::size_t{1} << 20;
  return samples >= least && samples <= most;
}

std::optional<RunUp> find_run_up(std::span<const double> x, double rate_hz, std::size_t least_orders) {
  constexpr std::size_t most_turns = 2;
  if (!has_run_up_length(x.size())) return {};
  std::optional<SpeedCourse> course = find_speed_course(x, rate_hz);
  if (!course || course->turns > most_turns) return {};
  return follow_run_up(x, rate_hz, std::move(*course), least_orders);
}

bool RunUp::turns() const { return high_hz - low_hz > 1.1 * std::abs(to_hz - from_hz); }

bool RunUp::runs_along(const RunUp& other) const {
  const double slack = 0.1 * (high_hz - low_hz), ratio = other.high_hz / high_hz;
  const double whole = std::max(1.0, std::round(ratio));
  return rms < 0.2 * other.rms && std::abs(other.low_hz - whole * low_hz) < whole * slack &&
         std::abs(other.high_hz - whole * high_hz) < whole * slack;
}

bool RunUp::may_leave(double hz, double left_rms) const {
  return hz > 0.9 * low_hz && hz < 1.1 * high_hz * orders.back().order && left_rms < rms / (turns() ? 8 : 14);
}

}  // namespace vprism
