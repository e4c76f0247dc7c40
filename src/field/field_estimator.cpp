// field_estimator.cpp: see field_estimator.h.
//
// Points are dealt out to lanes by their number, in runs of 32; sums are joined lane after lane, so that they
// do not depend on the threads. Amplitudes at frequencies between the bins are sums over the windowed
// samples, 2 sum(w x exp(-2 pi i f n / fs)) / sum(w), whose factors are made once.
#include "field/field_estimator.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <numbers>

#include "base/dot.h"
#include "base/error.h"
#include "base/fft.h"
#include "field/field_kernels.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr std::size_t lanes = 8, run = 32;

/// Numbers from one series to the next in memory: whole lines, and not all on the same ones of the cache.
std::size_t step_of(std::size_t count) {
  const std::size_t lines = (count + 7) / 8 * 8;
  return lines % 512 == 0 ? lines + 8 : lines;
}

}  // namespace

struct FieldEstimator::Inner {
  struct Lane {
    std::vector<std::vector<double>> power, top, in_time;
    std::vector<std::vector<double>> top_point;
    std::vector<double> dots;
    std::size_t points = 0;
    std::vector<std::size_t> bridged, left_out;
  };

  /// Of one thread: a unit of points as series, and four of those as they are weighed and transformed.
  struct Room {
    Room(std::size_t series, std::size_t together, std::size_t step, std::size_t out_step)
        : gathered(series * step),
          in(together * step),
          out(together * out_step),
          powers(together * out_step),
          mended(together) {}
    FftArray<double> gathered, in;
    FftArray<Complex> out;
    std::vector<double> powers;
    std::vector<std::vector<double>> mended;  ///< Series whose gaps were bridged.
  };

  /// Up to four series of one variable that go through all together.
  struct Batch {
    std::size_t count = 0;
    std::array<std::size_t, 4> point{};  ///< Of all that are looked at.
    std::array<const double*, 4> x{};
    std::array<double, 4> mean{};
    std::array<double*, 4> kept{};  ///< Room for the transform, where it is handed on.
  };

  Inner(FieldPlan p, std::size_t count)
      : plan(std::move(p)),
        fft(plan.frames.size()),
        window(make_window(plan.window, plan.frames.size())),
        step(step_of(plan.frames.size())),
        out_step(step_of(plan.bins())),
        // Long series go one by one: four would not stay near the core, only take memory.
        together(plan.frames.size() <= 32768 ? 4 : 1),
        unit(together == 4 && plan.variables * step <= 16384 ? 8 : together),
        work(lanes),
        rooms([this] { return Room(unit * plan.variables, together, step, out_step); }) {
    const std::size_t n = plan.frames.size(), bins = plan.bins();
    for (const double w : window) sum_w += w, sum_w2 += w * w;
    every = n > 1 ? plan.frames[1] - plan.frames[0] : 1;
    for (std::size_t k = 0; k < bins; ++k) {
      const double doubled = k == 0 || 2 * k == n ? 1 : 2;
      const double derived =
          std::pow(2 * std::numbers::pi * static_cast<double>(k) * plan.bin_hz(), plan.derive);
      const double gain = plan.derive < 0 && k == 0 ? 0 : derived;
      scale.push_back(doubled * gain * gain / (sum_w * sum_w));
    }
    factors.rows = 2 * plan.at_hz.size();
    factors.step = plan.saved != nullptr ? 2 * out_step : step;
    weights.assign((factors.rows + 3) / 4 * 4 * factors.step, 0.0);
    factors.values = weights.data();
    for (std::size_t i = 0; i < plan.at_hz.size(); ++i) {
      const double hz = plan.at_hz[i];
      double* const re = weights.data() + 2 * i * factors.step;
      double* const im = re + factors.step;
      gains.push_back(std::pow(Complex(0, 2 * std::numbers::pi * hz), plan.derive));
      if (plan.saved != nullptr) {
        factors_of_bins(hz, re, im);
        continue;
      }
      for (std::size_t m = 0; m < n; ++m) {
        const double angle = -2 * std::numbers::pi * hz * static_cast<double>(m) / plan.rate_hz;
        re[m] = 2 * std::cos(angle) / sum_w;
        im[m] = 2 * std::sin(angle) / sum_w;
      }
    }
    for (Lane& lane : work) {
      lane.power.assign(plan.variables, std::vector<double>(bins, 0.0));
      lane.top = lane.power;
      lane.top_point = lane.power;
      lane.in_time.assign(plan.variables, std::vector<double>(n, 0.0));
    }
    const double nothing = std::numeric_limits<double>::quiet_NaN();
    sums.rms.assign(plan.variables, std::vector<double>(count, nothing));
    sums.top_power = sums.top_hz = sums.rms;
    sums.amplitude.assign(
        plan.at_hz.size(),
        std::vector<std::vector<Complex>>(plan.variables, std::vector<Complex>(count, {nothing, nothing})));
    sums.kept.assign(plan.kept_points.size(), std::vector<std::vector<Complex>>(plan.variables));
    sums.enbw_bins = static_cast<double>(n) * sum_w2 / (sum_w * sum_w);
  }

  /// The same sums over the bins of a whole transform, which hold all of the windowed samples: with
  /// D(u) = sum(exp(2 pi i u n)), n = 0 .. N - 1, the sum at f is that of Y[k] D(k / N - f / fs) / N over all
  /// k, and Y[N - k] is the conjugate of Y[k].
  void factors_of_bins(double hz, double* re, double* im) const {
    const auto n = static_cast<double>(plan.frames.size());
    const auto whole = [&](double u) {
      const double place = u - std::round(u);
      if (std::abs(place) * n < 1e-9) return Complex(n, 0);
      // Both numerator and denominator by their half angles.
      return std::sin(std::numbers::pi * place * n) / std::sin(std::numbers::pi * place) *
             std::polar(1.0, std::numbers::pi * place * (n - 1));
    };
    for (std::size_t k = 0; k < plan.bins(); ++k) {
      const double at = static_cast<double>(k) / n, f = hz / plan.rate_hz;
      const bool mirrored = k != 0 && 2 * k != plan.frames.size();
      const Complex here = whole(at - f), there = mirrored ? whole(-at - f) : Complex(0);
      const Complex of_real = 2.0 / (n * sum_w) * (here + there),
                    of_imaginary = Complex(0, 2 / (n * sum_w)) * (here - there);
      re[2 * k] = of_real.real(), re[2 * k + 1] = of_imaginary.real();
      im[2 * k] = of_real.imag(), im[2 * k + 1] = of_imaginary.imag();
    }
  }

  /// The mean of a series, with short gaps bridged (then `x` is the mended one); false when too much is
  /// missing.
  bool take(const double*& x, double& mean, std::vector<double>& mended) const {
    const std::size_t size = plan.frames.size();
    const auto count = static_cast<double>(size);
    mean = sum_of(x, size) / count;
    if (std::isfinite(mean)) return true;
    mended.assign(x, x + size);
    std::vector<double>& y = mended;
    std::size_t missing = 0;
    for (const double v : y) missing += !std::isfinite(v);
    if (20 * missing > size) return false;
    // Straight from the last value before a gap to the first behind it.
    std::size_t last = size;
    for (std::size_t n = 0; n < size; ++n) {
      if (!std::isfinite(y[n])) continue;
      for (std::size_t m = last == size ? 0 : last + 1; m < n; ++m)
        y[m] = last == size ? y[n]
                            : y[last] + (y[n] - y[last]) * static_cast<double>(m - last) /
                                            static_cast<double>(n - last);
      last = n;
    }
    for (std::size_t m = last + 1; m < size; ++m) y[m] = y[last];
    x = y.data();
    mean = sum_of(x, size) / count;
    return std::isfinite(mean);
  }

  /// Points p .. p + count - 1, no more than a unit. `series`: numbers in the view of their variables.
  void add_unit(std::size_t p, std::size_t count, const SeriesView& view, const std::size_t* series,
                Lane& lane, double* kept_here) {
    Room& room = rooms.local();
    const std::size_t variables = plan.variables, n = plan.frames.size(), bins = plan.bins();
    const bool apart = plan.saved == nullptr && (view.number_step != 1 || every != 1);
    if (apart)
      gather_series(view, series, count * variables, plan.frames.front(), every, n, room.gathered.data(),
                    step);
    std::array<bool, 8> counted{}, bridged{}, left{};
    for (std::size_t v = 0; v < variables; ++v) {
      Batch batch;
      for (std::size_t i = 0; i < count; ++i) {
        const std::size_t s = i * variables + v;
        double* const kept = kept_here == nullptr ? nullptr : kept_here + s * 2 * bins;
        if (kept != nullptr) std::fill_n(kept, 2 * bins, std::numeric_limits<double>::quiet_NaN());
        const double* x =
            apart ? room.gathered.data() + s * step : view.values + series[s] * view.series_step;
        double mean = 0;
        if (plan.saved == nullptr && !apart) x += plan.frames.front();
        const double* const as_it_was = x;
        if (!(plan.saved != nullptr ? std::isfinite(*x) : take(x, mean, room.mended[batch.count]))) {
          left[i] = true;
          continue;
        }
        bridged[i] = bridged[i] || x != as_it_was;
        counted[i] = true;
        batch.point[batch.count] = p + i, batch.x[batch.count] = x, batch.mean[batch.count] = mean;
        batch.kept[batch.count] = kept;
        if (++batch.count == together) add_batch(batch, v, lane, room), batch.count = 0;
      }
      const Batch rest = batch;
      for (std::size_t i = 0; i < rest.count; ++i) {
        batch.count = 1;
        batch.point[0] = rest.point[i], batch.x[0] = rest.x[i], batch.mean[0] = rest.mean[i];
        batch.kept[0] = rest.kept[i];
        add_batch(batch, v, lane, room);
      }
    }
    for (std::size_t i = 0; i < count; ++i) {
      if (counted[i]) ++lane.points;
      if (left[i])
        lane.left_out.push_back(p + i);
      else if (bridged[i])
        lane.bridged.push_back(p + i);
    }
  }

  /// One or four series of variable `v`.
  void add_batch(const Batch& batch, std::size_t v, Lane& lane, Room& room) {
    const std::size_t n = plan.frames.size(), bins = plan.bins();
    std::array<double, 4> points{}, squares{}, most{};
    std::array<std::size_t, 4> most_at{};
    std::vector<double>& dots = lane.dots;
    dots.resize((factors.rows + 3) / 4 * 16);
    for (std::size_t i = 0; i < batch.count; ++i) points[i] = static_cast<double>(batch.point[i]);
    if (plan.saved != nullptr) {
      for (std::size_t i = 0; i < batch.count; ++i)
        std::memcpy(static_cast<void*>(room.out.data() + i * out_step), batch.x[i],
                    2 * bins * sizeof(double));
      weigh_with(factors, reinterpret_cast<const double*>(room.out.data()), 2 * out_step, batch.count,
                 2 * bins, dots.data());
    } else {
      weigh_series(batch.x.data(), batch.mean.data(), batch.count, window.data(), n, lane.in_time[v].data(),
                   room.in.data(), step, squares.data());
      weigh_with(factors, room.in.data(), step, batch.count, n, dots.data());
      for (std::size_t i = 0; i < batch.count; ++i)
        fft.run(room.in.data() + i * step, room.out.data() + i * out_step);
    }
    fold_transforms(room.out.data(), out_step, batch.count, scale.data(), bins, points.data(),
                    lane.power[v].data(), lane.top[v].data(), lane.top_point[v].data(), room.powers.data(),
                    out_step, most.data(), most_at.data());
    for (std::size_t i = 0; i < batch.count; ++i) {
      const std::size_t p = batch.point[i];
      const Complex* const transform = room.out.data() + i * out_step;
      sums.rms[v][p] = plan.saved != nullptr
                           ? plan.saved->rms[plan.source_variables[v]][plan.source_points[p]]
                           : std::sqrt(squares[i] / static_cast<double>(n));
      sums.top_power[v][p] = most[i];
      sums.top_hz[v][p] = static_cast<double>(most_at[i]) * plan.bin_hz();
      for (std::size_t f = 0; f < gains.size(); ++f)
        sums.amplitude[f][v][p] = Complex(dots[8 * f + i], dots[8 * f + 4 + i]) * gains[f];
      if (batch.kept[i] != nullptr)
        std::memcpy(batch.kept[i], static_cast<const void*>(transform), 2 * bins * sizeof(double));
      const auto kept = std::find(plan.kept_points.begin(), plan.kept_points.end(), p);
      if (kept != plan.kept_points.end())
        keep(transform, sums.kept[static_cast<std::size_t>(kept - plan.kept_points.begin())][v]);
    }
  }

  void keep(const Complex* transform, std::vector<Complex>& out) const {
    const std::size_t bins = plan.bins();
    for (std::size_t k = 0; k < bins; ++k) {
      const double doubled = k == 0 || 2 * k == plan.frames.size() ? 1 : 2;
      const Complex gain =
          plan.derive < 0 && k == 0
              ? Complex(0)
              : std::pow(Complex(0, 2 * std::numbers::pi * static_cast<double>(k) * plan.bin_hz()),
                         plan.derive);
      out.push_back(transform[k] * gain * doubled / sum_w);
    }
  }

  FieldPlan plan;
  RealFft fft;
  std::vector<double> window, scale;
  double sum_w = 0, sum_w2 = 0;
  std::vector<double> weights;  ///< The factors' real and imaginary parts in turn.
  FactorRows factors;
  std::vector<Complex> gains;
  std::size_t step, out_step;  ///< From series to series in a room: of samples, of bins.
  std::size_t together, unit;  ///< Series in a batch, points in a unit.
  std::size_t every = 1;       ///< Frames from one used to the next.
  std::vector<Lane> work;
  oneapi::tbb::enumerable_thread_specific<Room> rooms;
  FieldSums sums;
  Keep hand_on;
  std::vector<double> group;  ///< Transforms of the points in hand.
};

FieldEstimator::FieldEstimator(FieldPlan plan, std::size_t points, Keep keep)
    : inner_(std::make_unique<Inner>(std::move(plan), points)) {
  inner_->hand_on = std::move(keep);
}
FieldEstimator::~FieldEstimator() = default;

void FieldEstimator::add(std::size_t first, std::size_t count, const SeriesView& view,
                         std::span<const std::size_t> series) {
  Inner& in = *inner_;
  const std::size_t variables = in.plan.variables, each = variables * 2 * in.plan.bins();
  if (in.hand_on) in.group.resize(count * each);
  oneapi::tbb::parallel_for(std::size_t{0}, lanes, [&](std::size_t lane) {
    for (std::size_t p = first; p < first + count;) {
      const std::size_t end = std::min(first + count, (p / run + 1) * run);
      if (p / run % lanes != lane) {
        p = end;
        continue;
      }
      const std::size_t some = std::min(end - p, in.unit), i = p - first;
      in.add_unit(p, some, view, &series[i * variables], in.work[lane],
                  in.hand_on ? in.group.data() + i * each : nullptr);
      p += some;
    }
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
