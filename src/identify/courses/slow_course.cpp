// slow_course.cpp: see slow_course.h.
#include "identify/courses/slow_course.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <utility>

#include "base/dot.h"
#include "base/percentile.h"
#include "base/straight_line.h"
#include "identify/lines/smoothed.h"

namespace vprism {

namespace {

constexpr std::size_t parts = 48;
using Means = std::array<double, parts>;

Means means_of(std::span<const double> x) {
  Means out;
  for (std::size_t p = 0; p < parts; ++p) {
    const std::size_t from = p * x.size() / parts, to = (p + 1) * x.size() / parts;
    out[p] = std::accumulate(x.begin() + static_cast<std::ptrdiff_t>(from),
                             x.begin() + static_cast<std::ptrdiff_t>(to), 0.0) /
             static_cast<double>(to - from);
  }
  return out;
}

double square_about_mean(std::span<const double> x) { return variance_of(x) * static_cast<double>(x.size()); }

/// Where two levels leave the least of values: the first behind the step, within from .. to.
std::size_t best_split(std::span<const double> x, std::size_t from, std::size_t to) {
  const double all = std::accumulate(x.begin(), x.end(), 0.0), n = static_cast<double>(x.size());
  double below = std::accumulate(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(from), 0.0), best = -1;
  std::size_t at = from;
  for (std::size_t k = from; k <= to && k < x.size(); below += x[k++]) {
    if (k == 0) continue;
    const double m = static_cast<double>(k), between = below / m - (all - below) / (n - m);
    if (const double gain = between * between * m * (n - m) / n; gain > best) best = gain, at = k;
  }
  return at;
}

std::optional<SlowCourse> step_in(std::span<const double> x, const Means& means) {
  constexpr double most_left = 0.05;
  constexpr std::size_t least_parts = 3;
  const std::size_t part = best_split(means, least_parts, parts - least_parts);
  const std::size_t per = x.size() / parts, near = part * x.size() / parts;
  const std::size_t at =
      best_split(x, near - std::min(near, 2 * per), std::min(x.size() - 1, near + 2 * per));
  // The part that holds it is of neither level.
  const std::size_t split = at * parts / x.size();
  const std::span<const double> before(means.data(), split),
      behind(means.data() + split + 1, parts - split - 1);
  if (before.size() < least_parts - 1 || behind.size() < least_parts - 1) return {};
  const double left = square_about_mean(before) + square_about_mean(behind);
  const auto level = [](std::span<const double> values) {
    return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
  };
  // The part left out counts in neither: a click in it is no step.
  const auto k = static_cast<double>(before.size()), l = static_cast<double>(behind.size());
  const double size = level(behind) - level(before), between = size * size * k * l / (k + l);
  if (!(between > 0) || left > most_left * (left + between)) return {};
  SlowCourse out;
  const double scatter = left / static_cast<double>(parts - 3);
  out.shift = {at, size, std::sqrt(scatter / k + scatter / l)};
  out.rest.assign(x.begin(), x.end());
  for (std::size_t n = at; n < x.size(); ++n) out.rest[n] -= out.shift->size;
  return out;
}

}  // namespace

std::optional<SlowCourse> slow_course_of(std::span<const double> x) {
  constexpr double most_of_all = 0.75;
  if (x.size() < 8 * parts) return {};
  const Means means = means_of(x);
  if (auto step = step_in(x, means)) return step;
  const auto n = static_cast<double>(x.size());
  const double mean = std::accumulate(x.begin(), x.end(), 0.0) / n, spread = n * (n * n - 1) / 12;
  double along = 0;
  for (std::size_t i = 0; i < x.size(); ++i) along += (static_cast<double>(i) - (n - 1) / 2) * (x[i] - mean);
  const double slope = along / spread;
  if (!(along * slope > most_of_all * square_about_mean(x)) || slope == 0) return {};
  SlowCourse line{{x.begin(), x.end()}, {}};
  for (std::size_t i = 0; i < x.size(); ++i) line.rest[i] -= slope * (static_cast<double>(i) - (n - 1) / 2);
  SlowCourse cubic = line;
  const std::vector<double> bend = smoothed(line.rest, 4);
  for (std::size_t i = 0; i < x.size(); ++i) cubic.rest[i] += mean - bend[i];
  return 2 * square_about_mean(means_of(cubic.rest)) < square_about_mean(means_of(line.rest)) ? cubic : line;
}

namespace {

/// Fitted anew with lone samples that stand far out of what is left put where the fit has them: one spike
/// moves a line by more than the noise does. `samples` are what `fit` was made from, and are changed.
SineFit fit_beside_spikes(std::vector<double> samples, double rate_hz, SineFit fit, double joint_bins,
                          double still) {
  constexpr double far = 12;
  constexpr int rounds = 3;
  for (int round = 0; round < rounds && !fit.sines.empty(); ++round) {
    std::vector<double> sizes = fit.residual;
    for (double& v : sizes) v = std::abs(v);
    const double limit = far * 1.4826 * median_in(sizes);
    const auto stands = [&](double v) { return std::abs(v) > limit; };
    const auto spikes =
        static_cast<std::size_t>(std::count_if(fit.residual.begin(), fit.residual.end(), stands));
    if (spikes == 0 || 100 * spikes > samples.size() || !(limit > 0)) break;
    const double before = variance_of(fit.residual);
    for (std::size_t n = 0; n < samples.size(); ++n)
      if (stands(fit.residual[n])) samples[n] -= std::exchange(fit.residual[n], 0.0);
    // The noise beside the lines was theirs as well.
    for (Sine& s : fit.sines) s.noise_variance *= variance_of(fit.residual) / before;
    fit = fit_sines(samples, rate_hz, std::move(fit.sines), joint_bins, still);
  }
  return fit;
}

/// Beside a straight line, each fitted to what the other leaves, in turn: lines of few periods lean, and a
/// trend swings. Only where the line holds more than noise would give it.
SineFit fit_beside_line(std::span<const double> samples, double rate_hz, SineFit fit, double joint_bins,
                        double still) {
  constexpr int rounds = 12;
  constexpr double settled = 1e-4, more_than_noise = 12;
  const auto n = static_cast<double>(samples.size());
  std::vector<double> rest = fit.residual;
  StraightLine line{0, 0, (n - 1) / 2};
  SineFit out = fit;
  for (int round = 0; round < rounds; ++round) {
    for (std::size_t i = 0; i < rest.size(); ++i)
      rest[i] = out.residual[i] + line.slope * (static_cast<double>(i) - line.middle);
    const StraightLine next = straight_line(rest);
    double left = 0;
    for (std::size_t i = 0; i < rest.size(); ++i) left += std::pow(rest[i] - next.at(i), 2);
    const double held = next.slope * next.slope * (n * n - 1) / 12;
    if (held < more_than_noise * left / (n * n)) return fit;
    const bool stands = round > 0 && std::abs(next.slope - line.slope) < settled * std::abs(next.slope);
    line = next;
    for (std::size_t i = 0; i < rest.size(); ++i)
      rest[i] = samples[i] - line.slope * (static_cast<double>(i) - line.middle);
    out = fit_sines(rest, rate_hz, out.sines, joint_bins, still);
    out.slope = line.slope;
    if (stands) break;
  }
  out.beside_line = true;
  return out;
}

}  // namespace

SineFit fit_sines_beside_wander(std::span<const double> samples, double rate_hz, std::vector<Sine> first,
                                double joint_bins, double still) {
  constexpr double most_intervals = 40;
  const auto n = static_cast<double>(samples.size());
  double lowest = rate_hz;
  for (const Sine& s : first) lowest = std::min(lowest, s.frequency_hz);
  SineFit fit = fit_sines(samples, rate_hz, std::move(first), joint_bins, still);
  const auto intervals = static_cast<std::size_t>(std::min(lowest * n / rate_hz / 3, most_intervals));
  std::vector<double> rest(samples.begin(), samples.end()), slow(samples.size(), 0.0);
  fit = fit_beside_spikes(rest, rate_hz, std::move(fit), joint_bins, still);
  constexpr double fewest_periods = 2;
  if (intervals < 4 && lowest * n / rate_hz >= fewest_periods && !fit.sines.empty()) {
    fit = fit_beside_line(samples, rate_hz, std::move(fit), joint_bins, still);
    fit.beside_line = true;
    return fit;
  }
  if (intervals < 4 || samples.size() < 16 * intervals || fit.sines.empty()) return fit;
  for (int round = 0; round < 4; ++round) {
    for (std::size_t i = 0; i < rest.size(); ++i) rest[i] = fit.residual[i] + slow[i];
    slow = smoothed(rest, intervals + 3);
    double left = 0;
    for (std::size_t i = 0; i < rest.size(); ++i) left += (rest[i] - slow[i]) * (rest[i] - slow[i]);
    // Noise leaves so much in as many unknowns.
    if (square_about_mean(slow) < 4 * static_cast<double>(intervals + 3) * left / n) return fit;
    for (std::size_t i = 0; i < rest.size(); ++i) rest[i] = samples[i] - slow[i];
    fit = fit_beside_spikes(rest, rate_hz, fit_sines(rest, rate_hz, std::move(fit.sines), joint_bins, still),
                            joint_bins, still);
  }
  return fit;
}

}  // namespace vprism
