// statistics.cpp: see statistics.h.
#include "transform/statistics.h"

#include <algorithm>
#include <cmath>
#include <iterator>

#include "base/clones.h"

namespace vprism {

namespace {

constexpr std::size_t lanes = 8;

struct Lanes {
  double s1[lanes] = {}, s2[lanes] = {}, s3[lanes] = {}, s4[lanes] = {}, low[lanes] = {}, high[lanes] = {};
};

/// Powers of the distance to a value near the mean, and the extremes, in lanes side by side: one sum would
/// wait for itself.
VPRISM_WIDE void add_powers(const double* x, std::size_t count, double centre, Lanes& sums) {
  Lanes s;
  std::fill_n(s.low, lanes, x[0]);
  std::fill_n(s.high, lanes, x[0]);
  std::size_t i = 0;
  for (; i + lanes <= count; i += lanes)
    for (std::size_t k = 0; k < lanes; ++k) {
      const double v = x[i + k], d = v - centre, dd = d * d;
      s.s1[k] += d;
      s.s2[k] += dd;
      s.s3[k] += dd * d;
      s.s4[k] += dd * dd;
      s.low[k] = v < s.low[k] ? v : s.low[k];
      s.high[k] = v > s.high[k] ? v : s.high[k];
    }
  for (; i < count; ++i) {
    const double d = x[i] - centre, dd = d * d;
    s.s1[0] += d, s.s2[0] += dd, s.s3[0] += dd * d, s.s4[0] += dd * dd;
    s.low[0] = std::min(s.low[0], x[i]);
    s.high[0] = std::max(s.high[0], x[i]);
  }
  sums = s;
}

/// First sample from `from` on that equals either extreme; x.size() when none does.
VPRISM_WIDE std::size_t next_rail(std::span<const double> x, std::size_t from, double low, double high) {
  for (; from + lanes <= x.size(); from += lanes) {
    int hits = 0;
    for (std::size_t k = 0; k < lanes; ++k)
      hits += static_cast<int>(x[from + k] == low) + static_cast<int>(x[from + k] == high);
    if (hits > 0) break;
  }
  while (from < x.size() && x[from] != low && x[from] != high) ++from;
  return from;
}

/// Lowest and highest of `count` values and those given; NaN never wins.
VPRISM_WIDE void widen(const double* x, std::size_t count, double& low, double& high) {
  double lows[lanes], highs[lanes];
  std::fill_n(lows, lanes, low);
  std::fill_n(highs, lanes, high);
  std::size_t i = 0;
  for (; i + lanes <= count; i += lanes)
    for (std::size_t k = 0; k < lanes; ++k) {
      lows[k] = x[i + k] < lows[k] ? x[i + k] : lows[k];
      highs[k] = x[i + k] > highs[k] ? x[i + k] : highs[k];
    }
  for (; i < count; ++i)
    lows[0] = x[i] < lows[0] ? x[i] : lows[0], highs[0] = x[i] > highs[0] ? x[i] : highs[0];
  low = *std::min_element(lows, lows + lanes), high = *std::max_element(highs, highs + lanes);
}

}  // namespace

void StatisticsEstimator::add(const Block& block) {
  for (std::size_t c = 0; c < channels_.size(); ++c) {
    Sums& all = channels_[c];
    std::span<const double> x = block.samples(c);
    if (block.gaps()) {
      present_.clear();
      std::copy_if(x.begin(), x.end(), std::back_inserter(present_), [](double v) { return !std::isnan(v); });
      all.missing += static_cast<std::int64_t>(x.size() - present_.size());
      x = present_;
    }
    if (!x.empty()) add_column(all, x);
  }
}

void StatisticsEstimator::add_column(Sums& all, std::span<const double> x) {
  {
    std::size_t zeros = 0;
    while (zeros < x.size() && x[x.size() - 1 - zeros] == 0) ++zeros;
    all.zero_tail = (zeros == x.size() ? all.zero_tail : 0) + static_cast<std::int64_t>(zeros);
    const double centre = all.n > 0 ? all.mean : x[0];
    Lanes sums;
    add_powers(x.data(), x.size(), centre, sums);
    const auto& [s1, s2, s3, s4, lows, highs] = sums;
    const auto total = [](const double* lane) {
      return ((lane[0] + lane[1]) + (lane[2] + lane[3])) + ((lane[4] + lane[5]) + (lane[6] + lane[7]));
    };
    const double low = *std::min_element(lows, lows + lanes), high = *std::max_element(highs, highs + lanes);
    const auto nb = static_cast<double>(x.size());
    // Central moments from those about `centre`, e being the distance of the mean to it.
    const double e = total(s1) / nb, mean = centre + e, t2 = total(s2), t3 = total(s3), t4 = total(s4);
    const double m2 = t2 - nb * e * e, m3 = t3 - 3 * e * t2 + 2 * nb * e * e * e;
    const double m4 = t4 - 4 * e * t3 + 6 * e * e * t2 - 3 * nb * e * e * e * e;
    // Rails: samples at the extremes. Most blocks touch neither of the record's, and are not looked through
    // again.
    if (all.n == 0) all.min = low, all.max = high, all.run_value = x[0] - 1;
    if (low < all.min) all.min = low, all.at_min = all.longest_at_min = all.runs_at_min = 0;
    if (high > all.max) all.max = high, all.at_max = all.longest_at_max = all.runs_at_max = 0;
    if (low == all.min || high == all.max) {
      std::size_t behind = 0;  // Of the last sample at a rail.
      for (std::size_t i = next_rail(x, 0, all.min, all.max); i < x.size();
           i = next_rail(x, i + 1, all.min, all.max)) {
        const double v = x[i];
        const bool at_min = v == all.min, at_max = v == all.max;
        if (i != behind) all.run = 0;
        behind = i + 1;
        all.at_min += at_min;
        all.at_max += at_max;
        all.run = all.run > 0 && v == all.run_value ? all.run + 1 : 1;
        all.run_value = v;
        if (all.run == 1) all.run_leads = all.n == 0 && i == 0;
        if (all.run == 4 && !all.run_leads) ++(at_min ? all.runs_at_min : all.runs_at_max);
        if (at_min) all.longest_at_min = std::max(all.longest_at_min, all.run);
        if (at_max) all.longest_at_max = std::max(all.longest_at_max, all.run);
      }
      if (behind != x.size()) all.run = 0;
    } else {
      all.run = 0;
    }
    const double na = all.n, n = na + nb, d = mean - all.mean;
    const double a2 = all.m2, a3 = all.m3;
    all.m4 += m4 + d * d * d * d * na * nb * (na * na - na * nb + nb * nb) / (n * n * n) +
              6 * d * d * (na * na * m2 + nb * nb * a2) / (n * n) + 4 * d * (na * m3 - nb * a3) / n;
    all.m3 += m3 + d * d * d * na * nb * (na - nb) / (n * n) + 3 * d * (na * m2 - nb * a2) / n;
    all.m2 += m2 + d * d * na * nb / n;
    all.mean += d * nb / n;
    all.n = n;
  }
}

std::vector<Statistics> StatisticsEstimator::result() const {
  std::vector<Statistics> out;
  for (const Sums& all : channels_) {
    Statistics s;
    s.samples = static_cast<std::int64_t>(all.n);
    s.min = all.min, s.max = all.max, s.mean = all.mean;
    s.rms = all.n > 0 ? std::sqrt(std::max(0.0, all.m2 / all.n + all.mean * all.mean)) : 0;
    s.std = all.n > 1 ? std::sqrt(all.m2 / (all.n - 1)) : 0;
    s.crest = s.rms > 0 ? std::max(std::abs(s.min), std::abs(s.max)) / s.rms : 0;
    s.skewness = all.m2 > 0 ? std::sqrt(all.n) * all.m3 / std::pow(all.m2, 1.5) : 0;
    // A run that lasts to the end may be a signal that has come to rest.
    s.rail_runs = all.runs_at_min + all.runs_at_max - (all.run >= 4 && !all.run_leads ? 1 : 0);
    s.missing = all.missing, s.zero_tail = all.zero_tail;
    s.kurtosis = all.m2 > 0 ? all.n * all.m4 / (all.m2 * all.m2) : 0;
    s.at_min = all.at_min, s.at_max = all.at_max;
    s.longest_rail = std::max(all.longest_at_min, all.longest_at_max);
    out.push_back(s);
  }
  return out;
}

namespace {

/// Halves the number of stretches.
void join_neighbours(Outline& o) {
  const std::size_t half = (o.low.size() + 1) / 2;
  for (std::size_t i = 0; i < half; ++i) {
    const std::size_t right = std::min(2 * i + 1, o.low.size() - 1);
    o.low[i] = std::fmin(o.low[2 * i], o.low[right]);
    o.high[i] = std::fmax(o.high[2 * i], o.high[right]);
  }
  if (!o.at.empty()) {
    for (std::size_t i = 0; i < half; ++i) o.at[i] = o.at[2 * i];
    o.at.resize(half);
  }
  o.low.resize(half);
  o.high.resize(half);
  o.samples_per_stretch *= 2;
}

}  // namespace

Outline coarser(Outline outline, std::size_t count) {
  while (outline.samples_per_stretch > 1 && outline.low.size() > count) join_neighbours(outline);
  return outline;
}

void OutlineEstimator::add(const Block& block) {
  for (std::size_t c = 0; c < outlines_.size(); ++c) {
    Outline& o = outlines_[c];
    const auto x = block.samples(c);
    for (std::size_t n = 0; n < x.size();) {
      const auto used = static_cast<std::size_t>(o.samples % o.samples_per_stretch);
      if (used == 0) {
        if (o.low.size() == most) {
          join_neighbours(o);
          continue;
        }
        o.low.push_back(x[n]);
        o.high.push_back(x[n]);
        if (block.stamped()) o.at.push_back(block.stamps()[n]);
      }
      const std::size_t take = std::min(x.size() - n, static_cast<std::size_t>(o.samples_per_stretch) - used);
      // Written so that NaN never wins, save where nothing else has been.
      double low = o.low.back(), high = o.high.back();
      if (std::isnan(low)) low = INFINITY, high = -INFINITY;
      widen(x.data() + n, take, low, high);
      if (low <= high) o.low.back() = low, o.high.back() = high;
      o.samples += static_cast<std::int64_t>(take);
      n += take;
    }
  }
}

}  // namespace vprism
