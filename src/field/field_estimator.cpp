// field_estimator.cpp: see field_estimator.h.
//
// Points are dealt out to lanes by their number, in runs of 32; sums are joined lane after lane, so that they
// do not depend on the threads. Amplitudes at frequencies between the bins are sums over the windowed
// samples, 2 sum(w x exp(-2 pi i f n / fs)) / sum(w), whose factors are made once.
#include "field/field_estimator.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/clones.h"
#include "base/error.h"
#include "base/fft.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr std::size_t lanes = 8, run = 32;

VPRISM_WIDE void dot_with(const double* x, const double* re, const double* im, std::size_t count,
                          double& sum_re, double& sum_im) {
  double a = 0, b = 0;
  for (std::size_t n = 0; n < count; ++n) a += x[n] * re[n], b += x[n] * im[n];
  sum_re = a, sum_im = b;
}

VPRISM_WIDE void add_squares(const double* x, std::size_t count, double* sum) {
  for (std::size_t n = 0; n < count; ++n) sum[n] += x[n] * x[n];
}

}  // namespace

struct FieldEstimator::Inner {
  struct Lane {
    std::vector<std::vector<double>> power, top, in_time;
    std::vector<std::vector<std::size_t>> top_point;
    FftArray<double> in{1};
    FftArray<Complex> out{1};
    std::vector<double> samples;
    std::size_t points = 0;
    std::vector<std::size_t> bridged, left_out;
  };

  Inner(FieldPlan p, std::size_t count)
      : plan(std::move(p)),
        fft(plan.frames.size()),
        window(make_window(plan.window, plan.frames.size())),
        work(lanes) {
    const std::size_t n = plan.frames.size(), bins = plan.bins();
    for (const double w : window) sum_w += w, sum_w2 += w * w;
    for (std::size_t k = 0; k < bins; ++k) {
      const double doubled = k == 0 || 2 * k == n ? 1 : 2;
      const double derived =
          std::pow(2 * std::numbers::pi * static_cast<double>(k) * plan.bin_hz(), plan.derive);
      const double gain = plan.derive < 0 && k == 0 ? 0 : derived;
      scale.push_back(doubled * gain * gain / (sum_w * sum_w));
    }
    for (const double hz : plan.at_hz) {
      std::vector<double> re, im;
      for (std::size_t m = 0; m < n; ++m) {
        const double angle = -2 * std::numbers::pi * hz * static_cast<double>(m) / plan.rate_hz;
        re.push_back(2 * window[m] * std::cos(angle) / sum_w);
        im.push_back(2 * window[m] * std::sin(angle) / sum_w);
      }
      factors.push_back({std::move(re), std::move(im)});
    }
    for (Lane& lane : work) {
      lane.power.assign(plan.variables, std::vector<double>(bins, 0.0));
      lane.top = lane.power;
      lane.top_point.assign(plan.variables, std::vector<std::size_t>(bins, 0));
      lane.in_time.assign(plan.variables, std::vector<double>(n, 0.0));
      lane.in = FftArray<double>(n);
      lane.out = FftArray<Complex>(bins);
      lane.samples.resize(n);
    }
    const double nothing = std::numeric_limits<double>::quiet_NaN();
    sums.rms.assign(plan.variables, std::vector<double>(count, nothing));
    sums.top_power = sums.top_hz = sums.rms;
    sums.amplitude.assign(
        plan.at_hz.size(),
        std::vector<std::vector<Complex>>(plan.variables, std::vector<Complex>(count, {nothing, nothing})));
    sums.kept.assign(plan.kept_points.size(), {});
    sums.enbw_bins = static_cast<double>(n) * sum_w2 / (sum_w * sum_w);
  }

  /// One series with its mean taken off and short gaps bridged; false when too much is missing.
  bool take(const double* series, std::vector<double>& x, bool& bridged) const {
    std::size_t missing = 0;
    double sum = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
      x[n] = series[plan.frames[n]];
      if (!std::isfinite(x[n]))
        ++missing;
      else
        sum += x[n];
    }
    if (20 * missing > x.size()) return false;
    if (missing > 0) {
      bridged = true;
      // Straight from the last value before a gap to the first behind it.
      std::size_t last = x.size();
      for (std::size_t n = 0; n < x.size(); ++n) {
        if (!std::isfinite(x[n])) continue;
        for (std::size_t m = last == x.size() ? 0 : last + 1; m < n; ++m)
          x[m] = last == x.size() ? x[n]
                                  : x[last] + (x[n] - x[last]) * static_cast<double>(m - last) /
                                                  static_cast<double>(n - last);
        last = n;
      }
      for (std::size_t m = last + 1; m < x.size(); ++m) x[m] = x[last];
      sum = 0;
      for (const double v : x) sum += v;
    }
    const double mean = sum / static_cast<double>(x.size());
    for (double& v : x) v -= mean;
    return true;
  }

  void add_point(std::size_t p, const double* values, std::size_t stride, Lane& lane) {
    const std::size_t n = plan.frames.size(), bins = plan.bins();
    const auto kept = std::find(plan.kept_points.begin(), plan.kept_points.end(), p);
    std::vector<std::vector<Complex>>* const keep =
        kept == plan.kept_points.end()
            ? nullptr
            : &sums.kept[static_cast<std::size_t>(kept - plan.kept_points.begin())];
    if (keep) keep->assign(plan.variables, {});
    bool counted = false, bridged = false, left = false;
    for (std::size_t v = 0; v < plan.variables; ++v) {
      std::vector<double>& x = lane.samples;
      if (!take(values + v * stride, x, bridged)) {
        left = true;
        continue;
      }
      counted = true;
      add_squares(x.data(), n, lane.in_time[v].data());
      double square = 0;
      for (std::size_t m = 0; m < n; ++m) square += x[m] * x[m], lane.in.data()[m] = x[m] * window[m];
      sums.rms[v][p] = std::sqrt(square / static_cast<double>(n));
      fft.run(lane.in, lane.out);
      double top = -1;
      std::size_t top_bin = 0;
      for (std::size_t k = 0; k < bins; ++k) {
        const double power = std::norm(lane.out.data()[k]) * scale[k];
        lane.power[v][k] += power;
        if (power > lane.top[v][k]) lane.top[v][k] = power, lane.top_point[v][k] = p;
        if (k > 0 && power > top) top = power, top_bin = k;
      }
      sums.top_power[v][p] = top;
      sums.top_hz[v][p] = static_cast<double>(top_bin) * plan.bin_hz();
      for (std::size_t i = 0; i < factors.size(); ++i) {
        double re = 0, im = 0;
        dot_with(x.data(), factors[i].first.data(), factors[i].second.data(), n, re, im);
        sums.amplitude[i][v][p] =
            Complex(re, im) * std::pow(Complex(0, 2 * std::numbers::pi * plan.at_hz[i]), plan.derive);
      }
      if (keep)
        for (std::size_t k = 0; k < bins; ++k) {
          const double doubled = k == 0 || 2 * k == n ? 1 : 2;
          const Complex gain =
              plan.derive < 0 && k == 0
                  ? Complex(0)
                  : std::pow(Complex(0, 2 * std::numbers::pi * static_cast<double>(k) * plan.bin_hz()),
                             plan.derive);
          (*keep)[v].push_back(lane.out.data()[k] * gain * doubled / sum_w);
        }
    }
    if (counted) ++lane.points;
    if (left)
      lane.left_out.push_back(p);
    else if (bridged)
      lane.bridged.push_back(p);
  }

  FieldPlan plan;
  RealFft fft;
  std::vector<double> window, scale;
  double sum_w = 0, sum_w2 = 0;
  std::vector<std::pair<std::vector<double>, std::vector<double>>> factors;
  std::vector<Lane> work;
  FieldSums sums;
};

FieldEstimator::FieldEstimator(FieldPlan plan, std::size_t points)
    : inner_(std::make_unique<Inner>(std::move(plan), points)) {}
FieldEstimator::~FieldEstimator() = default;

void FieldEstimator::add(std::size_t first, std::size_t count, std::span<const double> values,
                         std::size_t stride) {
  Inner& in = *inner_;
  oneapi::tbb::parallel_for(std::size_t{0}, lanes, [&](std::size_t lane) {
    for (std::size_t p = 0; p < count; ++p)
      if ((first + p) / run % lanes == lane)
        in.add_point(first + p, values.data() + p * in.plan.variables * stride, stride, in.work[lane]);
  });
}

FieldSums FieldEstimator::result() {
  Inner& in = *inner_;
  FieldSums& out = in.sums;
  out.mean_power.assign(in.plan.variables, std::vector<double>(in.plan.bins(), 0.0));
  out.max_power = out.mean_power;
  out.max_point.assign(in.plan.variables, std::vector<std::size_t>(in.plan.bins(), 0));
  out.mean_square_in_time.assign(in.plan.variables, std::vector<double>(in.plan.frames.size(), 0.0));
  for (const Inner::Lane& lane : in.work) {
    out.points += lane.points;
    out.bridged.insert(out.bridged.end(), lane.bridged.begin(), lane.bridged.end());
    out.left_out.insert(out.left_out.end(), lane.left_out.begin(), lane.left_out.end());
    for (std::size_t v = 0; v < in.plan.variables; ++v) {
      for (std::size_t k = 0; k < in.plan.bins(); ++k) {
        out.mean_power[v][k] += lane.power[v][k];
        if (lane.top[v][k] > out.max_power[v][k])
          out.max_power[v][k] = lane.top[v][k], out.max_point[v][k] = lane.top_point[v][k];
      }
      for (std::size_t n = 0; n < in.plan.frames.size(); ++n)
        out.mean_square_in_time[v][n] += lane.in_time[v][n];
    }
  }
  if (out.points == 0)
    throw Error(Status::analysis, "no point has enough values; over 5% are missing at each");
  const auto count = static_cast<double>(out.points);
  for (std::size_t v = 0; v < in.plan.variables; ++v) {
    for (double& p : out.mean_power[v]) p /= count;
    for (double& p : out.mean_square_in_time[v]) p /= count;
  }
  std::sort(out.bridged.begin(), out.bridged.end());
  std::sort(out.left_out.begin(), out.left_out.end());
  return std::move(out);
}

}  // namespace vprism
