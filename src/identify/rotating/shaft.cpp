// shaft.cpp: see shaft.h.
#include "identify/rotating/shaft.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/error.h"

namespace vprism {

ShaftAngle::ShaftAngle(std::vector<double> time_s, std::vector<double> revolutions)
    : time_(std::move(time_s)), turns_(std::move(revolutions)) {
  const std::size_t count = time_.size();
  if (count < 3) throw Error(Status::analysis, "fewer than three pulses; no speed can be given");
  slope_.resize(count);
  const auto rate = [&](std::size_t n) { return (turns_[n + 1] - turns_[n]) / (time_[n + 1] - time_[n]); };
  for (std::size_t n = 0; n < count; ++n) {
    // The parabola's slope through three knots.
    const std::size_t at = std::clamp<std::size_t>(n, 1, count - 2);
    const double a = time_[at] - time_[at - 1], b = time_[at + 1] - time_[at], left = rate(at - 1),
                 right = rate(at);
    const double bend = (right - left) / (a + b);
    slope_[n] = left + bend * a + 2 * bend * (time_[n] - time_[at]);
    // It does not turn back, and does not overtake what is beside it.
    const double most =
        3 * std::min(n > 0 ? rate(n - 1) : rate(0), n + 1 < count ? rate(n) : rate(count - 2));
    slope_[n] = std::clamp(slope_[n], 0.0, std::max(0.0, most));
  }
}

std::size_t ShaftAngle::knot_at(double time_s) const {
  const auto above = std::upper_bound(time_.begin(), time_.end(), time_s);
  const auto n = static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, above - time_.begin())) - 1;
  return std::min(n, time_.size() - 2);
}

double ShaftAngle::revolutions(double time_s) const {
  const std::size_t n = knot_at(time_s);
  const double h = time_[n + 1] - time_[n], u = std::clamp((time_s - time_[n]) / h, 0.0, 1.0);
  const double rise = turns_[n + 1] - turns_[n];
  return turns_[n] + rise * u * u * (3 - 2 * u) + h * u * (1 - u) * ((1 - u) * slope_[n] - u * slope_[n + 1]);
}

double ShaftAngle::speed(double time_s) const {
  const std::size_t n = knot_at(time_s);
  const double h = time_[n + 1] - time_[n], u = std::clamp((time_s - time_[n]) / h, 0.0, 1.0);
  const double rise = (turns_[n + 1] - turns_[n]) / h;
  return 6 * rise * u * (1 - u) + slope_[n] * (1 - u) * (1 - 3 * u) + slope_[n + 1] * u * (3 * u - 2);
}

double ShaftAngle::time_of(double revolutions_wanted) const {
  const auto above = std::upper_bound(turns_.begin(), turns_.end(), revolutions_wanted);
  std::size_t n = static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, above - turns_.begin())) - 1;
  n = std::min(n, time_.size() - 2);
  double low = time_[n], high = time_[n + 1];
  double at = low + (high - low) * std::clamp((revolutions_wanted - turns_[n]) /
                                                  std::max(turns_[n + 1] - turns_[n], 1e-300),
                                              0.0, 1.0);
  for (int i = 0; i < 40 && high - low > 1e-13 * (1 + std::abs(high)); ++i) {
    const double off = revolutions(at) - revolutions_wanted, slope = speed(at);
    if (std::abs(off) < 1e-12 * std::max(1.0, std::abs(revolutions_wanted))) break;
    (off > 0 ? high : low) = at;
    const double next = slope > 0 ? at - off / slope : low;
    at = next > low && next < high ? next : (low + high) / 2;
  }
  return at;
}

PulseTrain mend_pulses(std::vector<double> t) {
  PulseTrain out;
  // Bounces first: a pulse far sooner than both intervals around let expect.
  for (std::size_t n = 2; n + 2 < t.size();) {
    const double now = t[n] - t[n - 1], before = t[n - 1] - t[n - 2], whole = t[n + 1] - t[n - 1];
    if (now < before / 3 && std::abs(whole - before) < 0.3 * before) {
      t.erase(t.begin() + static_cast<std::ptrdiff_t>(n));
      ++out.extra;
    } else {
      ++n;
    }
  }
  for (std::size_t n = 0; n < t.size(); ++n) {
    out.time_s.push_back(t[n]);
    if (n == 0 || n + 2 >= t.size()) continue;
    const double now = t[n + 1] - t[n], before = t[n] - t[n - 1], after = t[n + 2] - t[n + 1];
    const double times = now / std::sqrt(before * after), whole = std::round(times);
    if (whole < 2 || whole > 6 || std::abs(times - whole) > 0.2 * whole) continue;
    // Evenly in angle: the speed goes on from the interval before to the one after by a straight line.
    const double first = 1 / before, last = 1 / after;
    double at = t[n], sum = 0;
    std::vector<double> parts;
    for (int k = 0; k < static_cast<int>(whole); ++k) {
      parts.push_back(1 / (first + (last - first) * (k + 1) / (whole + 1)));
      sum += parts.back();
    }
    for (int k = 0; k + 1 < static_cast<int>(whole); ++k)
      out.time_s.push_back(at += parts[static_cast<std::size_t>(k)] * now / sum);
    out.missing += static_cast<std::size_t>(whole) - 1;
    out.gaps.emplace_back(t[n], t[n + 1]);
  }
  return out;
}

namespace {

/// Time of pulse `n` by a parabola through the `half` pulses on either side (fewer at the ends, as many in
/// all); nothing when they do not lie within `std` of it.
std::optional<double> smoothed(const std::vector<double>& t, std::size_t n, std::size_t half, double std) {
  const std::size_t count = 2 * half + 1;
  if (t.size() < count) return {};
  const std::size_t from = std::min(n > half ? n - half : 0, t.size() - count);
  // Least squares of t = a + b u + c u^2, u from -1 to 1 over the pulses.
  double s2 = 0, s4 = 0, y0 = 0, y1 = 0, y2 = 0;
  const auto place = [&](std::size_t k) {
    return (static_cast<double>(k - from) - static_cast<double>(half)) / static_cast<double>(half);
  };
  for (std::size_t k = from; k < from + count; ++k) {
    const double u = place(k), y = t[k] - t[n];
    s2 += u * u, s4 += u * u * u * u, y0 += y, y1 += u * y, y2 += u * u * y;
  }
  const auto all = static_cast<double>(count);
  const double c = (all * y2 - s2 * y0) / (all * s4 - s2 * s2), b = y1 / s2, a = (y0 - c * s2) / all;
  double left = 0;
  for (std::size_t k = from; k < from + count; ++k) {
    const double u = place(k), off = t[k] - t[n] - a - b * u - c * u * u;
    left += off * off;
  }
  if (std::sqrt(left / (all - 3)) > 1.5 * std) return {};
  const double u = place(n);
  return t[n] + a + b * u + c * u * u;
}

}  // namespace

ShaftAngle angle_of_pulses(const PulseTrain& pulses, double per_turn, double time_std_s) {
  std::vector<double> turns, time = pulses.time_s;
  for (std::size_t n = 0; n < time.size(); ++n) {
    turns.push_back(static_cast<double>(n) / per_turn);
    for (const std::size_t half : {24u, 16u, 11u, 8u, 6u, 4u, 3u}) {
      if (!(time_std_s > 0)) break;
      const std::optional<double> at = smoothed(pulses.time_s, n, half, time_std_s);
      if (!at) continue;
      time[n] = *at;
      break;
    }
  }
  for (std::size_t n = 1; n < time.size(); ++n)
    if (!(time[n] > time[n - 1])) return ShaftAngle(pulses.time_s, std::move(turns));
  return ShaftAngle(std::move(time), std::move(turns));
}

ShaftAngle angle_of_ridge(const Ridge& ridge, double order) {
  std::vector<double> time, turns;
  double sum = 0;
  for (std::size_t n = 0; n < ridge.points.size(); ++n) {
    const Ridge::Point& p = ridge.points[n];
    if (n > 0) sum += (p.time_s - ridge.points[n - 1].time_s) * (p.hz + ridge.points[n - 1].hz) / 2 / order;
    time.push_back(p.time_s), turns.push_back(sum);
  }
  return ShaftAngle(std::move(time), std::move(turns));
}

}  // namespace vprism
