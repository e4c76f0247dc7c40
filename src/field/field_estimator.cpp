// field_estimator.cpp: see field_estimator.h.
//
// Points are dealt out to lanes by their number, in runs of 32; sums are joined lane after lane, so that they
// do not depend on the threads. Amplitudes at frequencies between the bins are sums over the windowed
// samples, 2 sum(w x exp(-2 pi i f n / fs)) / sum(w), whose factors are made once.
#include "field/field_estimator.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <numbers>

#include "base/clones.h"
#include "base/dot.h"
#include "base/error.h"
#include "base/fft.h"
#include "base/lanes.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr std::size_t lanes = 8, run = 32;

/// Takes the mean off, adds the squares to those in time and weighs; the sum of the squares.
VPRISM_WIDE double weigh(double* x, double mean, const double* window, std::size_t count, double* in_time,
                         double* weighed) {
  Four squares = {0, 0, 0, 0};
  std::size_t n = 0;
  for (; n + 4 <= count; n += 4) {
    Four v, w, t;
    load(x + n, v), load(window + n, w), load(in_time + n, t);
    v -= mean;
    const Four square = v * v;
    squares += square, t += square, w *= v;
    std::memcpy(x + n, &v, sizeof v), std::memcpy(in_time + n, &t, sizeof t),
        std::memcpy(weighed + n, &w, sizeof w);
  }
  double sum = total(squares);
  for (; n < count; ++n) {
    x[n] -= mean;
    sum += x[n] * x[n], in_time[n] += x[n] * x[n], weighed[n] = x[n] * window[n];
  }
  return sum;
}

VPRISM_WIDE double sum_of(const double* x, std::size_t count) {
  Four sums = {0, 0, 0, 0};
  std::size_t n = 0;
  for (; n + 4 <= count; n += 4) {
    Four v;
    load(x + n, v);
    sums += v;
  }
  double sum = total(sums);
  for (; n < count; ++n) sum += x[n];
  return sum;
}

/// Scaled squares of a transform: to the sum, and into the greatest with whose it is. Points are doubles
/// here, so that the lanes are alike.
VPRISM_WIDE void fold(const Complex* x, const double* scale, std::size_t count, double point, double* sum,
                      double* top, double* whose, double* power) {
  for (std::size_t k = 0; k < count; ++k) {
    const double p = (x[k].real() * x[k].real() + x[k].imag() * x[k].imag()) * scale[k];
    power[k] = p;
    sum[k] += p;
    whose[k] = p > top[k] ? point : whose[k];
    top[k] = p > top[k] ? p : top[k];
  }
}

VPRISM_WIDE double greatest(const double* x, std::size_t count) {
  Four most = {-1, -1, -1, -1};
  std::size_t n = 0;
  for (; n + 4 <= count; n += 4) {
    Four v;
    load(x + n, v);
    raise(v, most);
  }
  double top = highest(most);
  for (; n < count; ++n) top = x[n] > top ? x[n] : top;
  return top;
}

}  // namespace

struct FieldEstimator::Inner {
  struct Lane {
    std::vector<std::vector<double>> power, top, in_time;
    std::vector<std::vector<double>> top_point;
    std::vector<double> powers;
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
    together = plan.frames.back() - plan.frames.front() + 1 == n;
    for (std::size_t k = 0; k < bins; ++k) {
      const double doubled = k == 0 || 2 * k == n ? 1 : 2;
      const double derived =
          std::pow(2 * std::numbers::pi * static_cast<double>(k) * plan.bin_hz(), plan.derive);
      const double gain = plan.derive < 0 && k == 0 ? 0 : derived;
      scale.push_back(doubled * gain * gain / (sum_w * sum_w));
    }
    for (const double hz : plan.at_hz) {
      gains.push_back(std::pow(Complex(0, 2 * std::numbers::pi * hz), plan.derive));
      if (plan.saved != nullptr) {
        factors.push_back(factors_of_bins(hz));
        continue;
      }
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
      lane.top_point = lane.power;
      lane.powers.resize(bins);
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

  /// The same sums over the bins of a whole transform, which hold all of the windowed samples: with
  /// D(u) = sum(exp(2 pi i u n)), n = 0 .. N - 1, the sum at f is that of Y[k] D(k / N - f / fs) / N over all
  /// k, and Y[N - k] is the conjugate of Y[k].
  std::pair<std::vector<double>, std::vector<double>> factors_of_bins(double hz) const {
    const auto n = static_cast<double>(plan.frames.size());
    const auto whole = [&](double u) {
      const double place = u - std::round(u);
      if (std::abs(place) * n < 1e-9) return Complex(n, 0);
      // Both numerator and denominator by their half angles.
      return std::polar(std::sin(std::numbers::pi * place * n) / std::sin(std::numbers::pi * place),
                        std::numbers::pi * place * (n - 1));
    };
    std::vector<double> re, im;
    for (std::size_t k = 0; k < plan.bins(); ++k) {
      const double at = static_cast<double>(k) / n, f = hz / plan.rate_hz;
      const bool mirrored = k != 0 && 2 * k != plan.frames.size();
      const Complex here = whole(at - f), there = mirrored ? whole(-at - f) : Complex(0);
      const Complex of_real = 2.0 / (n * sum_w) * (here + there),
                    of_imaginary = Complex(0, 2 / (n * sum_w)) * (here - there);
      re.push_back(of_real.real()), re.push_back(of_imaginary.real());
      im.push_back(of_real.imag()), im.push_back(of_imaginary.imag());
    }
    return {std::move(re), std::move(im)};
  }

  /// One series with short gaps bridged, and its mean; false when too much is missing.
  bool take(const double* series, std::vector<double>& x, double& mean, bool& bridged) const {
    const auto size = static_cast<double>(x.size());
    if (together)
      std::copy_n(series + plan.frames.front(), x.size(), x.begin());
    else
      for (std::size_t n = 0; n < x.size(); ++n) x[n] = series[plan.frames[n]];
    mean = sum_of(x.data(), x.size()) / size;
    if (std::isfinite(mean)) return true;
    std::size_t missing = 0;
    for (const double v : x) missing += !std::isfinite(v);
    if (20 * missing > x.size()) return false;
    bridged = bridged || missing > 0;
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
    mean = sum_of(x.data(), x.size()) / size;
    return std::isfinite(mean);
  }

  /// `kept`, where there is one: room for the point's transforms.
  void add_point(std::size_t p, const double* values, std::size_t stride, Lane& lane, double* kept_here) {
    const std::size_t n = plan.frames.size(), bins = plan.bins();
    const auto kept = std::find(plan.kept_points.begin(), plan.kept_points.end(), p);
    std::vector<std::vector<Complex>>* const keep =
        kept == plan.kept_points.end()
            ? nullptr
            : &sums.kept[static_cast<std::size_t>(kept - plan.kept_points.begin())];
    if (keep) keep->assign(plan.variables, {});
    bool counted = false, bridged = false, left = false;
    for (std::size_t v = 0; v < plan.variables; ++v) {
      double* const room = kept_here == nullptr ? nullptr : kept_here + v * 2 * bins;
      if (room != nullptr) std::fill_n(room, 2 * bins, std::numeric_limits<double>::quiet_NaN());
      const double* x = values + v * stride;
      if (plan.saved != nullptr) {
        if (!std::isfinite(x[0])) {
          left = true;
          continue;
        }
        sums.rms[v][p] = plan.saved->rms[plan.source_variables[v]][plan.source_points[p]];
        std::memcpy(static_cast<void*>(lane.out.data()), x, 2 * bins * sizeof(double));
      } else {
        double mean = 0;
        if (!take(x, lane.samples, mean, bridged)) {
          left = true;
          continue;
        }
        const double square =
            weigh(lane.samples.data(), mean, window.data(), n, lane.in_time[v].data(), lane.in.data());
        sums.rms[v][p] = std::sqrt(square / static_cast<double>(n));
        fft.run(lane.in, lane.out);
        x = lane.samples.data();
      }
      counted = true;
      if (room != nullptr)
        std::memcpy(room, static_cast<const void*>(lane.out.data()), 2 * bins * sizeof(double));
      fold(lane.out.data(), scale.data(), bins, static_cast<double>(p), lane.power[v].data(),
           lane.top[v].data(), lane.top_point[v].data(), lane.powers.data());
      const double top = greatest(lane.powers.data() + 1, bins - 1);
      const auto top_bin = std::find(lane.powers.begin() + 1, lane.powers.end(), top) - lane.powers.begin();
      sums.top_power[v][p] = top;
      sums.top_hz[v][p] = static_cast<double>(top_bin) * plan.bin_hz();
      for (std::size_t i = 0; i < factors.size(); ++i)
        sums.amplitude[i][v][p] = Complex(dot(x, factors[i].first.data(), factors[i].first.size()),
                                          dot(x, factors[i].second.data(), factors[i].second.size())) *
                                  gains[i];
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
  std::vector<Complex> gains;
  bool together = true;  ///< The frames used follow each other.
  std::vector<Lane> work;
  FieldSums sums;
  Keep hand_on;
  std::vector<double> group;  ///< Transforms of the points in hand.
};

FieldEstimator::FieldEstimator(FieldPlan plan, std::size_t points, Keep keep)
    : inner_(std::make_unique<Inner>(std::move(plan), points)) {
  inner_->hand_on = std::move(keep);
}
FieldEstimator::~FieldEstimator() = default;

void FieldEstimator::add(std::size_t first, std::size_t count, std::span<const double> values,
                         std::size_t stride) {
  Inner& in = *inner_;
  const std::size_t each = in.plan.variables * 2 * in.plan.bins();
  if (in.hand_on) in.group.resize(count * each);
  oneapi::tbb::parallel_for(std::size_t{0}, lanes, [&](std::size_t lane) {
    for (std::size_t p = 0; p < count; ++p)
      if ((first + p) / run % lanes == lane)
        in.add_point(first + p, values.data() + p * in.plan.variables * stride, stride, in.work[lane],
                     in.hand_on ? in.group.data() + p * each : nullptr);
  });
  if (in.hand_on) in.hand_on(in.plan, first, count, in.group);
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
          out.max_power[v][k] = lane.top[v][k],
          out.max_point[v][k] = static_cast<std::size_t>(lane.top_point[v][k]);
      }
      for (std::size_t n = 0; n < in.plan.frames.size(); ++n)
        out.mean_square_in_time[v][n] += lane.in_time[v][n];
    }
  }
  if (out.points == 0)
    throw Error(Status::analysis, "no point has enough values; over 5% are missing at each");
  const auto count = static_cast<double>(out.points);
  if (in.plan.saved != nullptr)
    for (std::size_t v = 0; v < in.plan.variables; ++v)
      for (std::size_t n = 0; n < in.plan.frames.size(); ++n)
        out.mean_square_in_time[v][n] =
            in.plan.saved->mean_square_in_time[in.plan.source_variables[v]][n] * count;
  for (std::size_t v = 0; v < in.plan.variables; ++v) {
    for (double& p : out.mean_power[v]) p /= count;
    for (double& p : out.mean_square_in_time[v]) p /= count;
  }
  std::sort(out.bridged.begin(), out.bridged.end());
  std::sort(out.left_out.begin(), out.left_out.end());
  return std::move(out);
}

}  // namespace vprism
