// course_fit.cpp: see course_fit.h.
#include "identify/swings/course_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <utility>

#include "identify/lines/whole_lines.h"
#include "identify/swings/course_solve.h"

namespace vprism {

namespace {

using std::numbers::pi;

constexpr std::size_t most_swing_orders = 9;

/// What a speed from one sample before to one after lets through of a swing, by cycles per sample.
double share_of_difference(double cycles) {
  const double w = 2 * pi * cycles, gain = w == 0 ? 1 : std::sin(w) / w;
  return std::abs(gain) > 0.05 ? gain : 0.05;
}

/// Lines put into swings: those at multiples of a stronger one's frequency are its orders. Orders too
/// high to be fitted are such only where they are as weak as those of a wave with edges.
std::vector<double> rates_of(const SineFit& lines, double bin_hz) {
  std::vector<Sine> out;
  for (const Sine& s : lines.sines) {
    const bool order = std::any_of(out.begin(), out.end(), [&](const Sine& first) {
      const double n = std::round(s.frequency_hz / first.frequency_hz);
      return n >= 2 && (n <= most_swing_orders || s.amplitude < 2 / n * first.amplitude) &&
             std::abs(s.frequency_hz - n * first.frequency_hz) <
                 std::min(n, 40.0) * 0.1 * bin_hz + 0.5 * bin_hz;
    });
    if (!order && s.frequency_hz > 0.7 * bin_hz) out.push_back(s);
  }
  std::vector<double> rates;
  for (const Sine& s : out) rates.push_back(s.frequency_hz);
  return rates;
}

/// A swing of three to sixteen periods, whose line lies where the window's lobes hide it: the frequency of
/// which three orders, beside a drift, explain nine tenths; of several the highest that is as good.
std::optional<double> slow_swing(const std::vector<double>& x, double rate_hz) {
  constexpr std::size_t few = 1024;
  constexpr Eigen::Index orders = 3;
  const std::size_t group = std::max<std::size_t>(1, x.size() / few), count = x.size() / group;
  if (count < 64) return {};
  Vector y(static_cast<Eigen::Index>(count));
  for (std::size_t n = 0; n < count; ++n) {
    double sum = 0;
    for (std::size_t k = n * group; k < (n + 1) * group; ++k) sum += x[k];
    y(static_cast<Eigen::Index>(n)) = sum / static_cast<double>(group);
  }
  const double all = (y.array() - y.mean()).square().sum();
  if (!(all > 0)) return {};
  std::vector<std::pair<double, double>> left;  // Periods in the series, and what they leave.
  Matrix columns(y.size(), 2 + 2 * orders);
  for (double periods = 2.7; periods < 16; periods += 0.1) {
    for (Eigen::Index n = 0; n < y.size(); ++n) {
      const double t = (static_cast<double>(n) + 0.5) / static_cast<double>(count);
      columns(n, 0) = 1, columns(n, 1) = t - 0.5;
      for (Eigen::Index k = 0; k < orders; ++k) {
        const double angle = 2 * pi * static_cast<double>(k + 1) * periods * t;
        columns(n, 2 + 2 * k) = std::cos(angle), columns(n, 3 + 2 * k) = std::sin(angle);
      }
    }
    const Matrix square = columns.transpose() * columns;
    const Vector right = columns.transpose() * y, a = solve_symmetric(square, right);
    left.emplace_back(periods, (y - columns * a).squaredNorm());
  }
  const double least = std::min_element(left.begin(), left.end(), [](auto& a, auto& b) {
                         return a.second < b.second;
                       })->second;
  if (least > 0.1 * all) return {};
  double best = 0;
  for (const auto& [periods, rest] : left)
    if (rest < 1.2 * least + 1e-4 * all) best = periods;
  return best * rate_hz / static_cast<double>(count * group);
}

/// The lines of a series that may drift: a straight line is taken off, so that drift is no line of low
/// frequency, then again one fitted beside the lines, since a swing of few periods tilts the first.
SineFit lines_beside_drift(const std::vector<double>& level, double rate_hz) {
  CourseFit drift = solve_course(level, rate_hz, {}, {});
  SineFit lines = fit_whole_lines(drift.residual, rate_hz, 12);
  if (lines.residual_rms > 0.5 * drift.rms)
    if (const auto hz = slow_swing(drift.residual, rate_hz)) {
      Sine slow;
      slow.frequency_hz = *hz;
      lines = fit_sines(drift.residual, rate_hz, {slow});
    }
  for (int round = 0; round < 2 && !lines.sines.empty(); ++round) {
    std::vector<double> hz;
    for (const Sine& s : lines.sines) hz.push_back(s.frequency_hz);
    drift = solve_course(level, rate_hz, {}, hz);
    std::vector<double> rest = level;
    drift.take_off(rest, rate_hz, 0, 0);
    lines = fit_sines(rest, rate_hz, std::move(lines.sines));
  }
  std::stable_sort(lines.sines.begin(), lines.sines.end(),
                   [](const Sine& a, const Sine& b) { return a.amplitude > b.amplitude; });
  return lines;
}

/// The orders of each swing below 0.45 of the rate, one after the other.
struct SwingOrders {
  std::vector<double> hz;
  std::vector<std::size_t> counts;
};
SwingOrders swing_orders(const std::vector<double>& rates, double rate_hz, double bin_hz) {
  SwingOrders out;
  for (const double rate : rates) {
    std::size_t n = 1;
    for (; n <= most_swing_orders && static_cast<double>(n) * rate < 0.45 * rate_hz; ++n) {
      const double f = static_cast<double>(n) * rate;
      // An order that falls onto another swing's is left to that.
      if (n > 1 && std::any_of(out.hz.begin(), out.hz.end(),
                               [&](double other) { return std::abs(other - f) < bin_hz; }))
        break;
      out.hz.push_back(f);
    }
    out.counts.push_back(n - 1);
  }
  return out;
}

/// Over few periods the orders of a swing pull at the line that its rate was read from: the rate is then that
/// at which all of them leave least. Its standard uncertainty, where it was found so.
double set_right_by_orders(std::span<const double> x, double rate_hz, const std::vector<double>& steps_s,
                           std::vector<double>& rates, std::size_t which) {
  const double bin = rate_hz / static_cast<double>(x.size());
  double std_hz = 0, step = 0.05 * bin;
  for (int round = 0; round < 3; ++round, step /= 3) {
    const double at = rates[which];
    double squares[3];
    CourseFit fit;
    for (int k = 0; k < 3; ++k) {
      rates[which] = at + (k - 1) * step;
      CourseFit here = solve_course(x, rate_hz, steps_s, swing_orders(rates, rate_hz, bin).hz);
      squares[k] = here.rms * here.rms * static_cast<double>(x.size());
      if (k == 1) fit = std::move(here);
    }
    const double bend = (squares[0] - 2 * squares[1] + squares[2]) / (step * step);
    rates[which] = at;
    if (!(bend > 0)) return std_hz;
    rates[which] += std::clamp((squares[0] - squares[2]) / (2 * step) / bend, -3 * step, 3 * step);
    std_hz = fit.rms * std::sqrt(2 / bend) * density_around(fit, at);
  }
  return std_hz;
}

}  // namespace

CourseFit fit_course(std::span<const double> x, double rate_hz, const CourseSteps& steps,
                     double difference_rate_hz) {
  std::vector<double> level(x.begin(), x.end());
  for (std::size_t n = 0; n < level.size(); ++n)
    for (std::size_t i = 0; i < steps.at_s.size(); ++i)
      if (static_cast<double>(n) / rate_hz >= steps.at_s[i]) level[n] -= steps.sizes[i];
  const SineFit lines = lines_beside_drift(level, rate_hz);
  const double bin = rate_hz / static_cast<double>(x.size());
  std::vector<double> rates = rates_of(lines, bin);
  std::vector<double> rate_stds;
  for (const double rate : rates)
    for (const Sine& s : lines.sines)
      if (s.frequency_hz == rate) rate_stds.push_back(s.frequency_std_hz);
  SwingOrders orders = swing_orders(rates, rate_hz, bin);
  CourseFit out = solve_course(x, rate_hz, steps.at_s, orders.hz);
  bool moved = false;
  constexpr double few_periods = 40;
  auto at = static_cast<Eigen::Index>(2 + steps.at_s.size());
  for (std::size_t i = 0; i < rates.size(); at += 2 * static_cast<Eigen::Index>(orders.counts[i]), ++i) {
    if (rates[i] > few_periods * bin || orders.counts[i] < 2) continue;
    const auto fundamental = out.values.segment(at, 2);
    const auto higher = out.values.segment(at + 2, 2 * static_cast<Eigen::Index>(orders.counts[i]) - 2);
    if (higher.squaredNorm() < 1e-6 * fundamental.squaredNorm()) continue;
    rate_stds[i] = std::max(rate_stds[i], set_right_by_orders(x, rate_hz, steps.at_s, rates, i));
    moved = true;
  }
  if (moved) {
    orders = swing_orders(rates, rate_hz, bin);
    out = solve_course(x, rate_hz, steps.at_s, orders.hz);
  }
  add_deviations(out);
  const auto passed = [&](double f) {
    return difference_rate_hz > 0 ? share_of_difference(f / difference_rate_hz) : 1;
  };
  // The highest of so many bins of noise reaches this once in a thousand series.
  const double least =
      std::sqrt(2 * std::log(static_cast<double>(std::max<std::size_t>(x.size(), 4)) / 2 / 1e-3));
  at = static_cast<Eigen::Index>(2 + steps.at_s.size());
  for (std::size_t i = 0; i < rates.size(); ++i) {
    std::vector<std::complex<double>> amplitudes;
    for (std::size_t n = 0; n < orders.counts[i]; ++n, at += 2)
      // c cos + s sin = |a| cos(angle + arg a) with a = c - i s.
      amplitudes.push_back(std::complex<double>(out.values(at), -out.values(at + 1)) /
                           passed(static_cast<double>(n + 1) * rates[i]));
    if (amplitudes.empty()) continue;
    Swing swing = name_shape(amplitudes);
    const double deviation =
        out.deviations(at - 2 * static_cast<Eigen::Index>(orders.counts[i])) / passed(rates[i]);
    swing.rate_hz = rates[i], swing.rate_std_hz = rate_stds[i];
    swing.peak_std = deviation * (swing.fundamental > 0 ? swing.peak / swing.fundamental : 1);
    if (swing.fundamental > least * deviation) out.swings.push_back(swing);
  }
  std::stable_sort(out.swings.begin(), out.swings.end(),
                   [](const Swing& a, const Swing& b) { return a.peak > b.peak; });
  return out;
}

}  // namespace vprism
