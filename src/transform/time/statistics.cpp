// statistics.cpp: see statistics.h.
#include "transform/time/statistics.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>
#include <utility>

#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

/// Sums of powers of the distance to a value near the mean, and the extremes.
struct Powers {
  double s1 = 0, s2 = 0, s3 = 0, s4 = 0, low = 0, high = 0;
};

/// Eight lanes side by side: one sum would wait for itself.
VPRISM_WIDE void add_powers(const double* x, std::size_t count, double centre, Powers& out) {
  const Four c = {centre, centre, centre, centre}, none = {};
  Four low = none + x[0], high = low, other_low = low, other_high = low;
  Four s1 = none, s2 = none, s3 = none, s4 = none, t1 = none, t2 = none, t3 = none, t4 = none;
  std::size_t i = 0;
  for (; i + 8 <= count; i += 8) {
    Four a, b;
    load(x + i, a), load(x + i + 4, b);
    lower(a, low), raise(a, high), lower(b, other_low), raise(b, other_high);
    a -= c, b -= c;
    const Four aa = a * a, bb = b * b;
    s1 += a, s2 += aa, s3 += aa * a, s4 += aa * aa;
    t1 += b, t2 += bb, t3 += bb * b, t4 += bb * bb;
  }
  lower(other_low, low), raise(other_high, high);
  out = {total(s1 + t1), total(s2 + t2), total(s3 + t3), total(s4 + t4), lowest(low), highest(high)};
  for (; i < count; ++i) {
    const double d = x[i] - centre, dd = d * d;
    out.s1 += d, out.s2 += dd, out.s3 += dd * d, out.s4 += dd * dd;
    out.low = std::min(out.low, x[i]);
    out.high = std::max(out.high, x[i]);
  }
}

/// First sample from `from` on that lies at either of these or beyond it; x.size() when none does.
VPRISM_WIDE std::size_t next_extreme(std::span<const double> x, std::size_t from, double low, double high) {
  const Four none = {}, bottom = none + low, top = none + high;
  for (; from + 16 <= x.size(); from += 16) {
    Four a, b, c, d;
    load(&x[from], a), load(&x[from + 4], b), load(&x[from + 8], c), load(&x[from + 12], d);
    const auto hits = ((a <= bottom) | (a >= top)) | ((b <= bottom) | (b >= top)) |
                      ((c <= bottom) | (c >= top)) | ((d <= bottom) | (d >= top));
    if ((hits[0] | hits[1] | hits[2] | hits[3]) != 0) break;
  }
  while (from < x.size() && x[from] > low && x[from] < high) ++from;
  return from;
}

/// One past the samples from `from` on that equal it: constants and gates rest for long.
VPRISM_WIDE std::size_t end_of_equal(std::span<const double> x, std::size_t from) {
  const double v = x[from];
  const Four none = {}, all = none + v;
  std::size_t end = from + 1;
  for (; end + 8 <= x.size(); end += 8) {
    Four a, b;
    load(&x[end], a), load(&x[end + 4], b);
    const auto hits = (a != all) | (b != all);
    if ((hits[0] | hits[1] | hits[2] | hits[3]) != 0) break;
  }
  while (end < x.size() && x[end] == v) ++end;
  return end;
}

/// Lowest and highest of `count` values and those given; NaN never wins.
VPRISM_WIDE void widen(const double* x, std::size_t count, double& low, double& high) {
  const Four none = {};
  Four lows = none + low, highs = none + high, other_lows = lows, other_highs = highs;
  std::size_t i = 0;
  for (; i + 8 <= count; i += 8) {
    Four a, b;
    load(x + i, a), load(x + i + 4, b);
    lower(a, lows), raise(a, highs), lower(b, other_lows), raise(b, other_highs);
  }
  lower(other_lows, lows), raise(other_highs, highs);
  low = lowest(lows), high = highest(highs);
  for (; i < count; ++i) low = x[i] < low ? x[i] : low, high = x[i] > high ? x[i] : high;
}

}  // namespace

void StatisticsEstimator::add(const Block& block) {
  if (block.stamped()) timed_.resize(channels_.size());
  for (std::size_t c = 0; c < channels_.size(); ++c) {
    Sums& all = channels_[c];
    std::span<const double> x = block.samples(c);
    if (block.stamped()) add_timed(timed_[c], x, block.stamps());
    if (block.gaps()) {
      present_.clear();
      std::copy_if(x.begin(), x.end(), std::back_inserter(present_), [](double v) { return !std::isnan(v); });
      all.missing += static_cast<std::int64_t>(x.size() - present_.size());
      x = present_;
    }
    if (!x.empty()) add_column(all, x);
  }
}

void StatisticsEstimator::add_timed(Timed& all, std::span<const double> x, std::span<const double> stamps) {
  for (std::size_t n = 0; n < x.size(); ++n) {
    if (std::isnan(x[n])) {
      all.open = false;
      continue;
    }
    if (!all.begun) all.begun = true, all.centre = x[n];
    const double b = x[n] - all.centre, a = all.last, dt = stamps[n] - all.last_at;
    // Means over a straight line from a to b of its powers: sums of a^i b^k over all i + k, by their number.
    if (all.open && dt > 0) {
      const double aa = a * a, bb = b * b, ab = a * b;
      all.shortest = all.time > 0 ? std::min(all.shortest, dt) : dt, all.longest = std::max(all.longest, dt);
      all.time += dt;
      all.s1 += dt * (a + b) / 2;
      all.s2 += dt * (aa + ab + bb) / 3;
      all.s3 += dt * (a + b) * (aa + bb) / 4;
      all.s4 += dt * (aa * aa + aa * ab + aa * bb + ab * bb + bb * bb) / 5;
    }
    all.last = b, all.last_at = stamps[n], all.open = true;
  }
}

void StatisticsEstimator::add_column(Sums& all, std::span<const double> x) {
  std::size_t zeros = 0;
  while (zeros < x.size() && x[x.size() - 1 - zeros] == 0) ++zeros;
  all.zero_tail = (zeros == x.size() ? all.zero_tail : 0) + static_cast<std::int64_t>(zeros);
  // In stretches that stay in the nearest cache, and of which few touch a rail.
  for (std::size_t n = 0; n < x.size(); n += 2048)
    add_stretch(all, x.subspan(n, std::min<std::size_t>(2048, x.size() - n)));
}

void StatisticsEstimator::add_stretch(Sums& all, std::span<const double> x) {
  const double centre = all.n > 0 ? all.mean : x[0];
  Powers sums;
  add_powers(x.data(), x.size(), centre, sums);
  const auto& [s1, t2, t3, t4, low, high] = sums;
  const auto nb = static_cast<double>(x.size());
  // Central moments from those about `centre`, e being the distance of the mean to it.
  const double e = s1 / nb, mean = centre + e;
  const double m2 = t2 - nb * e * e, m3 = t3 - 3 * e * t2 + 2 * nb * e * e * e;
  const double m4 = t4 - 4 * e * t3 + 6 * e * e * t2 - 3 * nb * e * e * e * e;
  // Rails: samples at the extremes. Most blocks touch neither of the record's, and are not looked through
  // again.
  if (all.n == 0) {
    all.min = low, all.max = high, all.run_value = x[0] - 1;
    all.near_min = std::numeric_limits<double>::infinity(), all.near_max = -all.near_min;
  }
  // An extreme that is one no longer lies between the new ones, and may be the value next to either.
  const double bottom = all.min, top = all.max;
  const std::int64_t at_bottom = all.at_min, at_top = all.at_max;
  if (low < bottom)
    all.min = low, all.at_min = all.longest_at_min = all.runs_at_min = 0, all.jumps_to_min = 0;
  if (high > top) all.max = high, all.at_max = all.longest_at_max = all.runs_at_max = 0, all.jumps_to_max = 0;
  for (const auto& [v, count] : {std::pair(bottom, at_bottom), std::pair(top, at_top)}) {
    if (v <= all.min || v >= all.max) continue;
    if (v < all.near_min) all.near_min = v, all.at_near_min = count;
    if (v > all.near_max) all.near_max = v, all.at_near_max = count;
  }
  std::size_t behind = 0;  // Of the last sample at a rail.
  if (low <= all.near_min || high >= all.near_max)
    for (std::size_t i = next_extreme(x, 0, all.near_min, all.near_max); i < x.size();
         i = next_extreme(x, behind, all.near_min, all.near_max)) {
      const double v = x[i];
      const std::size_t end = end_of_equal(x, i);
      const auto count = static_cast<std::int64_t>(end - i);
      const bool at_min = v == all.min, at_max = v == all.max;
      if (i != behind) all.run = 0;
      behind = end;
      if (!at_min && !at_max) {
        all.run = 0;
        if (v < all.near_min) all.near_min = v, all.at_near_min = 0;
        if (v > all.near_max) all.near_max = v, all.at_near_max = 0;
        all.at_near_min += v == all.near_min ? count : 0, all.at_near_max += v == all.near_max ? count : 0;
        continue;
      }
      all.at_min += at_min ? count : 0;
      all.at_max += at_max ? count : 0;
      const std::int64_t before = all.run > 0 && v == all.run_value ? all.run : 0;
      all.run = before + count, all.run_value = v;
      if (before == 0) all.run_leads = all.n == 0 && i == 0, all.jump = i > 0 ? std::abs(v - x[i - 1]) : 0;
      if (before < 4 && all.run >= 4 && !all.run_leads) {
        ++(at_min ? all.runs_at_min : all.runs_at_max);
        (at_min ? all.jumps_to_min : all.jumps_to_max) += all.jump;
      }
      if (at_min) all.longest_at_min = std::max(all.longest_at_min, all.run);
      if (at_max) all.longest_at_max = std::max(all.longest_at_max, all.run);
    }
  if (behind != x.size()) all.run = 0;
  const double na = all.n, n = na + nb, d = mean - all.mean;
  const double a2 = all.m2, a3 = all.m3;
  all.m4 += m4 + d * d * d * d * na * nb * (na * na - na * nb + nb * nb) / (n * n * n) +
            6 * d * d * (na * na * m2 + nb * nb * a2) / (n * n) + 4 * d * (na * m3 - nb * a3) / n;
  all.m3 += m3 + d * d * d * na * nb * (na - nb) / (n * n) + 3 * d * (na * m2 - nb * a2) / n;
  all.m2 += m2 + d * d * na * nb / n;
  all.mean += d * nb / n;
  all.n = n;
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
    const bool open = all.run >= 4 && !all.run_leads, open_low = open && all.run_value == all.min;
    // A sine that tops out in steps is at its highest step no longer than 1 / (sqrt(2) - 1) = 2.4 times as
    // long as at the next; a rail is met on a slope.
    constexpr std::int64_t rest = 4;
    const bool rail_low = all.at_min >= rest * all.at_near_min,
               rail_high = all.at_max >= rest * all.at_near_max;
    s.rail_runs = (rail_low ? all.runs_at_min - (open_low ? 1 : 0) : 0) +
                  (rail_high ? all.runs_at_max - (open && !open_low ? 1 : 0) : 0);
    const auto jump = [](double sum, std::int64_t runs) {
      return runs > 0 ? sum / static_cast<double>(runs) : 0;
    };
    s.jump_to_min = rail_low ? jump(all.jumps_to_min, all.runs_at_min) : 0;
    s.jump_to_max = rail_high ? jump(all.jumps_to_max, all.runs_at_max) : 0;
    s.missing = all.missing, s.zero_tail = all.zero_tail;
    s.kurtosis = all.m2 > 0 ? all.n * all.m4 / (all.m2 * all.m2) : 0;
    s.at_min = all.at_min, s.at_max = all.at_max;
    s.longest_rail = std::max(rail_low ? all.longest_at_min : 0, rail_high ? all.longest_at_max : 0);
    if (out.size() < timed_.size() && timed_[out.size()].uneven()) {
      const Timed& t = timed_[out.size()];
      const double e = t.s1 / t.time, m2 = std::max(0.0, t.s2 / t.time - e * e);
      const double m3 = t.s3 / t.time - 3 * e * t.s2 / t.time + 2 * e * e * e;
      const double m4 = t.s4 / t.time - 4 * e * t.s3 / t.time + 6 * e * e * t.s2 / t.time - 3 * e * e * e * e;
      s.mean = t.centre + e, s.std = std::sqrt(m2);
      s.rms = std::hypot(s.mean, s.std);
      s.crest = s.rms > 0 ? std::max(std::abs(s.min), std::abs(s.max)) / s.rms : 0;
      s.skewness = m2 > 0 ? m3 / std::pow(m2, 1.5) : 0;
      s.kurtosis = m2 > 0 ? m4 / (m2 * m2) : 0;
    }
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

void OutlineEstimator::add(std::size_t channel, std::span<const double> x, std::span<const double> stamps) {
  Outline& o = outlines_[channel];
  for (std::size_t n = 0; n < x.size();) {
    const auto used = static_cast<std::size_t>(o.samples % o.samples_per_stretch);
    if (used == 0) {
      if (o.low.size() == most) {
        join_neighbours(o);
        continue;
      }
      o.low.push_back(x[n]);
      o.high.push_back(x[n]);
      if (!stamps.empty()) o.at.push_back(stamps[n]);
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

void OutlineEstimator::add(const Block& block) {
  for (std::size_t c = 0; c < outlines_.size(); ++c)
    add(c, block.samples(c), block.stamped() ? block.stamps() : std::span<const double>());
}

}  // namespace vprism
