// cycle_phase.cpp: see cycle_phase.h.
#include "identify/rotating/cycle_phase.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace vprism {

namespace {

using std::numbers::pi;

struct PhaseLine {
  double slope = 0, slope_std = 0;
  std::vector<double> off;
};

/// A straight line through places, and how sure its slope is where neighbours err alike.
PhaseLine line_through(const std::vector<double>& at, const std::vector<double>& y) {
  const auto n = static_cast<double>(at.size());
  double mx = 0, my = 0, sxx = 0, sxy = 0;
  for (std::size_t i = 0; i < at.size(); ++i) mx += at[i] / n, my += y[i] / n;
  for (std::size_t i = 0; i < at.size(); ++i)
    sxx += (at[i] - mx) * (at[i] - mx), sxy += (at[i] - mx) * (y[i] - my);
  PhaseLine out;
  out.slope = sxy / sxx;
  double square = 0, next = 0;
  for (std::size_t i = 0; i < at.size(); ++i) {
    out.off.push_back(y[i] - my - out.slope * (at[i] - mx));
    square += out.off[i] * out.off[i];
    if (i > 0) next += out.off[i] * out.off[i - 1];
  }
  const double alike = square > 0 ? std::clamp(next / square, 0.0, 0.9) : 0;
  // Few blocks show their scatter badly: Student's distribution is wider.
  out.slope_std =
      std::sqrt(square / (n - 2) / sxx * (1 + alike) / (1 - alike) * (n - 2) / std::max(1.0, n - 4));
  return out;
}

/// Slope of the sum of the orders at a phase, per cycle.
double slope_at(const CycleAverage& average, double phase) {
  double sum = 0;
  for (const CycleOrder& o : average.orders) {
    const double angle = 2 * pi * o.n * phase;
    sum += 2 * pi * o.n * (o.b * std::cos(angle) - o.a * std::sin(angle));
  }
  return sum;
}

/// Whether orders stand with the same phase in all parts of a record: cycles that only differ have them, too,
/// at any.
bool come_again(std::span<const double> x, double period, const std::vector<int>& orders) {
  const CycleEdges edges = edges_of_period(x.size(), period, 0);
  const std::size_t cycles = edges.size() - 1, parts = std::min<std::size_t>(8, cycles),
                    each = cycles / parts;
  const auto most = static_cast<std::size_t>(*std::max_element(orders.begin(), orders.end()));
  std::vector<std::complex<double>> sums(orders.size());
  double squares = 0;
  for (std::size_t p = 0; p < parts; ++p) {
    const auto from = edges.begin() + static_cast<std::ptrdiff_t>(p * each);
    const CycleAverage part =
        average_cycles(x, CycleEdges(from, from + static_cast<std::ptrdiff_t>(each) + 1), most);
    for (std::size_t i = 0; i < orders.size(); ++i) {
      const auto at = static_cast<std::size_t>(orders[i] - 1);
      if (at >= part.orders.size()) continue;
      const std::complex<double> value(part.orders[at].a, part.orders[at].b);
      sums[i] += value, squares += std::norm(value);
    }
  }
  double together = 0;
  for (const auto& sum : sums) together += std::norm(sum) / static_cast<double>(parts);
  // At random phases one part in so many goes together.
  return together > (0.5 + 0.5 / static_cast<double>(parts)) * squares;
}

CycleAverage averaged(std::span<const double> x, double period, std::size_t orders) {
  return average_cycles(x, edges_of_period(x.size(), period, 0),
                        std::clamp<std::size_t>(static_cast<std::size_t>(period / 4), 1, orders));
}

}  // namespace

std::vector<double> without_drift(std::span<const double> x, double period) {
  const auto half = static_cast<std::size_t>(std::lround(period / 2));
  if (x.size() < 4 * half + 2) return {x.begin(), x.end()};
  std::vector<double> sums = {0};
  for (const double v : x) sums.push_back(sums.back() + v);
  std::vector<double> out;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const std::size_t middle = std::clamp(n, half, x.size() - 1 - half);
    out.push_back(x[n] - (sums[middle + half + 1] - sums[middle - half]) / static_cast<double>(2 * half + 1));
  }
  return out;
}

Period period_by_delays(std::span<const double> x, Period period) {
  const auto cycles = static_cast<std::size_t>(static_cast<double>(x.size()) / period.samples);
  const std::size_t blocks = std::min<std::size_t>(32, cycles);
  if (blocks < 6 || period.samples < 8) return period;
  const CycleAverage average = averaged(x, period.samples, 40);
  std::vector<double> at, late;
  const std::size_t each = cycles / blocks;
  for (std::size_t b = 0; b < blocks; ++b) {
    const auto first = static_cast<std::size_t>(std::ceil(static_cast<double>(b * each) * period.samples));
    const auto end = std::min(
        x.size(), static_cast<std::size_t>(std::ceil(static_cast<double>((b + 1) * each) * period.samples)));
    double along = 0, square = 0;
    for (std::size_t n = first; n < end; ++n) {
      const double phase = std::fmod(static_cast<double>(n) / period.samples, 1.0);
      const double slope = slope_at(average, phase) / period.samples;
      along += (average.at(phase) - x[n]) * slope, square += slope * slope;
    }
    if (!(square > 0)) return period;
    at.push_back(static_cast<double>(first + end) / 2), late.push_back(along / square);
  }
  const PhaseLine line = line_through(at, late);
  if (!(std::abs(line.slope) < 0.2 / static_cast<double>(cycles))) return period;
  // Steps closer than what is found are rounding.
  const double moved = std::abs(line.slope) * period.samples;
  if (moved > 1e-9 * period.samples) period.samples *= 1 + line.slope;
  period.std = line.slope_std * period.samples;
  if (average.jumps > 0) {
    // Edges within one sample: as long as none moves to the next sample, lengths look the same.
    double square = 0;
    for (const double v : late) square += v * v / static_cast<double>(late.size());
    const double hidden = 1 - std::min(1.0, std::sqrt(square) / 0.1);
    period.std = std::max(period.std, 0.4 * hidden / static_cast<double>(cycles));
  }
  return period;
}

CyclePhase follow_phase(std::span<const double> x, double period) {
  CyclePhase out;
  out.shortest = out.longest = period;
  const double cycles = static_cast<double>(x.size()) / period;
  if (cycles < 8 || period < 8) return out;
  const CycleAverage average = averaged(x, period, 12);
  const CycleOrder* strongest = &average.orders.front();
  for (const CycleOrder& o : average.orders)
    if (o.amplitude() > 1.2 * strongest->amplitude()) strongest = &o;
  const int order = strongest->n;
  const double each = std::clamp(std::floor(cycles / 128), 1.0, std::max(1.0, std::floor(20.0 / order)));
  const auto window = static_cast<std::size_t>(std::lround(2 * each * period));
  double turned = 0, last = 0;
  for (double from = 0; from + static_cast<double>(window) <= static_cast<double>(x.size());
       from += each * period) {
    const auto first = static_cast<std::size_t>(std::lround(from));
    if (first + window > x.size()) break;
    std::complex<double> sum = 0;
    for (std::size_t n = first; n < first + window; ++n) {
      const double w =
          0.5 - 0.5 * std::cos(2 * pi * (static_cast<double>(n - first) + 0.5) / static_cast<double>(window));
      sum += w * (x[n] - average.mean) *
             std::polar(1.0, -2 * pi * order * std::fmod(static_cast<double>(n) / period, 1.0));
    }
    const double phase = std::arg(sum);
    turned = out.at.empty() ? phase : turned + std::remainder(phase - last, 2 * pi);
    last = phase;
    out.at.push_back(static_cast<double>(first) + static_cast<double>(window) / 2);
    out.late.push_back(-turned * period / (2 * pi * order));
  }
  if (out.at.size() < 6) return out;
  const PhaseLine line = line_through(out.at, out.late);
  // Windows overlap by half: every other one is fresh.
  double square = 0, fresh = 0;
  for (std::size_t i = 0; i < line.off.size(); ++i) {
    square += line.off[i] * line.off[i];
    if (i >= 2) fresh += std::pow(line.off[i] - line.off[i - 2], 2) / 2;
  }
  const double whole = std::sqrt(square / static_cast<double>(line.off.size())),
               noise = std::sqrt(fresh / static_cast<double>(line.off.size() - 2));
  out.drifts = whole > 2e-3 * period && whole > 3 * noise;
  // Over a sixth of the record each.
  const std::size_t reach = std::max<std::size_t>(1, out.at.size() / 6);
  for (std::size_t i = reach; i < out.at.size(); ++i) {
    const double here = period * (1 + (out.late[i] - out.late[i - reach]) / (out.at[i] - out.at[i - reach]));
    out.shortest = i == reach ? here : std::min(out.shortest, here);
    out.longest = i == reach ? here : std::max(out.longest, here);
  }
  return out;
}

CycleEdges edges_of_phase(std::size_t samples, double period, double start, const CyclePhase& phase) {
  const auto late_at = [&](double sample) {
    const auto& at = phase.at;
    auto next = static_cast<std::size_t>(std::upper_bound(at.begin(), at.end(), sample) - at.begin());
    next = std::clamp<std::size_t>(next, 1, at.size() - 1);
    const double part = (sample - at[next - 1]) / (at[next] - at[next - 1]);
    return phase.late[next - 1] + part * (phase.late[next] - phase.late[next - 1]);
  };
  CycleEdges edges;
  const double begin = start - late_at(start), end = static_cast<double>(samples);
  for (std::size_t k = 0;; ++k) {
    double place = edges.empty() ? start : edges.back() + period;
    for (int round = 0; round < 30; ++round) place = begin + period * static_cast<double>(k) + late_at(place);
    if (place > end + 1e-6 || (!edges.empty() && !(place > edges.back()))) return edges;
    edges.push_back(std::min(end, place));
  }
}

double whole_period(std::span<const double> with_drift, double period) {
  const std::vector<double> x = without_drift(with_drift, period);
  for (int round = 0; round < 3; ++round) {
    // Edges that are rounded to samples make weak orders between those of the true period.
    const CycleAverage own = averaged(x, period, 8);
    const double rounding = static_cast<double>(own.jumps) * own.jump_height * own.jump_height / (6 * period);
    double better = 0;
    for (const int times : {2, 3, 5}) {
      const double whole = times * period;
      if (3 * whole > static_cast<double>(x.size()) || better > 0) continue;
      const CycleAverage average = averaged(x, whole, 24);
      double square = 0, variance = 0, all = 0;
      std::vector<int> between;
      for (const CycleOrder& o : average.orders) {
        const double held = o.amplitude() * o.amplitude();
        all += held;
        if (o.n % times == 0 || !(held > 30 * o.std * o.std)) continue;
        square += held, variance += 2 * o.std * o.std;
        between.push_back(o.n);
      }
      if (square > 15 * variance && square > 1e-7 * all && square / 2 > 3 * rounding &&
          come_again(x, whole, between))
        better = whole;
    }
    if (better == 0) return period;
    period = better;
  }
  return period;
}

}  // namespace vprism
