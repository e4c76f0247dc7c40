// course_fit.cpp: see course_fit.h.
#include "identify/course_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <utility>

#include "base/fft.h"
#include "base/turned_sine.h"
#include "identify/whole_lines.h"

namespace vprism {

namespace {

using std::numbers::pi;

constexpr std::size_t most_swing_orders = 9;

/// What a speed from one sample before to one after lets through of a swing, by cycles per sample.
double share_of_difference(double cycles) {
  const double w = 2 * pi * cycles, gain = w == 0 ? 1 : std::sin(w) / w;
  return std::abs(gain) > 0.05 ? gain : 0.05;
}

/// What a fit leaves is seldom white: frequencies are differences of phases.
class NoiseColour {
 public:
  NoiseColour(const std::vector<double>& residual, double rate_hz) {
    if (residual.size() < 128) return;
    spectrum_ = whole_spectrum(residual, rate_hz);
    for (std::size_t k = 1; k < spectrum_->bins(); ++k)
      mean_ += spectrum_->power[k] / static_cast<double>(spectrum_->bins() - 1);
  }
  /// Amplitude density around a frequency over that of white noise of the same power.
  double around(double hz) const {
    if (!spectrum_ || !(mean_ > 0)) return 1;
    constexpr double reach = 12;
    const double at = spectrum_->bins_at(hz);
    const auto low = static_cast<std::size_t>(std::max(2.0, at - reach));
    const auto high = std::min(spectrum_->bins(), static_cast<std::size_t>(at + reach) + 1);
    double sum = 0;
    for (std::size_t k = low; k < high; ++k) sum += spectrum_->power[k];
    return high > low ? std::sqrt(sum / static_cast<double>(high - low) / mean_) : 1;
  }

 private:
  std::optional<Spectrum> spectrum_;
  double mean_ = 0;
};

/// The standard deviation of sum w[n] e[n] for noise that is coloured as `residual` is: sums over lags of the
/// weights' correlation times the residual's, under a Bartlett window of an eighth of the series. Of a
/// frequency, whose noise is the difference of a phase's, the ends of the series count most.
double deviation_of(std::span<const double> weights, const std::vector<double>& residual) {
  const std::size_t count = residual.size();
  std::size_t size = 16;
  while (size < 2 * count) size *= 2;
  const RealFft fft(size);
  const auto correlation = [&](auto value) {
    FftArray<double> x(size);
    FftArray<std::complex<double>> bins(fft.bins());
    std::fill_n(x.data(), size, 0.0);
    for (std::size_t n = 0; n < count; ++n) x.data()[n] = value(n);
    fft.run(x, bins);
    for (std::complex<double>& b : bins.span()) b = std::norm(b) / static_cast<double>(size);
    fft.back(bins, x);
    return x;
  };
  const FftArray<double> of_weights = correlation([&](std::size_t n) { return weights[n]; }),
                         of_rest = correlation([&](std::size_t n) { return residual[n]; });
  const std::size_t lags = std::max<std::size_t>(4, count / 8);
  double sum = 0;
  for (std::size_t m = 0; m < std::min(lags, count); ++m) {
    const double bartlett = 1 - static_cast<double>(m) / static_cast<double>(lags);
    sum +=
        (m == 0 ? 1 : 2) * bartlett * of_weights.data()[m] * of_rest.data()[m] / static_cast<double>(count);
  }
  return std::sqrt(std::max(0.0, sum));
}

/// The columns of the fit for a stretch of values, and which values lie beside a step.
class CourseColumns {
 public:
  CourseColumns(std::size_t count, double rate_hz, const std::vector<double>& steps_s,
                const std::vector<double>& hz)
      : rate_hz_(rate_hz),
        middle_s_(static_cast<double>(count - 1) / 2 / rate_hz),
        whole_s_(static_cast<double>(count) / rate_hz),
        guard_s_((count > 2000 ? 16 : 4) / rate_hz),
        steps_s_(steps_s) {
    for (const double f : hz) sines_.emplace_back(2 * pi * f / rate_hz);
  }
  Eigen::Index columns() const { return static_cast<Eigen::Index>(2 + steps_s_.size() + 2 * sines_.size()); }
  /// Filters ring there.
  bool beside_step(std::size_t n) const {
    const double t = static_cast<double>(n) / rate_hz_;
    return std::any_of(steps_s_.begin(), steps_s_.end(),
                       [&](double at) { return std::abs(t - at) < guard_s_; });
  }
  void fill(std::size_t from, std::size_t count, Matrix& out) const {
    out.resize(static_cast<Eigen::Index>(count), columns());
    for (std::size_t n = 0; n < count; ++n) {
      const double t = static_cast<double>(from + n) / rate_hz_;
      const auto row = static_cast<Eigen::Index>(n);
      out(row, 0) = 1, out(row, 1) = (t - middle_s_) / whole_s_;
      for (std::size_t i = 0; i < steps_s_.size(); ++i)
        out(row, static_cast<Eigen::Index>(2 + i)) = t >= steps_s_[i] ? 1 : 0;
    }
    auto at = static_cast<Eigen::Index>(2 + steps_s_.size());
    for (const TurnedSine& sine : sines_) {
      sine.fill(static_cast<double>(from), count, out.col(at).data(), out.col(at + 1).data());
      at += 2;
    }
  }

 private:
  double rate_hz_, middle_s_, whole_s_, guard_s_;
  const std::vector<double>& steps_s_;
  std::vector<TurnedSine> sines_;
};

CourseFit fit_together(std::span<const double> f, double rate_hz, const std::vector<double>& steps_s,
                       const std::vector<double>& hz) {
  const CourseColumns columns(f.size(), rate_hz, steps_s, hz);
  Matrix square = Matrix::Zero(columns.columns(), columns.columns()), block;
  Vector right = Vector::Zero(columns.columns());
  const auto by_blocks = [&](auto&& take) {
    for (std::size_t from = 0; from < f.size(); from += TurnedSine::block) {
      const std::size_t count = std::min(TurnedSine::block, f.size() - from);
      columns.fill(from, count, block);
      take(from, Eigen::Map<const Vector>(f.data() + from, static_cast<Eigen::Index>(count)));
    }
  };
  const auto blank_beside_steps = [&](std::size_t from) {
    std::size_t blank = 0;
    for (Eigen::Index n = 0; !steps_s.empty() && n < block.rows(); ++n)
      if (columns.beside_step(from + static_cast<std::size_t>(n))) block.row(n).setZero(), ++blank;
    return blank;
  };
  // Normal equations, block by block: the columns are near enough to orthogonal.
  std::size_t used = f.size();
  by_blocks([&](std::size_t from, const auto& x) {
    used -= blank_beside_steps(from);
    square.selfadjointView<Eigen::Lower>().rankUpdate(block.transpose());
    right += block.transpose() * x;
  });
  CourseFit fit{rate_hz, f.size(), steps_s, hz, solve_symmetric(square, right), {}, {}, 0, {}};
  fit.residual.reserve(f.size());
  double sum = 0;
  by_blocks([&](std::size_t from, const auto& x) {
    const Vector left = x - block * fit.values;
    fit.residual.insert(fit.residual.end(), left.begin(), left.end());
    for (Eigen::Index n = 0; n < left.size(); ++n)
      if (steps_s.empty() || !columns.beside_step(from + static_cast<std::size_t>(n)))
        sum += left(n) * left(n);
  });
  const auto freedom = static_cast<double>(used) - static_cast<double>(columns.columns());
  fit.rms = std::sqrt(sum / std::max(1.0, freedom));
  const Matrix inverse = inverse_of_symmetric(square);
  fit.deviations = inverse.diagonal().cwiseMax(0).cwiseSqrt() * fit.rms;
  const NoiseColour colour(fit.residual, rate_hz);
  for (Eigen::Index i = 0; i < fit.deviations.size(); ++i) {
    const Eigen::Index k = i - 2 - static_cast<Eigen::Index>(steps_s.size());
    fit.deviations(i) *= colour.around(k < 0 ? 0 : hz[static_cast<std::size_t>(k / 2)]);
  }
  std::vector<double> weights[2];
  by_blocks([&](std::size_t from, const auto&) {
    blank_beside_steps(from);
    for (Eigen::Index i = 0; i < 2; ++i) {
      const Vector w = block * inverse.row(i).transpose();
      weights[i].insert(weights[i].end(), w.begin(), w.end());
    }
  });
  for (Eigen::Index i = 0; i < 2; ++i)
    fit.deviations(i) = std::max(fit.deviations(i), deviation_of(weights[i], fit.residual));
  return fit;
}

/// Lines put into swings: those at multiples of a stronger one's frequency are its orders. SwingOrders too
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
  CourseFit drift = fit_together(level, rate_hz, {}, {});
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
    drift = fit_together(level, rate_hz, {}, hz);
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
      CourseFit here = fit_together(x, rate_hz, steps_s, swing_orders(rates, rate_hz, bin).hz);
      squares[k] = here.rms * here.rms * static_cast<double>(x.size());
      if (k == 1) fit = std::move(here);
    }
    const double bend = (squares[0] - 2 * squares[1] + squares[2]) / (step * step);
    rates[which] = at;
    if (!(bend > 0)) return std_hz;
    rates[which] += std::clamp((squares[0] - squares[2]) / (2 * step) / bend, -3 * step, 3 * step);
    std_hz = fit.rms * std::sqrt(2 / bend) * NoiseColour(fit.residual, rate_hz).around(at);
  }
  return std_hz;
}

}  // namespace

void CourseFit::take_off(std::span<double> x, double rate_hz_of_x, double start_s, double below_hz) const {
  const double whole_s = static_cast<double>(count) / rate_hz,
               middle_s = static_cast<double>(count - 1) / 2 / rate_hz;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = start_s + static_cast<double>(n) / rate_hz_of_x;
    x[n] -= values(0) + values(1) * (t - middle_s) / whole_s;
    for (std::size_t i = 0; i < steps_s.size(); ++i)
      if (t >= steps_s[i]) x[n] -= values(static_cast<Eigen::Index>(2 + i));
  }
  auto at = static_cast<Eigen::Index>(2 + steps_s.size());
  for (const double f : hz) {
    const double c = values(at), s = values(at + 1);
    at += 2;
    if (f >= below_hz) continue;
    const TurnedSine sine(2 * pi * f / rate_hz_of_x);
    for (std::size_t from = 0; from < x.size(); from += TurnedSine::block)
      sine.add(start_s * rate_hz_of_x + static_cast<double>(from), -c, -s,
               std::min(TurnedSine::block, x.size() - from), x.data() + from);
  }
}

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
  CourseFit out = fit_together(x, rate_hz, steps.at_s, orders.hz);
  constexpr double few_periods = 40;
  auto at = static_cast<Eigen::Index>(2 + steps.at_s.size());
  const CourseFit first = out;
  for (std::size_t i = 0; i < rates.size(); at += 2 * static_cast<Eigen::Index>(orders.counts[i]), ++i) {
    if (rates[i] > few_periods * bin || orders.counts[i] < 2) continue;
    const auto fundamental = first.values.segment(at, 2);
    const auto higher = first.values.segment(at + 2, 2 * static_cast<Eigen::Index>(orders.counts[i]) - 2);
    if (higher.squaredNorm() < 1e-6 * fundamental.squaredNorm()) continue;
    rate_stds[i] = std::max(rate_stds[i], set_right_by_orders(x, rate_hz, steps.at_s, rates, i));
  }
  orders = swing_orders(rates, rate_hz, bin);
  out = fit_together(x, rate_hz, steps.at_s, orders.hz);
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
