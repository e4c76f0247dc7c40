// run_up.cpp: see run_up.h.
#include "identify/courses/run_up.h"

#include <algorithm>
#include <cmath>

#include "base/dot.h"
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

/// What the course exceeds in all but that share of its columns.
double speed_at(std::vector<double> hz, double share) {
  const auto at = hz.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(hz.size()));
  std::nth_element(hz.begin(), at, hz.end());
  return *at;
}

RatioScores score_ratios(const RaisedMap& map, const std::vector<double>& hz) {
  constexpr double cap = 20;
  const auto [low_hz, high_hz] = std::minmax_element(hz.begin(), hz.end());
  RatioScores out;
  out.step = 0.5 * map.bin_hz() / *high_hz;
  out.low = std::max(0.1, 3 * map.bin_hz() / speed_at(hz, 0.25));
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
  std::vector<double> sorted = scores.score;
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::nth_element(sorted.begin(), middle, sorted.end());
  const double usual = *middle;
  for (double& s : sorted) s = std::abs(s - usual);
  std::nth_element(sorted.begin(), middle, sorted.end());
  const double limit = usual + std::max(0.5, 6 * 1.4826 * *middle);
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

/// Orders of machines are whole or halves; others stay what they are.
double near_half(double order) {
  const double half = std::round(2 * order) / 2;
  return std::abs(order - half) < 0.006 * std::max(1.0, half) ? half : order;
}

/// The ratio that the lowest has by what all of them say that are whole or half orders of it.
double first_order(const std::vector<CourseLine>& lines) {
  double first = lines.front().ratio;
  for (const CourseLine& line : lines) first = std::min(first, line.ratio);
  for (int round = 0; round < 3; ++round) {
    double said = 0, weights = 0;
    for (const CourseLine& line : lines) {
      const double order = near_half(line.ratio / first);
      if (std::round(2 * order) != 2 * order) continue;
      // Squares of orders are in the weight.
      const double weight = line.weight / (line.ratio * line.ratio);
      said += weight * order * line.ratio, weights += weight * order * order;
    }
    if (weights > 0) first = said / weights;
  }
  return first;
}

/// Those seen, and of those known by now what is known.
std::vector<double> ratios_again(const std::vector<CourseLine>& lines, std::vector<double> seen,
                                 double apart) {
  for (double& ratio : seen)
    for (const CourseLine& line : lines)
      if (std::abs(line.ratio - ratio) < apart) ratio = line.ratio;
  return seen;
}

}  // namespace

std::optional<RunUp> find_run_up(std::span<const double> x, double rate_hz) {
  constexpr std::size_t least = 2048, most = std::size_t{1} << 20;
  constexpr double stands_out = 6, least_share = 0.2;
  if (x.size() < least || x.size() > most) return {};
  std::optional<SpeedCourse> course = find_speed_course(x, rate_hz);
  if (!course) return {};
  // From rest on, orders are one at first.
  double low = speed_at(course->hz, 0.25);
  const double apart = 4 * course->map.bin_hz() / low;
  double leading = 1;
  std::vector<double> ratios = ratios_of(score_ratios(course->map, course->hz), apart, leading);
  if (leading > 1.5) {
    course->centre_on(x, leading);
    ratios = ratios_of(score_ratios(course->map, course->hz), apart, leading);
  }
  if (ratios.empty()) return {};
  const CourseLine steady{leading, 1};
  for (int round = 0; round < 3; ++round) course->follow(x, {&steady, 1}, course->map.length);
  low = speed_at(course->hz, 0.25);
  double narrowest = 1;
  for (const double a : ratios)
    for (const double b : ratios)
      if (a < b) narrowest = std::min(narrowest, b - a);
  const double half_band_hz = std::max(2 * rate_hz / static_cast<double>(x.size()),
                                       std::min(1.5 * course->map.bin_hz(), 0.3 * narrowest * low));
  SlowPart slow_part(x.size(), rate_hz, half_band_hz);
  RunUp out;
  std::vector<CourseLine> lines;
  // Again once all of them together have said how the course runs.
  for (int round = 0; round < 3; ++round) {
    out.rest.assign(x.begin(), x.end());
    out.orders.clear();
    const std::vector<double> again = ratios_again(lines, ratios, 0.5 * apart);
    lines.clear();
    for (double ratio : again) {
      if (ratio * low < 2 * half_band_hz) continue;
      slow_part.find(out.rest, course->phase, ratio);
      const double further = slow_part.further_order(course->phase);
      if (std::abs(further) < apart) ratio += further;
      slow_part.find(out.rest, course->phase, ratio);
      const double power = slow_part.power(), noise = slow_part.noise();
      if (!(power > stands_out * noise)) continue;
      slow_part.take_off(course->phase, ratio, out.rest);
      out.orders.push_back({ratio, std::sqrt(std::max(0.0, power - noise))});
      lines.push_back({ratio, ratio * ratio * power / std::max(noise, 1e-6 * power)});
    }
    if (round > 1 || lines.empty()) break;
    // Closer and closer: shorter segments reach nearer to the ends, and need a phase that is nearly right.
    // Orders must be apart in them, and from their images below 0 Hz.
    double lowest = narrowest;
    for (const CourseLine& line : lines) lowest = std::min(lowest, 2 * line.ratio);
    const double least_length = 5 * rate_hz / (lowest * low);
    for (const std::size_t part : {1u, 1u, 2u, 2u, 4u})
      if (const std::size_t length = course->map.length / part;
          part == 1 || static_cast<double>(length) > least_length)
        course->follow(x, lines, length);
  }
  const double before = variance_of(x), after = variance_of(out.rest);
  if (out.orders.size() < 2 || !(before - after > least_share * before)) return {};
  std::sort(out.orders.begin(), out.orders.end(),
            [](const RunUpOrder& a, const RunUpOrder& b) { return a.order < b.order; });
  const double first = first_order(lines);
  for (RunUpOrder& o : out.orders) o.order = near_half(o.order / first), out.rms = std::hypot(out.rms, o.rms);
  out.rms = std::min(out.rms, std::sqrt(before));
  out.from_hz = first * course->from_hz, out.to_hz = first * course->to_hz;
  out.from_std_hz = first * course->from_std_hz, out.to_std_hz = first * course->to_std_hz;
  return out;
}

}  // namespace vprism
