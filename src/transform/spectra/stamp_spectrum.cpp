// stamp_spectrum.cpp: see stamp_spectrum.h.
//
// With weights w (sum 1), c = cos(2 pi f t), s = sin(2 pi f t) and <.> the weighted mean, the normal
// equations of a c + b s + d are
//     [<cc>-<c>^2  <cs>-<c><s>] [a]   [<yc>-<y><c>]
//     [<cs>-<c><s> <ss>-<s>^2 ] [b] = [<ys>-<y><s>].
// Eight frequencies next to each other are reached by turning c + i s on, sample by sample.
#include "transform/spectra/stamp_spectrum.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/machine/clones.h"
#include "base/text.h"

namespace vprism {

namespace {

struct Sums {
  double c = 0, s = 0, cc = 0, cs = 0, yc = 0, ys = 0;
};

/// Sums over samples at one frequency, and c + i s turned on to the next.
VPRISM_WIDE void add_up(const double* w, const double* wy, const double* dc, const double* ds,
                        std::size_t count, double* c, double* s, Sums& sums) {
  constexpr std::size_t lanes = 8;
  double parts[6][lanes] = {};
  std::size_t n = 0;
  for (; n + lanes <= count; n += lanes)
    for (std::size_t i = 0; i < lanes; ++i) {
      const double x = c[n + i], y = s[n + i], wx = w[n + i] * x, ws = w[n + i] * y;
      parts[0][i] += wx, parts[1][i] += ws, parts[2][i] += wx * x, parts[3][i] += wx * y;
      parts[4][i] += wy[n + i] * x, parts[5][i] += wy[n + i] * y;
      c[n + i] = x * dc[n + i] - y * ds[n + i];
      s[n + i] = x * ds[n + i] + y * dc[n + i];
    }
  for (; n < count; ++n) {
    const double x = c[n], y = s[n];
    parts[0][0] += w[n] * x, parts[1][0] += w[n] * y, parts[2][0] += w[n] * x * x,
        parts[3][0] += w[n] * x * y;
    parts[4][0] += wy[n] * x, parts[5][0] += wy[n] * y;
    c[n] = x * dc[n] - y * ds[n];
    s[n] = x * ds[n] + y * dc[n];
  }
  double totals[6] = {};
  for (std::size_t k = 0; k < 6; ++k)
    for (const double part : parts[k]) totals[k] += part;
  sums = {totals[0], totals[1], totals[2], totals[3], totals[4], totals[5]};
}

}  // namespace

namespace {

/// The interval that no more than a twentieth of the time is sampled more coarsely than.
double usual_interval(const std::vector<double>& time_s) {
  std::vector<double> intervals;
  for (std::size_t n = 1; n < time_s.size(); ++n) intervals.push_back(time_s[n] - time_s[n - 1]);
  std::sort(intervals.begin(), intervals.end());
  double left = 0.05 * (time_s.back() - time_s.front());
  std::size_t at = intervals.size() - 1;
  while (at > 0 && (left -= intervals[at]) > 0) --at;
  return intervals[at];
}

}  // namespace

StampPlan plan_stamps(const std::vector<double>& time_s, std::optional<double> low_hz,
                      std::optional<double> high_hz, const Window& window) {
  const auto count = static_cast<double>(time_s.size());
  if (time_s.size() < 8) throw Error(Status::analysis, "fewer than 8 samples; nothing to fit sines to");
  StampPlan plan;
  plan.span_s = (time_s.back() - time_s.front()) * count / (count - 1);
  plan.step_hz = 1 / (4 * plan.span_s);
  plan.low_hz = std::max(low_hz.value_or(0), std::ceil(4 * window_half_width_bins(window)) * plan.step_hz);
  const double high = high_hz.value_or(1 / (2 * usual_interval(time_s)));
  if (!(high > plan.low_hz))
    throw Error(Status::analysis, "the span ends below " + format_quantity(plan.low_hz, "Hz") +
                                      ", too few periods in the record");
  const double steps = std::floor((high - plan.low_hz) / plan.step_hz) + 1;
  if (steps * count > 4e9)
    throw Error(Status::analysis,
                format_number(steps, 3) + " frequencies for " + format_number(count, 9) +
                    " samples are too many to fit one by one; give a narrower --span, or put "
                    "the record on an even grid with --chain regrid");
  plan.count = static_cast<std::size_t>(steps);
  return plan;
}

std::vector<double> stamp_weights(const std::vector<double>& time_s, const Window& window) {
  const std::size_t count = time_s.size();
  const double mean = (time_s.back() - time_s.front()) / static_cast<double>(count - 1);
  const double span = mean * static_cast<double>(count);
  constexpr std::size_t fine = 4096;
  const std::vector<double> shape = make_window(window, fine);
  std::vector<double> w(count);
  double sum = 0;
  for (std::size_t n = 0; n < count; ++n) {
    // Half a mean interval in, so that both ends are alike.
    const double at = ((time_s[n] - time_s.front()) + mean / 2) / span * fine;
    const auto left = std::min(static_cast<std::size_t>(at), fine - 1);
    const double part = at - static_cast<double>(left);
    const double before = n > 0 ? time_s[n] - time_s[n - 1] : mean,
                 after = n + 1 < count ? time_s[n + 1] - time_s[n] : mean;
    w[n] = ((1 - part) * shape[left] + part * shape[(left + 1) % fine]) *
           std::min((before + after) / 2, 5 * mean);
    sum += w[n];
  }
  for (double& x : w) x /= sum;
  return w;
}

Spectrum stamp_spectrum(const StampedSamples& samples, const StampPlan& plan, const Window& window) {
  const std::size_t count = samples.time_s.size();
  const double start = samples.time_s.front();
  const std::vector<double> w = stamp_weights(samples.time_s, window);
  std::vector<double> wy(count), dc(count), ds(count);
  double square = 0, mean = 0;
  for (std::size_t n = 0; n < count; ++n) mean += w[n] * samples.value[n], square += w[n] * w[n];
  for (std::size_t n = 0; n < count; ++n) {
    wy[n] = w[n] * (samples.value[n] - mean);
    const double turn = 2 * std::numbers::pi * plan.step_hz * (samples.time_s[n] - start);
    dc[n] = std::cos(turn), ds[n] = std::sin(turn);
  }
  Spectrum out;
  out.window = window;
  out.plan.segment = count, out.plan.hop = count, out.plan.averages = 1;
  out.plan.rate_hz = static_cast<double>(count) / plan.span_s;
  out.plan.bin_hz = plan.step_hz;
  out.enbw_bins = static_cast<double>(count) * square / (plan.step_hz * plan.span_s);
  out.plan.rbw_hz = out.enbw_bins * plan.step_hz;
  out.start_bins = plan.low_hz / plan.step_hz;
  out.transform = count;
  out.mean = mean;
  out.power.resize(plan.count);
  out.first.resize(plan.count);
  constexpr std::size_t run = 32;  // Frequencies that are reached by turning on.
  oneapi::tbb::parallel_for(std::size_t{0}, (plan.count + run - 1) / run, [&](std::size_t task) {
    std::vector<double> c(count), s(count);
    const double from_hz = plan.low_hz + static_cast<double>(task * run) * plan.step_hz;
    for (std::size_t n = 0; n < count; ++n) {
      const double turns = from_hz * (samples.time_s[n] - start);
      const double angle = 2 * std::numbers::pi * (turns - std::floor(turns));
      c[n] = std::cos(angle), s[n] = std::sin(angle);
    }
    for (std::size_t k = task * run; k < std::min(plan.count, (task + 1) * run); ++k) {
      Sums t;
      add_up(w.data(), wy.data(), dc.data(), ds.data(), count, c.data(), s.data(), t);
      const double cc = t.cc - t.c * t.c, ss = 1 - t.cc - t.s * t.s, cs = t.cs - t.c * t.s;
      const double det = cc * ss - cs * cs;
      const double a = det > 1e-12 ? (t.yc * ss - t.ys * cs) / det : 0;
      const double b = det > 1e-12 ? (t.ys * cc - t.yc * cs) / det : 0;
      out.power[k] = (a * a + b * b) / 2;
      out.first[k] = std::complex<double>(a, -b) / 2.0;
    }
  });
  return out;
}

}  // namespace vprism
