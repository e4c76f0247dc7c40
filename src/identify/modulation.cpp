// modulation.cpp: see modulation.h.
#include "identify/modulation.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "base/fft.h"
#include "base/linear.h"
#include "base/percentile.h"
#include "identify/frequency_states.h"
#include "identify/whole_lines.h"

namespace vprism {

namespace {

using std::numbers::pi;

constexpr std::size_t most_fitted = std::size_t{1} << 17, most_orders = 9;

/// Means of groups, so that fits stay quick.
std::vector<double> grouped(std::span<const double> x, std::size_t group) {
  std::vector<double> out;
  for (std::size_t at = 0; at + group <= x.size(); at += group) {
    double sum = 0;
    for (std::size_t n = at; n < at + group; ++n) sum += x[n];
    out.push_back(sum / static_cast<double>(group));
  }
  return out;
}

/// Places (first sample after the step) where the mean of the next few samples is far from that of the last
/// few.
std::vector<std::size_t> steps_of(std::span<const double> f, double rate_hz) {
  const std::size_t w = std::clamp<std::size_t>(f.size() / 2000, 4, 64);
  if (f.size() < 8 * w) return {};
  std::vector<double> sums(f.size() + 1, 0.0), change(f.size(), 0.0), sizes;
  for (std::size_t n = 0; n < f.size(); ++n) sums[n + 1] = sums[n] + (f[n] - f[0]);
  for (std::size_t n = w; n + w <= f.size(); ++n) {
    change[n] = (sums[n + w] - 2 * sums[n] + sums[n - w]) / static_cast<double>(w);
    sizes.push_back(std::abs(change[n]));
  }
  const double usual = median_in(sizes), most = percentile_of(sizes, 0.9);
  const double limit = std::max({12 * usual, 2.5 * most, 1e-12 * rate_hz});
  std::vector<std::size_t> out;
  for (std::size_t n = w; n + w <= f.size(); ++n) {
    if (std::abs(change[n]) < limit) continue;
    std::size_t top = n;
    for (; n + w <= f.size() && std::abs(change[n]) >= limit; ++n)
      if (std::abs(change[n]) > std::abs(change[top])) top = n;
    out.push_back(top);
  }
  return out;
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

/// Constant, drift, steps, and orders of the swings: one linear fit.
struct LinearFit {
  Vector values, deviations;
  std::vector<double> residual;
  double rms = 0;
};
LinearFit fit_together(std::span<const double> f, double rate_hz, const std::vector<double>& steps_s,
                       const std::vector<double>& hz) {
  const auto rows = static_cast<Eigen::Index>(f.size());
  const auto steps = static_cast<Eigen::Index>(steps_s.size());
  const Eigen::Index columns = 2 + steps + 2 * static_cast<Eigen::Index>(hz.size());
  // Normal equations, block by block: the columns are near enough to orthogonal.
  Matrix square = Matrix::Zero(columns, columns);
  Vector right = Vector::Zero(columns);
  const double middle = static_cast<double>(rows - 1) / 2 / rate_hz,
               whole = static_cast<double>(rows) / rate_hz;
  const auto row_at = [&](Eigen::Index n, Vector& row) {
    const double t = static_cast<double>(n) / rate_hz;
    row(0) = 1;
    row(1) = (t - middle) / whole;
    for (Eigen::Index i = 0; i < steps; ++i) row(2 + i) = t >= steps_s[static_cast<std::size_t>(i)] ? 1 : 0;
    for (std::size_t k = 0; k < hz.size(); ++k) {
      const double angle = 2 * pi * std::fmod(hz[k] * t, 1.0);
      row(2 + steps + 2 * static_cast<Eigen::Index>(k)) = std::cos(angle);
      row(3 + steps + 2 * static_cast<Eigen::Index>(k)) = -std::sin(angle);
    }
  };
  // Filters ring beside a step.
  const double guard = (rows > 2000 ? 16 : 4) / rate_hz;
  const auto beside_step = [&](Eigen::Index n) {
    const double t = static_cast<double>(n) / rate_hz;
    return std::any_of(steps_s.begin(), steps_s.end(), [&](double at) { return std::abs(t - at) < guard; });
  };
  Eigen::Index used = 0;
  Vector row(columns);
  for (Eigen::Index n = 0; n < rows; ++n) {
    if (beside_step(n)) continue;
    ++used;
    row_at(n, row);
    square.selfadjointView<Eigen::Lower>().rankUpdate(row);
    right += row * f[static_cast<std::size_t>(n)];
  }
  LinearFit fit;
  fit.values = solve_symmetric(square, right);
  double sum = 0;
  for (Eigen::Index n = 0; n < rows; ++n) {
    row_at(n, row);
    fit.residual.push_back(f[static_cast<std::size_t>(n)] - row.dot(fit.values));
    if (!beside_step(n)) sum += fit.residual.back() * fit.residual.back();
  }
  fit.rms = std::sqrt(sum / static_cast<double>(std::max<Eigen::Index>(1, used - columns)));
  const Matrix inverse = inverse_of_symmetric(square);
  fit.deviations = inverse.diagonal().cwiseMax(0).cwiseSqrt() * fit.rms;
  const NoiseColour colour(fit.residual, rate_hz);
  for (Eigen::Index i = 0; i < columns; ++i) {
    const Eigen::Index k = i - 2 - steps;
    fit.deviations(i) *= colour.around(k < 0 ? 0 : hz[static_cast<std::size_t>(k / 2)]);
  }
  for (Eigen::Index i = 0; i < 2; ++i) {
    std::vector<double> weights(static_cast<std::size_t>(rows), 0.0);
    for (Eigen::Index n = 0; n < rows; ++n) {
      if (beside_step(n)) continue;
      row_at(n, row);
      weights[static_cast<std::size_t>(n)] = inverse.row(i).dot(row);
    }
    fit.deviations(i) = std::max(fit.deviations(i), deviation_of(weights, fit.residual));
  }
  return fit;
}

/// Lines put into swings: those at multiples of a stronger one's frequency are its orders.
std::vector<double> rates_of(const SineFit& lines, double bin_hz) {
  std::vector<double> out;
  for (const Sine& s : lines.sines) {
    const bool order = std::any_of(out.begin(), out.end(), [&](double rate) {
      const double n = std::round(s.frequency_hz / rate);
      return n >= 2 && n <= 40 && std::abs(s.frequency_hz - n * rate) < n * 0.1 * bin_hz + 0.5 * bin_hz;
    });
    if (!order && s.frequency_hz > 0.7 * bin_hz) out.push_back(s.frequency_hz);
  }
  return out;
}

/// The lines of a series that may drift: a straight line is taken off, so that drift is no line of low
/// frequency, then again one fitted beside the lines, since a swing of few periods tilts the first.
SineFit lines_beside_drift(const std::vector<double>& level, double rate_hz) {
  LinearFit drift = fit_together(level, rate_hz, {}, {});
  SineFit lines = fit_whole_lines(drift.residual, rate_hz, 12);
  for (int round = 0; round < 2 && !lines.sines.empty(); ++round) {
    std::vector<double> hz;
    for (const Sine& s : lines.sines) hz.push_back(s.frequency_hz);
    drift = fit_together(level, rate_hz, {}, hz);
    std::vector<double> rest = level;
    for (std::size_t n = 0; n < rest.size(); ++n)
      rest[n] -= drift.values(0) +
                 drift.values(1) * ((static_cast<double>(n) + 0.5) / static_cast<double>(rest.size()) - 0.5);
    lines = fit_sines(rest, rate_hz, std::move(lines.sines));
  }
  std::stable_sort(lines.sines.begin(), lines.sines.end(),
                   [](const Sine& a, const Sine& b) { return a.amplitude > b.amplitude; });
  return lines;
}

struct Fitted {
  LinearFit fit;
  std::vector<Swing> swings;
};

/// What a series lets through of a swing.
struct Droop {
  double rate_hz = 0;  ///< Before samples were grouped.
  std::size_t group = 1;
  bool differences = false;  ///< Frequencies are phases over two samples.
  double at(double hz) const {
    const double w = pi * hz / rate_hz, g = static_cast<double>(group);
    double gain = group > 1 && std::sin(w) != 0 ? std::sin(g * w) / (g * std::sin(w)) : 1;
    if (differences && w != 0) gain *= std::sin(2 * w) / (2 * w);
    return std::abs(gain) > 0.05 ? gain : 0.05;
  }
};

/// Everything of a series whose steps are known.
Fitted fit_series(std::span<const double> x, double rate_hz, const Droop& droop,
                  const std::vector<double>& steps_s, const std::vector<double>& step_sizes) {
  std::vector<double> level(x.begin(), x.end());
  for (std::size_t n = 0; n < level.size(); ++n)
    for (std::size_t i = 0; i < steps_s.size(); ++i)
      if (static_cast<double>(n) / rate_hz >= steps_s[i]) level[n] -= step_sizes[i];
  const SineFit lines = lines_beside_drift(level, rate_hz);
  const double bin = rate_hz / static_cast<double>(x.size());
  const std::vector<double> rates = rates_of(lines, bin);
  std::vector<double> hz;
  std::vector<std::size_t> orders;
  for (const double rate : rates) {
    std::size_t n = 1;
    for (; n <= most_orders && static_cast<double>(n) * rate < 0.45 * rate_hz; ++n) {
      const double f = static_cast<double>(n) * rate;
      // An order that falls onto another swing's is left to that.
      if (n > 1 && std::any_of(hz.begin(), hz.end(), [&](double other) { return std::abs(other - f) < bin; }))
        break;
      hz.push_back(f);
    }
    orders.push_back(n - 1);
  }
  Fitted out;
  out.fit = fit_together(x, rate_hz, steps_s, hz);
  auto at = static_cast<Eigen::Index>(2 + steps_s.size());
  for (std::size_t i = 0; i < rates.size(); ++i) {
    std::vector<std::complex<double>> amplitudes;
    for (std::size_t n = 0; n < orders[i]; ++n, at += 2)
      // c cos - s sin = |a| cos(angle + arg a) with a = c + i s.
      amplitudes.push_back(std::complex<double>(out.fit.values(at), out.fit.values(at + 1)) /
                           droop.at(static_cast<double>(n + 1) * rates[i]));
    if (amplitudes.empty()) continue;
    Swing swing = name_shape(amplitudes);
    const double deviation =
        out.fit.deviations(at - 2 * static_cast<Eigen::Index>(orders[i])) / droop.at(rates[i]);
    swing.rate_hz = rates[i];
    swing.peak_std = deviation * (swing.fundamental > 0 ? swing.peak / swing.fundamental : 1);
    for (const Sine& s : lines.sines)
      if (s.frequency_hz == rates[i]) swing.rate_std_hz = s.frequency_std_hz;
    if (swing.fundamental > 4 * deviation) out.swings.push_back(swing);
  }
  std::stable_sort(out.swings.begin(), out.swings.end(),
                   [](const Swing& a, const Swing& b) { return a.peak > b.peak; });
  return out;
}

}  // namespace

Swing name_shape(std::span<const std::complex<double>> orders) {
  struct Shape {
    const char* name;
    double peak;  ///< Over the amplitude of its first order.
    std::complex<double> (*order)(int n);
  };
  // Orders of shapes whose first order is a cosine.
  static const Shape shapes[] = {
      {"sine", 1, [](int n) { return std::complex<double>(n == 1 ? 1 : 0); }},
      {"triangle", pi * pi / 8, [](int n) { return std::complex<double>(n % 2 == 1 ? 1.0 / (n * n) : 0); }},
      {"square", pi / 4,
       [](int n) { return std::complex<double>(n % 2 == 1 ? (n % 4 == 1 ? 1.0 : -1.0) / n : 0); }},
      {"sawtooth up", pi / 2,
       [](int n) { return std::polar(1.0 / n, (n - 1) * pi / 2 + (n % 2 == 0 ? pi : 0)); }},
      {"sawtooth down", pi / 2, [](int n) { return std::polar(1.0 / n, (n - 1) * pi / 2); }}};
  Swing out;
  out.fundamental = std::abs(orders[0]);
  out.phase_deg = std::arg(orders[0]) * 180 / pi;
  double square = 0;
  for (const auto& c : orders) square += std::norm(c);
  double best = -1;
  for (const Shape& shape : shapes) {
    double along = 0, norm = 0;
    for (std::size_t i = 0; i < orders.size(); ++i) {
      const int n = static_cast<int>(i) + 1;
      const std::complex<double> set = orders[i] * std::polar(1.0, -n * std::arg(orders[0]));
      const std::complex<double> t = shape.order(n);
      along += (set * std::conj(t)).real(), norm += std::norm(t);
    }
    const double likeness = square > 0 ? along / std::sqrt(norm * square) : 0;
    if (likeness <= best) continue;
    best = likeness;
    out.shape = shape.name, out.likeness = likeness, out.peak = shape.peak * out.fundamental;
  }
  if (out.likeness < 0.99) {
    // Half of the peak to peak of what its orders add up to.
    double low = 1e300, high = -1e300;
    for (int i = 0; i < 720; ++i) {
      double sum = 0;
      for (std::size_t k = 0; k < orders.size(); ++k)
        sum += (orders[k] * std::polar(1.0, 2 * pi * static_cast<double>(k + 1) * i / 720)).real();
      low = std::min(low, sum), high = std::max(high, sum);
    }
    out.shape = "irregular", out.peak = (high - low) / 2;
  }
  return out;
}

namespace {

/// Steps and their sizes from the means to either side.
struct Steps {
  std::vector<double> at_s, sizes;
};

Steps sized(const Demodulated& series, const std::vector<std::size_t>& places) {
  Steps out;
  const std::size_t count = series.frequency.size(), w = std::clamp<std::size_t>(count / 2000, 4, 64);
  for (const std::size_t n : places) {
    out.at_s.push_back(static_cast<double>(n) / series.rate_hz);
    double before = 0, after = 0;
    for (std::size_t k = 1; k <= w; ++k)
      before += series.frequency[n - k], after += series.frequency[n + k - 1];
    out.sizes.push_back((after - before) / static_cast<double>(w));
  }
  return out;
}

/// Carrier, drift, jumps and swings; steps that the fit does not bear out go.
Fitted fit_with_steps(std::span<const double> f, double rate_hz, const Droop& droop, double half_s,
                      Steps& steps, std::vector<Jump>& at_edges) {
  for (double& s : steps.at_s) s -= half_s;
  // Near an end of the series a step and what the filters make of the record's end look alike.
  const double least_s = std::max(32.0, 0.02 * static_cast<double>(f.size())) / rate_hz;
  for (std::size_t i = steps.at_s.size(); i-- > 0;) {
    if (steps.at_s[i] >= least_s && static_cast<double>(f.size()) / rate_hz - steps.at_s[i] >= least_s)
      continue;
    at_edges.push_back({steps.at_s[i] + half_s, steps.sizes[i], 0});
    steps.at_s.erase(steps.at_s.begin() + static_cast<std::ptrdiff_t>(i));
    steps.sizes.erase(steps.sizes.begin() + static_cast<std::ptrdiff_t>(i));
  }
  Fitted fitted = fit_series(f, rate_hz, droop, steps.at_s, steps.sizes);
  for (int round = 0; round < 4 && !steps.at_s.empty(); ++round) {
    Steps kept;
    for (std::size_t i = 0; i < steps.sizes.size(); ++i) {
      const auto at = static_cast<Eigen::Index>(2 + i);
      if (!(std::abs(fitted.fit.values(at)) > 4 * fitted.fit.deviations(at))) continue;
      kept.at_s.push_back(steps.at_s[i]), kept.sizes.push_back(fitted.fit.values(at));
    }
    const bool settled = round >= 2 && kept.sizes.size() == steps.sizes.size();
    steps = std::move(kept);
    if (settled) break;
    fitted = fit_series(f, rate_hz, droop, steps.at_s, steps.sizes);
  }
  return fitted;
}

}  // namespace

Modulation measure_modulation(const Demodulated& series) {
  Modulation m;
  const std::size_t count = series.frequency.size();
  const std::vector<std::size_t> places = steps_of(series.frequency, series.rate_hz);
  m.group = std::max<std::size_t>(1, count / most_fitted);
  const double rate = series.rate_hz / static_cast<double>(m.group);
  const double half = static_cast<double>(m.group - 1) / 2 / series.rate_hz;  // Middle of a group.
  const Droop droop{series.rate_hz, m.group, true}, of_amplitude{series.rate_hz, m.group, false};
  std::vector<double> steady = series.frequency;
  m.states = frequency_states(steady, series.rate_hz, places, m.transitions);
  Steps steps;
  if (places.size() <= 8) {
    steady = series.frequency;
    steps = sized(series, places);
  } else if (m.states.empty()) {
    steady = series.frequency;
  }
  const std::vector<double> f = grouped(steady, m.group), a = grouped(series.amplitude, m.group);
  const Fitted fitted = fit_with_steps(f, rate, droop, half, steps, m.edge_jumps);
  m.carrier_hz = fitted.fit.values(0), m.carrier_std_hz = fitted.fit.deviations(0);
  const double per_s = rate / static_cast<double>(f.size());
  m.drift_hz_per_s = fitted.fit.values(1) * per_s, m.drift_std_hz_per_s = fitted.fit.deviations(1) * per_s;
  m.middle_s = static_cast<double>(f.size() - 1) / 2 / rate + half;
  m.frequency = fitted.swings;
  m.frequency_noise_hz = fitted.fit.rms;
  // What harmonics and filters leave at an end is of the size of the noise.
  std::erase_if(m.edge_jumps,
                [&](const Jump& jump) { return std::abs(jump.step_hz) < 10 * m.frequency_noise_hz; });
  for (std::size_t i = 0; i < steps.sizes.size(); ++i)
    m.jumps.push_back({steps.at_s[i] + half, fitted.fit.values(static_cast<Eigen::Index>(2 + i)),
                       fitted.fit.deviations(static_cast<Eigen::Index>(2 + i))});
  // What swings to and fro in one shape is no set of states.
  if (!m.frequency.empty() && m.frequency.front().shape == "square" && m.frequency.front().likeness > 0.98) {
    m.states.clear();
    m.transitions = 0;
  }
  Fitted amplitude = fit_series(a, rate, of_amplitude, {}, {});
  m.level = amplitude.fit.values(0);
  if (series.suppressed) {
    double square = 0;
    for (const double v : a) square += v * v;
    m.level = std::sqrt(square / static_cast<double>(std::max<std::size_t>(1, a.size())));
  }
  m.amplitude = std::move(amplitude.swings);
  const std::vector<double> all = grouped(series.frequency, m.group);
  m.lowest_hz = percentile_of(all, 0.001), m.highest_hz = percentile_of(all, 0.999);
  return m;
}

}  // namespace vprism
