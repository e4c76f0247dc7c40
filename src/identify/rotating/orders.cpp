// orders.cpp: see orders.h.
#include "identify/rotating/orders.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <optional>
#include <tuple>

#include "base/error.h"
#include "base/fft.h"
#include "base/percentile.h"
#include "base/text.h"
#include "identify/rotating/order_resonance.h"
#include "transform/time/angle_samples.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// Samples at equal angles, from revolution `first` on.
struct AngleSeries {
  std::vector<double> samples;
  double first = 0;
  std::size_t per_turn = 0;
};

/// A block's complex amplitude (peak) at an order, about the shaft's angle 0, under a Hann window.
std::complex<double> amplitude_at(const AngleSeries& s, std::size_t from, std::size_t count, double order) {
  std::complex<double> sum = 0;
  double weights = 0;
  const double turns = order / static_cast<double>(s.per_turn);
  const double start =
      std::fmod(order * (s.first + static_cast<double>(from) / static_cast<double>(s.per_turn)), 1.0);
  for (std::size_t n = 0; n < count; ++n) {
    const double w =
        0.5 - 0.5 * std::cos(2 * pi * (static_cast<double>(n) + 0.5) / static_cast<double>(count));
    sum += w * s.samples[from + n] *
           std::polar(1.0, -2 * pi * std::fmod(start + turns * static_cast<double>(n), 1.0));
    weights += w;
  }
  return 2.0 * sum / weights;
}

/// Local maxima of the averaged order spectrum that stand four times over what is around them.
std::vector<double> stand_out(const OrderAnalysis& a) {
  std::vector<std::pair<double, double>> tops;
  const double top = *std::max_element(a.level.begin(), a.level.end());
  for (std::size_t r = 2; r + 2 < a.level.size(); ++r) {
    const double at = a.level[r];
    if (!(at >= a.level[r - 1] && at > a.level[r + 1]) || at < 1e-3 * top) continue;
    std::vector<double> near;
    for (std::size_t k = r > 20 ? r - 20 : 1; k < std::min(a.level.size(), r + 21); ++k)
      near.push_back(a.level[k]);
    if (at < 4 * median_in(near)) continue;
    const double bend = a.level[r - 1] - 2 * at + a.level[r + 1];
    const double off = bend < 0 ? std::clamp((a.level[r - 1] - a.level[r + 1]) / (2 * bend), -0.5, 0.5) : 0;
    tops.emplace_back(at, a.order[r] + off * (a.order[1] - a.order[0]));
  }
  std::stable_sort(tops.begin(), tops.end(), [](const auto& x, const auto& y) { return x.first > y.first; });
  std::vector<double> out;
  for (const auto& [level, order] : tops) {
    // What turns with the shaft is a whole number of times a turn, as near as can be told.
    const double whole = std::round(order);
    out.push_back(whole >= 1 && std::abs(order - whole) < 0.5 * (a.order[1] - a.order[0]) ? whole : order);
    if (out.size() == 8) break;
  }
  return out;
}

OrderCut follow(const AngleSeries& s, const ShaftAngle& shaft, double order, double revolutions) {
  OrderCut cut;
  cut.order = order, cut.revolutions = revolutions;
  const auto count = static_cast<std::size_t>(std::lround(revolutions * static_cast<double>(s.per_turn)));
  const std::size_t hop = std::max<std::size_t>(1, count / 4);
  for (std::size_t from = 0; from + count <= s.samples.size(); from += hop) {
    // Of the window, which has its top between the middle samples.
    const double middle = s.first + (static_cast<double>(from) + (static_cast<double>(count) - 1) / 2) /
                                        static_cast<double>(s.per_turn);
    const std::complex<double> a = amplitude_at(s, from, count, order);
    const double time = shaft.time_of(middle);
    cut.time_s.push_back(time), cut.speed.push_back(shaft.speed(time)), cut.turn.push_back(middle);
    cut.amplitude.push_back(std::abs(a)), cut.phase_deg.push_back(std::arg(a) * 180 / pi);
  }
  return cut;
}

/// Mean amplitude of a smoothed cut between two speeds; nothing where fewer than three blocks lie there.
std::optional<double> usual_between(const OrderCut& cut, const std::vector<double>& a, double low,
                                    double high) {
  double sum = 0, count = 0;
  for (std::size_t n = 0; n < a.size(); ++n)
    if (cut.speed[n] >= low && cut.speed[n] <= high) sum += a[n], ++count;
  return count >= 3 ? std::optional(sum / count) : std::nullopt;
}

/// Summits of a cut that rise to twice what it is at speeds 15 to 30% lower and higher.
std::vector<Crossing> crossings_of(const OrderCut& cut, const ShaftAngle& shaft) {
  std::vector<Crossing> out;
  // Blocks overlap by three quarters: the mean of five takes off nothing but jitter.
  std::vector<double> a(cut.amplitude.size());
  for (std::size_t n = 0; n < a.size(); ++n) {
    const std::size_t from = n > 2 ? n - 2 : 0, to = std::min(a.size(), n + 3);
    for (std::size_t k = from; k < to; ++k) a[n] += cut.amplitude[k] / static_cast<double>(to - from);
  }
  if (a.size() < 8) return out;
  const auto hz = [&](std::size_t n) { return cut.order * cut.speed[n]; };
  for (std::size_t n = 1; n + 1 < a.size(); ++n) {
    if (!(a[n] >= a[n - 1] && a[n] > a[n + 1])) continue;
    const double v = cut.speed[n];
    const std::optional<double> slower = usual_between(cut, a, 0.7 * v, 0.85 * v),
                                faster = usual_between(cut, a, 1.15 * v, 1.3 * v);
    if (!slower || !faster || a[n] < 2 * std::max(*slower, *faster)) continue;
    // The highest within 15% alone.
    bool highest = true;
    for (std::size_t k = 0; k < a.size(); ++k)
      if (std::abs(cut.speed[k] - v) < 0.15 * v && a[k] > a[n]) highest = false;
    if (!highest) continue;
    std::size_t left = n, right = n;
    while (left > 0 && a[left] > a[n] / std::numbers::sqrt2) --left;
    while (right + 1 < a.size() && a[right] > a[n] / std::numbers::sqrt2) ++right;
    Crossing c;
    c.order = cut.order;
    const double bend = a[n - 1] - 2 * a[n] + a[n + 1];
    const double off = bend < 0 ? std::clamp((a[n - 1] - a[n + 1]) / (2 * bend), -0.5, 0.5) : 0;
    const std::size_t beside = off < 0 ? n - 1 : n + 1;
    c.time_s = cut.time_s[n] + std::abs(off) * (cut.time_s[beside] - cut.time_s[n]);
    c.speed = shaft.speed(c.time_s);
    c.hz = c.order * c.speed;
    c.amplitude = *std::max_element(cut.amplitude.begin() + static_cast<std::ptrdiff_t>(left),
                                    cut.amplitude.begin() + static_cast<std::ptrdiff_t>(right + 1));
    c.over = c.amplitude / std::max({*slower, *faster, 1e-300});
    c.width_hz = std::abs(hz(right) - hz(left));
    // While a block lasts and while a resonance of that width rings, the order moves on.
    const double sweep =
        std::abs(hz(right) - hz(left)) / std::max(1e-300, cut.time_s[right] - cut.time_s[left]);
    c.lag_hz = sweep / (pi * std::max(c.width_hz, 1e-300));
    const double block_s = cut.revolutions / std::max(1e-300, c.speed);
    // Read late by two to three times that, as a rule.
    c.hz_std = std::max({2.5 * c.lag_hz, sweep * block_s / 8, c.width_hz / 20});
    if (const auto fitted = fit_swept_resonance(cut, shaft, n)) {
      c.hz = fitted->hz, c.hz_std = fitted->hz_std;
      c.damping = fitted->damping, c.damping_std = fitted->damping_std;
    }
    out.push_back(c);
  }
  return out;
}

/// Mean of values by their uncertainties; where they scatter by more than these say, its own is that much
/// wider.
std::pair<double, double> joined(const std::vector<std::pair<double, double>>& values) {
  double weights = 0, sum = 0, scatter = 0;
  for (const auto& [value, std] : values) weights += 1 / (std * std), sum += value / (std * std);
  const double mean = sum / weights;
  for (const auto& [value, std] : values) scatter += std::pow((value - mean) / std, 2);
  const double freedom = static_cast<double>(values.size()) - 1;
  return {mean, std::sqrt(std::max(1.0, freedom > 0 ? scatter / freedom : 1) / weights)};
}

/// One that is a hundredth or less of another order's at the same time is what that one leaks.
void leave_out_leaks(std::vector<Crossing>& crossings) {
  std::vector<Crossing> kept;
  for (const Crossing& c : crossings)
    if (std::none_of(crossings.begin(), crossings.end(), [&](const Crossing& d) {
          return d.amplitude > 100 * c.amplitude && std::abs(d.speed - c.speed) < 0.03 * c.speed;
        }))
      kept.push_back(c);
  crossings = std::move(kept);
}

std::vector<CrossedResonance> gathered(const std::vector<Crossing>& crossings) {
  std::vector<CrossedResonance> out;
  for (const Crossing& c : crossings) {
    CrossedResonance* home = nullptr;
    for (CrossedResonance& r : out)
      if (std::abs(r.hz - c.hz) < std::max(3 * std::hypot(r.hz_std, c.hz_std), 0.01 * c.hz)) home = &r;
    if (home == nullptr) {
      home = &out.emplace_back();
      home->hz = c.hz, home->hz_std = c.hz_std;
    }
    home->crossings.push_back(c);
  }
  for (CrossedResonance& r : out) {
    std::vector<std::pair<double, double>> hz, damping;
    for (const Crossing& one : r.crossings) {
      hz.emplace_back(one.hz, one.hz_std);
      if (one.damping > 0) damping.emplace_back(one.damping, one.damping_std);
    }
    std::tie(r.hz, r.hz_std) = joined(hz);
    if (!damping.empty()) std::tie(r.damping, r.damping_std) = joined(damping);
  }
  std::stable_sort(out.begin(), out.end(), [](const CrossedResonance& a, const CrossedResonance& b) {
    return a.crossings.size() > b.crossings.size();
  });
  return out;
}

}  // namespace

LevelMap over_speed(const LevelMap& map, const std::vector<double>& speed, std::size_t columns) {
  LevelMap out;
  out.resize(map.rows(), columns);
  out.frequency_hz = map.frequency_hz;
  const auto [low, high] = std::minmax_element(speed.begin(), speed.end());
  out.start_s = *low;
  out.step_s = std::max((*high - *low) / static_cast<double>(columns), 1e-12);
  for (std::size_t c = 0; c < map.columns && c < speed.size(); ++c) {
    const std::size_t from = out.column_at(speed[c]);
    // As far as the next column's speed, so that no stripe stays open.
    const std::size_t to = c + 1 < speed.size() ? out.column_at(speed[c + 1]) : from;
    for (std::size_t k = std::min(from, to); k <= std::max(from, to); ++k)
      for (std::size_t r = 0; r < map.rows(); ++r)
        if (std::isnan(out.at(r, k)) || map.at(r, c) > out.at(r, k)) out.at(r, k) = map.at(r, c);
  }
  return out;
}

OrderAnalysis analyse_orders(std::span<const double> x, double rate_hz, const ShaftAngle& shaft,
                             const OrderSettings& settings) {
  OrderAnalysis out;
  double fastest = 0;
  for (int i = 0; i <= 1000; ++i)
    fastest = std::max(fastest, shaft.speed(shaft.start_s() + (shaft.end_s() - shaft.start_s()) * i / 1000));
  const double possible = 0.45 * rate_hz / fastest;
  out.highest = settings.highest > 0 ? settings.highest : std::min(40.0, std::floor(possible));
  if (out.highest > possible)
    throw Error(Status::analysis, "order " + format_number(out.highest) + " lies above 0.45 of the rate at " +
                                      format_number(fastest, 4) + " rev/s; orders up to " +
                                      format_number(std::floor(possible)) + " can be given");
  if (!(out.highest >= 1))
    throw Error(Status::analysis, "the rate is too low for the first order at this speed");
  AngleSeries series;
  series.first = shaft.first();
  series.per_turn = static_cast<std::size_t>(std::ceil(2.6 * out.highest / 4)) * 4;
  out.per_turn = series.per_turn;
  const auto per_turn = static_cast<double>(series.per_turn);
  const auto count = static_cast<std::size_t>(std::floor((shaft.last() - shaft.first()) * per_turn));
  const auto block = static_cast<std::size_t>(std::lround(settings.revolutions * per_turn));
  if (count < 2 * block)
    throw Error(Status::analysis, "the shaft turns " + format_number(shaft.last() - shaft.first(), 4) +
                                      " times only; give a smaller --revolutions");
  std::vector<double> places(count), shares(count);
  for (std::size_t i = 0; i < count; ++i) {
    const double time = shaft.time_of(shaft.first() + static_cast<double>(i) / per_turn);
    places[i] = time * rate_hz;
    shares[i] = 0.92 * per_turn * shaft.speed(time) / rate_hz;
  }
  series.samples = sampled_at(
      x, count, [&](std::size_t i) { return places[i]; }, [&](std::size_t i) { return shares[i]; });

  // Order spectra of blocks.
  const std::size_t hop = std::max<std::size_t>(1, block / 4), blocks = 1 + (count - block) / hop;
  const auto rows = std::min(block / 2, static_cast<std::size_t>(out.highest * settings.revolutions)) + 1;
  out.by_time.resize(rows, blocks);
  out.by_time.step_s = static_cast<double>(hop) / per_turn;
  for (std::size_t r = 0; r < rows; ++r)
    out.by_time.frequency_hz[r] = static_cast<double>(r) * per_turn / static_cast<double>(block);
  out.order = out.by_time.frequency_hz;
  out.level.assign(rows, 0.0);
  FftArray<double> time(block);
  FftArray<std::complex<double>> bins(block / 2 + 1);
  const RealFft fft(block);
  for (std::size_t b = 0; b < blocks; ++b) {
    double mean = 0;
    for (std::size_t n = 0; n < block; ++n) mean += series.samples[b * hop + n] / static_cast<double>(block);
    for (std::size_t n = 0; n < block; ++n)
      time.data()[n] =
          (series.samples[b * hop + n] - mean) *
          (0.5 - 0.5 * std::cos(2 * pi * (static_cast<double>(n) + 0.5) / static_cast<double>(block)));
    fft.run(time, bins);
    for (std::size_t r = 0; r < rows; ++r) {
      const double amplitude = 4 * std::abs(bins.data()[r]) / static_cast<double>(block);
      out.by_time.at(r, b) = static_cast<float>(amplitude * amplitude / 2);
      out.level[r] += amplitude * amplitude / static_cast<double>(blocks);
    }
    const double middle =
        shaft.first() + (static_cast<double>(b * hop) + static_cast<double>(block) / 2) / per_turn;
    out.speed.push_back(shaft.speed(shaft.time_of(middle)));
  }
  for (double& v : out.level) v = std::sqrt(v);
  out.by_speed = over_speed(out.by_time, out.speed, std::min<std::size_t>(400, blocks));
  out.found = stand_out(out);

  const std::vector<double> cuts = settings.cuts.empty() ? out.found : settings.cuts;
  std::vector<Crossing> crossings;
  for (const double order : cuts) {
    // As short as keeps the next order out of the lobe: short blocks follow a resonance best.
    double apart = order;
    for (const double other : out.found)
      if (std::abs(other - order) > 0.05) apart = std::min(apart, std::abs(other - order));
    const double revolutions =
        std::clamp(4 / apart, std::max(1.0, 4 / order), std::max(4 / order, settings.revolutions));
    if (count < 4 * static_cast<std::size_t>(revolutions * per_turn)) continue;
    out.cuts.push_back(follow(series, shaft, order, revolutions));
    for (const Crossing& c : crossings_of(out.cuts.back(), shaft)) crossings.push_back(c);
  }
  leave_out_leaks(crossings);
  out.resonances = gathered(crossings);
  return out;
}

}  // namespace vprism
