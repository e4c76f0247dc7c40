// cycles.cpp: see cycles.h.
#include "identify/rotating/cycles.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <numbers>
#include <optional>

#include "base/error.h"
#include "base/fft.h"
#include "base/linear/linear.h"
#include "base/straight_line.h"
#include "identify/rotating/cycle_phase.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// Samples that a period is looked for in.
constexpr std::size_t most_searched = std::size_t{1} << 20;
constexpr std::size_t most_points = 4096, most_orders = 400;

/// Autocorrelation about a straight line, over its value at 0, each lag over as many products as it has.
std::vector<double> autocorrelation(std::span<const double> x) {
  const std::size_t count = x.size(), points = std::bit_ceil(2 * count);
  const StraightLine line = straight_line(x);
  FftArray<double> time(points);
  FftArray<std::complex<double>> bins(points / 2 + 1);
  std::fill(time.data(), time.data() + points, 0.0);
  for (std::size_t i = 0; i < count; ++i) time.data()[i] = x[i] - line.at(i);
  const RealFft fft(points);
  fft.run(time, bins);
  for (std::size_t k = 0; k <= points / 2; ++k) bins.data()[k] = std::norm(bins.data()[k]);
  fft.back(bins, time);
  std::vector<double> out;
  for (std::size_t lag = 0; lag <= count / 2; ++lag)
    out.push_back(time.data()[lag] / static_cast<double>(count - lag) * static_cast<double>(count) /
                  time.data()[0]);
  return out;
}

/// Phase of every sample within whole cycles.
template <typename F>
void for_each_phase(const CycleEdges& edges, F f) {
  for (std::size_t c = 0; c + 1 < edges.size(); ++c) {
    const double length = edges[c + 1] - edges[c];
    const auto first = static_cast<std::size_t>(std::ceil(edges[c] - 1e-9)),
               end = static_cast<std::size_t>(std::ceil(edges[c + 1] - 1e-9));
    for (std::size_t n = first; n < end; ++n)
      f(n, std::max(0.0, (static_cast<double>(n) - edges[c]) / length));
  }
}

/// The orders by least squares: sums of exp(2 pi i m p) make up the matrix.
void fit_orders(std::span<const double> x, const CycleEdges& edges, std::size_t count, CycleAverage& out) {
  const std::size_t wide = 2 * count + 1;
  std::vector<std::complex<double>> sums(wide), right(count + 1);
  double samples = 0;
  for_each_phase(edges, [&](std::size_t n, double phase) {
    const std::complex<double> turn = std::polar(1.0, 2 * pi * phase);
    std::complex<double> z = 1;
    for (std::size_t m = 0; m < wide; ++m) {
      // Made anew now and then: a product of many turns drifts.
      if (m % 32 == 0 && m > 0) z = std::polar(1.0, 2 * pi * std::fmod(phase * static_cast<double>(m), 1.0));
      sums[m] += z;
      if (m <= count) right[m] += x[n] * z;
      z = {z.real() * turn.real() - z.imag() * turn.imag(), z.real() * turn.imag() + z.imag() * turn.real()};
    }
    ++samples;
  });
  const auto order = static_cast<Eigen::Index>(count);
  Matrix gram(2 * order + 1, 2 * order + 1);
  Vector to(2 * order + 1);
  // Columns: 1, cos 1 .. cos N, sin 1 .. sin N.
  const auto sum = [&](Eigen::Index m) {
    return m >= 0 ? sums[static_cast<std::size_t>(m)] : std::conj(sums[static_cast<std::size_t>(-m)]);
  };
  for (Eigen::Index i = 0; i <= order; ++i)
    for (Eigen::Index k = 0; k <= order; ++k) {
      const std::complex<double> minus = sum(i - k), plus = sum(i + k);
      gram(i, k) = (minus.real() + plus.real()) / 2;
      if (k > 0) gram(i, order + k) = (plus.imag() - minus.imag()) / 2;
      if (i > 0) gram(order + i, k) = (plus.imag() + minus.imag()) / 2;
      if (i > 0 && k > 0) gram(order + i, order + k) = (minus.real() - plus.real()) / 2;
    }
  for (Eigen::Index i = 0; i <= order; ++i) {
    to(i) = right[static_cast<std::size_t>(i)].real();
    if (i > 0) to(order + i) = right[static_cast<std::size_t>(i)].imag();
  }
  const Vector values = solve_symmetric(gram, to);
  out.mean = values(0);
  for (Eigen::Index n = 1; n <= order; ++n)
    out.orders.push_back({static_cast<int>(n), values(n), values(order + n), 0});
}

/// The averaged cycle on an even grid, samples joined by straight lines.
void average_on_grid(std::span<const double> x, const CycleEdges& edges, std::size_t points,
                     CycleAverage& out) {
  out.average.assign(points, 0.0);
  std::vector<double> squares(points, 0.0);
  const auto value = [&](double at) {
    const double low = std::floor(at + 1e-9), part = std::max(0.0, at - low);
    const auto n = std::min(static_cast<std::size_t>(std::max(0.0, low)), x.size() - 1);
    return part < 1e-9 || n + 1 >= x.size() ? x[n] : x[n] + part * (x[n + 1] - x[n]);
  };
  for (std::size_t c = 0; c + 1 < edges.size(); ++c)
    for (std::size_t p = 0; p < points; ++p) {
      const double v =
          value(edges[c] + (edges[c + 1] - edges[c]) * static_cast<double>(p) / static_cast<double>(points));
      out.average[p] += v;
      squares[p] += v * v;
    }
  const auto cycles = static_cast<double>(edges.size() - 1);
  for (std::size_t p = 0; p < points; ++p) {
    out.average[p] /= cycles;
    const double variance = std::max(0.0, squares[p] / cycles - out.average[p] * out.average[p]);
    out.spread.push_back(cycles > 1 ? std::sqrt(variance * cycles / (cycles - 1)) : 0);
  }
  if (cycles < 2) return;
  // Of the samples themselves: between them, noise is less.
  double scatter = 0, samples = 0;
  for_each_phase(edges, [&](std::size_t n, double phase) {
    const double at = phase * static_cast<double>(points);
    const auto p = static_cast<std::size_t>(at + 1e-9) % points;
    const double part = std::max(0.0, at - std::floor(at + 1e-9));
    const double usual = out.average[p] + part * (out.average[(p + 1) % points] - out.average[p]);
    scatter += (x[n] - usual) * (x[n] - usual), ++samples;
  });
  out.scatter_rms = std::sqrt(scatter / samples * cycles / (cycles - 1));
}

void look_for_jumps(CycleAverage& out) {
  const auto [low, high] = std::minmax_element(out.average.begin(), out.average.end());
  const double height = *high - *low;
  const std::size_t points = out.average.size();
  for (std::size_t p = 0; p < points; ++p) {
    // A step that takes two points is one, too: an edge between samples.
    const double step = std::abs(out.average[(p + 1) % points] - out.average[p]);
    const double before = std::abs(out.average[p] - out.average[(p + points - 1) % points]);
    if (height > 0 && step > 0.3 * height && !(before > 0.3 * height)) ++out.jumps;
    out.jump_height = std::max(out.jump_height, step);
  }
  if (out.jumps == 0) return;
  double top = -1e300, bottom = 1e300;
  const std::size_t fine = 8 * points;
  for (std::size_t i = 0; i < fine; ++i) {
    const double v = out.at(static_cast<double>(i) / static_cast<double>(fine));
    top = std::max(top, v), bottom = std::min(bottom, v);
  }
  out.overshoot = std::max(top - *high, *low - bottom) / out.jump_height;
}

/// What differs from cycle to cycle when cycles are taken to be so long: least squares of any periodic shape.
double scatter_at(std::span<const double> x, double period) {
  CycleAverage out;
  const CycleEdges edges = edges_of_period(x.size(), period, 0);
  const auto points = std::clamp<std::size_t>(static_cast<std::size_t>(std::lround(period)), 8, 16384);
  average_on_grid(x, edges, points, out);
  return out.scatter_rms;
}

/// The period about `first` whose cycles differ least, and what noise of that size leaves open (Cramer-Rao
/// bound of a sum of orders).
Period refined(std::span<const double> whole, double first) {
  const std::span<const double> x = whole.subspan(0, std::min(whole.size(), std::size_t{1} << 19));
  const double cycles = std::floor(static_cast<double>(x.size()) / first);
  Period out{first, 0};
  if (cycles < 2) return out;
  double best = scatter_at(x, first);
  // A whole number of samples first: nothing is joined by straight lines then.
  const double even = std::round(first);
  if (std::abs(even - first) < 0.5 * first / cycles && scatter_at(x, even) <= best)
    out.samples = even, best = scatter_at(x, even);
  double wide = 0.2 * first / cycles;
  for (int round = 0; round < 14; ++round, wide /= 3)
    for (const int side : {-2, -1, 1, 2}) {
      const double period = out.samples + side * wide / 2;
      const double scatter = scatter_at(x, period);
      if (!(scatter < best)) continue;
      best = scatter, out.samples = period;
    }
  const CycleAverage average =
      average_cycles(x, edges_of_period(x.size(), out.samples, 0),
                     std::min<std::size_t>(40, static_cast<std::size_t>(out.samples / 4)));
  double slope = 0;
  for (const CycleOrder& o : average.orders) slope += o.n * o.n * o.amplitude() * o.amplitude();
  const auto count = static_cast<double>(x.size());
  if (slope > 0)
    out.std = out.samples * out.samples * std::sqrt(6 / slope / count / count / count) * best / pi;
  return out;
}

/// The least lag at which a signal is nearly as like itself as at any.
std::optional<double> period_by_likeness(std::span<const double> x) {
  const std::vector<double> r = autocorrelation(x);
  // Beyond the first lag below zero: the least lag whose hump is near the highest.
  std::size_t from = 1;
  while (from < r.size() && r[from] > 0) ++from;
  double highest = 0;
  for (std::size_t lag = from; lag < r.size(); ++lag) highest = std::max(highest, r[lag]);
  if (!(highest > 0.2)) return {};
  std::size_t lag = from;
  while (lag + 1 < r.size() && !(r[lag] >= 0.9 * highest && r[lag] >= r[lag - 1] && r[lag] >= r[lag + 1]))
    ++lag;
  if (lag + 1 >= r.size()) return {};
  const double bend = r[lag - 1] - 2 * r[lag] + r[lag + 1];
  double period = static_cast<double>(lag) + (bend < 0 ? (r[lag - 1] - r[lag + 1]) / (2 * bend) : 0);
  // By longer and longer runs of periods, each place known well enough to find the next.
  for (std::size_t run = 2; static_cast<double>(run) * period + 1 < static_cast<double>(r.size()); run *= 2) {
    const auto guess = static_cast<std::size_t>(std::lround(static_cast<double>(run) * period));
    const auto wide = static_cast<std::size_t>(std::max(2.0, 0.1 * period));
    std::size_t best = guess;
    for (std::size_t k = guess > wide ? guess - wide : 1; k <= std::min(guess + wide, r.size() - 2); ++k)
      if (r[k] > r[best]) best = k;
    if (best < 1 || best + 1 >= r.size()) break;
    const double here = r[best - 1] - 2 * r[best] + r[best + 1];
    period = (static_cast<double>(best) + (here < 0 ? (r[best - 1] - r[best + 1]) / (2 * here) : 0)) /
             static_cast<double>(run);
  }
  return period;
}

}  // namespace

double CycleOrder::amplitude() const { return std::hypot(a, b); }
double CycleOrder::phase_deg() const { return std::atan2(-b, a) * 180 / pi; }

double CycleAverage::at(double phase) const {
  // Re of sum (a_n - i b_n) z^n, by Horner's rule.
  const std::complex<double> z = std::polar(1.0, 2 * pi * phase);
  double re = 0, im = 0;
  for (std::size_t i = orders.size(); i-- > 0;) {
    const double x = re + orders[i].a, y = im - orders[i].b;
    re = x * z.real() - y * z.imag(), im = x * z.imag() + y * z.real();
  }
  return mean + re;
}

Period find_period(std::span<const double> whole) {
  const std::span<const double> x = whole.subspan(0, std::min(whole.size(), most_searched));
  std::optional<double> period = x.size() < 16 ? std::nullopt : period_by_likeness(x);
  // What drifts is alike from sample to sample, and so hides the shortest lag; over a period it is taken off.
  for (int round = 0; round < 3 && x.size() >= 16; ++round) {
    const double wide = period.value_or(static_cast<double>(x.size()) / (16 << round));
    const std::optional<double> again = period_by_likeness(without_drift(x, wide));
    if (!again) continue;
    const bool shorter = !period || *again < 0.999 * *period;
    if (!shorter) break;
    period = again;
  }
  if (!period)
    throw Error(Status::analysis,
                "nothing repeats in it; give --period, or --trigger with a channel that marks cycles");
  const Period first = refined(x, *period);
  const double whole_length = whole_period(x, first.samples);
  return period_by_delays(x, whole_length == first.samples ? first : refined(x, whole_length));
}

CycleEdges edges_of_period(std::size_t samples, double period, double start) {
  CycleEdges edges;
  const auto end = static_cast<double>(samples);
  // A last edge that only rounding puts behind the record's end is that end.
  for (std::size_t k = 0; start + period * static_cast<double>(k) <= end + 1e-6; ++k)
    edges.push_back(std::min(end, start + period * static_cast<double>(k)));
  return edges;
}

TriggerLevel trigger_level(std::span<const double> x) {
  std::vector<double> sorted;
  const std::size_t step = std::max<std::size_t>(1, x.size() / 1000000);
  for (std::size_t n = 0; n < x.size(); n += step) sorted.push_back(x[n]);
  // Pulses may be short: what lies beyond 0.2% at either end is looked at, too.
  std::sort(sorted.begin(), sorted.end());
  const auto at = [&](double share) {
    return sorted[static_cast<std::size_t>(share * static_cast<double>(sorted.size() - 1))];
  };
  const double low = at(0.02), high = std::max(at(0.98), low + 0.8 * (at(0.998) - low));
  return {(low + high) / 2, 0.2 * (high - low)};
}

std::vector<double> rising_edges(std::span<const double> x, double level, double hysteresis) {
  std::vector<double> out;
  bool armed = false;
  for (std::size_t n = 0; n < x.size(); ++n) {
    if (x[n] < level - hysteresis) armed = true;
    if (!armed || n == 0 || !(x[n] >= level) || !(x[n - 1] < level)) continue;
    out.push_back(static_cast<double>(n - 1) + (level - x[n - 1]) / (x[n] - x[n - 1]));
    armed = false;
  }
  return out;
}

CycleAverage average_cycles(std::span<const double> x, const CycleEdges& edges, std::size_t orders) {
  if (edges.size() < 2) throw Error(Status::analysis, "not one whole cycle is in the record");
  CycleAverage out;
  out.cycles = edges.size() - 1;
  out.period_samples = (edges.back() - edges.front()) / static_cast<double>(out.cycles);
  double squares = 0, shortest = out.period_samples;
  for (std::size_t c = 0; c < out.cycles; ++c) {
    const double length = edges[c + 1] - edges[c];
    squares += (length - out.period_samples) * (length - out.period_samples);
    shortest = std::min(shortest, length);
  }
  out.jitter =
      out.cycles > 1 ? std::sqrt(squares / static_cast<double>(out.cycles - 1)) / out.period_samples : 0;
  if (shortest < 4) throw Error(Status::analysis, "a cycle of fewer than four samples can't be looked into");
  const auto points = std::min(most_points, static_cast<std::size_t>(std::lround(out.period_samples)));
  average_on_grid(x, edges, points, out);
  // An order needs more than two samples a cycle, of all the cycles' phases together or of each.
  const auto allowed = static_cast<std::size_t>((shortest - 1) / 2);
  fit_orders(x, edges, std::min({orders, allowed, most_orders}), out);
  double all = 0, left = 0, samples = 0;
  for_each_phase(edges, [&](std::size_t n, double phase) {
    const double off = x[n] - out.at(phase);
    all += (x[n] - out.mean) * (x[n] - out.mean), left += off * off, ++samples;
  });
  out.rms = std::sqrt(all / samples), out.residual_rms = std::sqrt(left / samples);
  // Noise as the cycles scatter, spread evenly over all the orders that they hold.
  const double noise = out.cycles > 1 ? out.scatter_rms : out.residual_rms;
  for (CycleOrder& o : out.orders) o.std = noise * std::sqrt(2 / samples);
  // Of the averaged cycle, by a transform of its points.
  double mean = 0, square = 0;
  for (const double v : out.average) mean += v / static_cast<double>(points);
  for (const double v : out.average) square += (v - mean) * (v - mean) / static_cast<double>(points);
  FftArray<double> time(points);
  FftArray<std::complex<double>> bins(points / 2 + 1);
  std::copy(out.average.begin(), out.average.end(), time.data());
  RealFft(points).run(time, bins);
  for (std::size_t n = 0; n <= points / 2; ++n) {
    if (n > 0)
      square -= (2 * n == points ? 1 : 2) * std::norm(bins.data()[n]) / static_cast<double>(points) /
                static_cast<double>(points);
    out.residual_by_orders.push_back(std::sqrt(std::max(0.0, square)));
  }
  look_for_jumps(out);
  return out;
}

std::optional<std::size_t> orders_needed(const CycleAverage& average, double share) {
  for (std::size_t n = 0; n < average.residual_by_orders.size(); ++n)
    if (average.residual_by_orders[n] <= share * average.residual_by_orders[0]) return n;
  return {};
}

}  // namespace vprism
