// line_pairs.cpp: see line_pairs.h.
#include "identify/lines/line_pairs.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <tuple>

#include "transform/windows/window.h"

namespace vprism {

std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const PairSettings& settings) {
  std::vector<std::tuple<double, std::size_t, std::size_t>> near;
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j) {
      const double off = std::abs(a[i].hz - b[j].hz);
      const double width =
          std::max({4 * std::hypot(a[i].hz_std, b[j].hz_std), settings.clock * a[i].hz, settings.within_hz});
      if (off <= width) near.emplace_back(off, i, j);
    }
  std::sort(near.begin(), near.end());
  std::vector<bool> a_taken(a.size(), false), b_taken(b.size(), false);
  std::vector<LinePair> out;
  for (const auto& [off, i, j] : near) {
    if (a_taken[i] || b_taken[j]) continue;
    a_taken[i] = b_taken[j] = true;
    LinePair pair{i, j, 0, 0};
    if (a[i].rms > 0 && b[j].rms > 0) {
      pair.delta_db = 20 * std::log10(b[j].rms / a[i].rms);
      pair.delta_std_db =
          20 / std::numbers::ln10 * std::hypot(a[i].rms_std / a[i].rms, b[j].rms_std / b[j].rms);
    }
    out.push_back(pair);
  }
  for (std::size_t i = 0; i < a.size(); ++i)
    if (!a_taken[i]) out.push_back({i, std::nullopt, 0, 0});
  for (std::size_t j = 0; j < b.size(); ++j)
    if (!b_taken[j]) out.push_back({std::nullopt, j, 0, 0});
  const auto hz = [&](const LinePair& p) { return p.a ? a[*p.a].hz : b[*p.b].hz; };
  std::sort(out.begin(), out.end(), [&](const LinePair& x, const LinePair& y) { return hz(x) < hz(y); });
  return out;
}

namespace {

struct Ratio {
  double value, variance;
  std::size_t a, b;
};

std::vector<bool> paired(const std::vector<LinePair>& pairs, std::size_t count, bool second) {
  std::vector<bool> out(count, false);
  for (const LinePair& p : pairs)
    if (p.a && p.b) out[second ? *p.b : *p.a] = true;
  return out;
}

double lines_square(const std::vector<ComparedLine>& lines, const std::vector<bool>& left_out) {
  double sum = 0;
  for (std::size_t i = 0; i < lines.size(); ++i) sum += left_out[i] ? 0 : lines[i].rms * lines[i].rms;
  return sum;
}

}  // namespace

std::optional<SpeedChange> speed_change(const std::vector<ComparedLine>& a,
                                        const std::vector<ComparedLine>& b, const PairSettings& settings) {
  constexpr double most = 0.1;
  const std::vector<LinePair> staying = pair_lines(a, b, settings);
  const std::vector<bool> a_stays = paired(staying, a.size(), false),
                          b_stays = paired(staying, b.size(), true);
  const double moving = lines_square(a, a_stays);
  std::vector<Ratio> ratios;
  std::size_t a_count = 0, b_count = 0;
  for (std::size_t i = 0; i < a.size(); ++i) a_count += a_stays[i] ? 0 : 1;
  for (std::size_t j = 0; j < b.size(); ++j) b_count += b_stays[j] ? 0 : 1;
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j) {
      if (a_stays[i] || b_stays[j] || !(a[i].hz > 0)) continue;
      const double ratio = b[j].hz / a[i].hz;
      if (std::abs(ratio - 1) > most) continue;
      const double std = std::hypot(a[i].hz_std / a[i].hz, b[j].hz_std / b[j].hz);
      if (std < 0.01) ratios.push_back({ratio, std * std + 1e-12, i, j});
    }
  std::optional<SpeedChange> best;
  double best_square = 0;
  for (const Ratio& lead : ratios) {
    double ratio = lead.value;
    for (int round = 0; round < 3; ++round) {
      double weights = 0, sum = 0, square = 0, scatter = 0;
      std::size_t count = 0;
      std::vector<bool> a_taken(a.size(), false), b_taken(b.size(), false);
      for (const Ratio& r : ratios) {
        // Speeds hold to some parts in a hundred thousand at best.
        const double variance = r.variance + 4e-10;
        if (a_taken[r.a] || b_taken[r.b] ||
            std::abs(r.value - ratio) > 4 * std::sqrt(variance + (round == 0 ? lead.variance : 0)))
          continue;
        a_taken[r.a] = b_taken[r.b] = true;
        weights += 1 / variance, sum += r.value / variance, ++count;
        scatter += std::pow(r.value - ratio, 2) / variance;
        square += a[r.a].rms * a[r.a].rms;
      }
      ratio = sum / weights;
      // How many would agree by accident: pairs within four uncertainties of any ratio.
      double chance = 0;
      for (const Ratio& r : ratios) chance += 8 * std::sqrt(r.variance + 4e-10) / (2 * most);
      if (count < 3 || static_cast<double>(count) < 3 + 3 * chance || square < 0.5 * moving ||
          static_cast<double>(count) < 0.4 * static_cast<double>(std::min(a_count, b_count)))
        continue;
      if (square <= best_square && best) continue;
      best_square = square;
      const double spread = std::sqrt(std::max(1.0, scatter / static_cast<double>(count - 1)));
      best = SpeedChange{ratio, spread / std::sqrt(weights), count};
    }
  }
  return best;
}

std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const SpeedChange& speed, const PairSettings& settings) {
  std::vector<LinePair> out;
  const std::vector<LinePair> staying = pair_lines(a, b, settings);
  std::vector<ComparedLine> a_left, b_left;
  std::vector<std::size_t> a_place, b_place;
  for (const LinePair& p : staying) {
    if (p.a && p.b)
      out.push_back(p);
    else if (p.a)
      a_left.push_back(a[*p.a]), a_place.push_back(*p.a);
    else
      b_left.push_back(b[*p.b]), b_place.push_back(*p.b);
  }
  for (ComparedLine& line : a_left)
    line.hz_std = std::hypot(line.hz_std * speed.ratio, line.hz * speed.ratio_std), line.hz *= speed.ratio;
  PairSettings near = settings;
  near.clock = std::max(near.clock, 4 * speed.ratio_std);
  for (LinePair& p : pair_lines(a_left, b_left, near)) {
    if (p.a) p.a = a_place[*p.a];
    if (p.b) p.b = b_place[*p.b];
    out.push_back(p);
  }
  const auto hz = [&](const LinePair& p) { return p.a ? a[*p.a].hz : b[*p.b].hz; };
  std::sort(out.begin(), out.end(), [&](const LinePair& x, const LinePair& y) { return hz(x) < hz(y); });
  return out;
}

double spectral_likeness(const Spectrum& a, const Spectrum& b, double ratio) {
  const double low = std::max(a.frequency_hz(0), b.frequency_hz(0) / ratio),
               high = std::min(a.frequency_hz(a.bins() - 1), b.frequency_hz(b.bins() - 1) / ratio);
  // Each worth a dozen levels or more on both sides; neighbours that show the same count once.
  constexpr double worth = 12;
  const auto needed = [&](const Spectrum& s) {
    return std::max(s.plan.rbw_hz,
                    s.plan.bin_hz * bins_alike(s.window) * worth / std::max(1.0, s.noise_averages));
  };
  const double width = std::max(needed(a), needed(b) / ratio);
  const auto mean_of = [](const Spectrum& s, double from, double to) {
    const auto first = static_cast<std::size_t>(std::max(1.0, std::ceil(s.bins_at(from))));
    const auto end =
        static_cast<std::size_t>(std::clamp(std::ceil(s.bins_at(to)), 0.0, static_cast<double>(s.bins())));
    double sum = 0;
    for (std::size_t k = first; k < end; ++k) sum += s.power[k];
    return end > first ? sum / static_cast<double>(end - first) : 0;
  };
  const auto noise_of = [&](const Spectrum& s, double wide) {
    const double levels = std::max(1.0, wide / s.plan.bin_hz / bins_alike(s.window));
    // Variance of the logarithm of a mean of that many.
    return 1 / std::max(1.0, s.noise_averages * levels - 0.5);
  };
  double n = 0, x = 0, y = 0, xx = 0, yy = 0, xy = 0;
  for (double from = std::max(low, a.plan.rbw_hz); from + width <= high; from += width) {
    const double p = mean_of(a, from, from + width), q = mean_of(b, ratio * from, ratio * (from + width));
    if (!(p > 0) || !(q > 0)) continue;
    const double u = std::log(p), v = std::log(q);
    n += 1, x += u, y += v, xx += u * u, yy += v * v, xy += u * v;
  }
  if (n < 8) return std::numeric_limits<double>::quiet_NaN();
  const double sxx = (xx - x * x / n) / (n - 1), syy = (yy - y * y / n) / (n - 1),
               sxy = (xy - x * y / n) / (n - 1);
  const double a_noise = noise_of(a, width), b_noise = noise_of(b, width * ratio);
  // Flat within its scatter: the shape of white noise.
  const double beyond = 3 * std::sqrt(2 / n);
  const bool a_flat = sxx < a_noise * (1 + beyond) + 1e-12, b_flat = syy < b_noise * (1 + beyond) + 1e-12;
  if (a_flat || b_flat) return a_flat && b_flat ? 1 : 0;
  return std::clamp(sxy / std::sqrt((sxx - a_noise) * (syy - b_noise)), -1.0, 1.0);
}

}  // namespace vprism
