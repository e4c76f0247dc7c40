// field_kernels.cpp: see field_kernels.h.
#include "field/field_kernels.h"

#include <algorithm>
#include <cstring>

#include "base/dot.h"
#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

/// Four frames of four series that lie side by side.
[[gnu::always_inline]] inline void turn_four(const double* from, std::size_t row, double* to,
                                             std::size_t step) {
  Four a, b, c, d;
  load(from, a), load(from + row, b), load(from + 2 * row, c), load(from + 3 * row, d);
  const Four ab = __builtin_shufflevector(a, b, 0, 4, 2, 6), ba = __builtin_shufflevector(a, b, 1, 5, 3, 7),
             cd = __builtin_shufflevector(c, d, 0, 4, 2, 6), dc = __builtin_shufflevector(c, d, 1, 5, 3, 7);
  const Four out[4] = {
      __builtin_shufflevector(ab, cd, 0, 1, 4, 5), __builtin_shufflevector(ba, dc, 0, 1, 4, 5),
      __builtin_shufflevector(ab, cd, 2, 3, 6, 7), __builtin_shufflevector(ba, dc, 2, 3, 6, 7)};
  for (std::size_t s = 0; s < 4; ++s) std::memcpy(to + s * step, &out[s], sizeof out[s]);
}

/// Fours of neighbouring series, eight frames at a time, so that every line of the cache is filled at once.
/// Rows are far apart: what is needed soon is asked for early.
VPRISM_WIDE void turn_fours(const double* from, std::size_t row, std::size_t fours, std::size_t frames,
                            double* to, std::size_t step) {
  constexpr std::size_t ahead = 24;
  std::size_t n = 0;
  for (; n + 8 <= frames; n += 8) {
    if (n + ahead + 8 <= frames)
      for (std::size_t r = 0; r < 8; ++r)
        for (std::size_t s = 0; s < 4 * fours; s += 8) __builtin_prefetch(from + (n + ahead + r) * row + s);
    for (std::size_t s = 0; s < 4 * fours; s += 4)
      for (const std::size_t g : {0u, 4u})
        turn_four(from + (n + g) * row + s, row, to + s * step + n + g, step);
  }
  for (; n < frames; ++n)
    for (std::size_t s = 0; s < 4 * fours; ++s) to[s * step + n] = from[n * row + s];
}

template <std::size_t series>
[[gnu::always_inline]] inline void weigh_some(const double* const* x, const double* mean,
                                              const double* window, std::size_t frames, double* in_time,
                                              double* out, std::size_t step, double* squares) {
  Eight sums[series] = {}, w, t, v;
  std::size_t n = 0;
  for (; n + 8 <= frames; n += 8) {
    load(window + n, w), load(in_time + n, t);
    for (std::size_t s = 0; s < series; ++s) {
      load(x[s] + n, v);
      v -= mean[s];
      const Eight square = v * v;
      sums[s] += square, t += square, v *= w;
      std::memcpy(out + s * step + n, &v, sizeof v);
    }
    std::memcpy(in_time + n, &t, sizeof t);
  }
  for (std::size_t s = 0; s < series; ++s) squares[s] = total(sums[s]);
  for (; n < frames; ++n)
    for (std::size_t s = 0; s < series; ++s) {
      const double value = x[s][n] - mean[s];
      squares[s] += value * value, in_time[n] += value * value;
      out[s * step + n] = value * window[n];
    }
}

VPRISM_WIDE void weigh_one(const double* const* x, const double* mean, const double* window,
                           std::size_t frames, double* in_time, double* out, std::size_t step,
                           double* squares) {
  weigh_some<1>(x, mean, window, frames, in_time, out, step, squares);
}
VPRISM_WIDE void weigh_four(const double* const* x, const double* mean, const double* window,
                            std::size_t frames, double* in_time, double* out, std::size_t step,
                            double* squares) {
  weigh_some<4>(x, mean, window, frames, in_time, out, step, squares);
}

template <std::size_t series>
[[gnu::always_inline]] inline void fold_some(const double* x, std::size_t step, const double* scale,
                                             std::size_t bins, const double* points, double* sum, double* top,
                                             double* whose, double* power, std::size_t power_step) {
  std::size_t k = 0;
  for (; k + 4 <= bins; k += 4) {
    Four factor, sums, tops, owner;
    load(scale + k, factor), load(sum + k, sums), load(top + k, tops), load(whose + k, owner);
    for (std::size_t s = 0; s < series; ++s) {
      Four a, b;
      load(x + 2 * (s * step + k), a), load(x + 2 * (s * step + k) + 4, b);
      a *= a, b *= b;
      const Four p =
          (__builtin_shufflevector(a, b, 0, 2, 4, 6) + __builtin_shufflevector(a, b, 1, 3, 5, 7)) * factor;
      std::memcpy(power + s * power_step + k, &p, sizeof p);
      sums += p;
      const Four own = {points[s], points[s], points[s], points[s]};
      owner = p > tops ? own : owner;
      raise(p, tops);
    }
    std::memcpy(sum + k, &sums, sizeof sums), std::memcpy(top + k, &tops, sizeof tops);
    std::memcpy(whose + k, &owner, sizeof owner);
  }
  for (; k < bins; ++k)
    for (std::size_t s = 0; s < series; ++s) {
      const double *const value = x + 2 * (s * step + k),
                          p = (value[0] * value[0] + value[1] * value[1]) * scale[k];
      power[s * power_step + k] = p;
      sum[k] += p;
      if (p > top[k]) whose[k] = points[s], top[k] = p;
    }
}

VPRISM_WIDE void fold_one(const double* x, std::size_t step, const double* scale, std::size_t bins,
                          const double* points, double* sum, double* top, double* whose, double* power,
                          std::size_t power_step) {
  fold_some<1>(x, step, scale, bins, points, sum, top, whose, power, power_step);
}
VPRISM_WIDE void fold_four(const double* x, std::size_t step, const double* scale, std::size_t bins,
                           const double* points, double* sum, double* top, double* whose, double* power,
                           std::size_t power_step) {
  fold_some<4>(x, step, scale, bins, points, sum, top, whose, power, power_step);
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

void gather_series(const SeriesView& view, const std::size_t* series, std::size_t count, std::size_t at,
                   std::size_t every, std::size_t frames, double* out, std::size_t step) {
  const std::size_t row = view.number_step * every;
  const double* const from = view.values + at * view.number_step;
  for (std::size_t i = 0; i < count;) {
    std::size_t together = 1;
    while (i + together < count && series[i + together] == series[i] + together) ++together;
    const std::size_t fours = view.series_step == 1 ? together / 4 : 0;
    const double* const first = from + series[i] * view.series_step;
    if (fours > 0) {
      turn_fours(first, row, fours, frames, out + i * step, step);
      i += 4 * fours;
      continue;
    }
    for (std::size_t n = 0; n < frames; ++n) out[i * step + n] = first[n * row];
    ++i;
  }
}

void weigh_series(const double* const* x, const double* mean, std::size_t series, const double* window,
                  std::size_t frames, double* in_time, double* out, std::size_t step, double* squares) {
  (series == 4 ? weigh_four : weigh_one)(x, mean, window, frames, in_time, out, step, squares);
}

void fold_transforms(const std::complex<double>* x, std::size_t step, std::size_t series, const double* scale,
                     std::size_t bins, const double* points, double* sum, double* top, double* whose,
                     double* power, std::size_t power_step, double* most, std::size_t* most_at) {
  (series == 4 ? fold_four : fold_one)(reinterpret_cast<const double*>(x), step, scale, bins, points, sum,
                                       top, whose, power, power_step);
  for (std::size_t s = 0; s < series; ++s) {
    const double* const own = power + s * power_step;
    most[s] = greatest(own + 1, bins - 1);
    most_at[s] = static_cast<std::size_t>(std::find(own + 1, own + bins, most[s]) - own);
  }
}

void weigh_with(const FactorRows& factors, const double* x, std::size_t step, std::size_t series,
                std::size_t count, double* out) {
  // Stretches so short that four series' stay near the core from factor to factor. Of one series four rows
  // of factors go together instead.
  constexpr std::size_t stretch = 512;
  std::fill_n(out, (factors.rows + 3) / 4 * 16, 0.0);
  for (std::size_t n = 0; n < count; n += stretch) {
    const std::size_t some = std::min(stretch, count - n);
    double part[4];
    for (std::size_t f = 0; f < factors.rows; f += series == 4 ? 1 : 4) {
      const double* const row = factors.values + f * factors.step + n;
      if (series == 4)
        four_dots(row, x + n, step, some, part);
      else
        four_dots(x + n, row, factors.step, some, part);
      for (std::size_t i = 0; i < 4; ++i) out[4 * f + (series == 4 ? i : 4 * i)] += part[i];
    }
  }
}

}  // namespace vprism
