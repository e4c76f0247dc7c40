// field_kernels.h: the inner loops over series of frames and over their transforms, of one series or of four
// at a time: four share what is loaded for all (window, sums, factors). The numbers are the same to the last
// bit however series are put together.
#pragma once

#include <complex>
#include <cstddef>

#include "signal/points.h"

namespace vprism {

/// Series `first` .. first + count - 1 of frames `at`, at + every, ...: out[s * step + n], n = 0 .. frames
/// - 1. `series[i]` is the number of the i-th in the view; null: i itself.
void gather_series(const SeriesView& view, const std::size_t* series, std::size_t count, std::size_t at,
                   std::size_t every, std::size_t frames, double* out, std::size_t step);

/// Takes its mean off each of `series` (1 or 4) series, adds the squares to `in_time`, in order, and weighs:
/// out[s * step + n] = (x[s][n] - mean[s]) window[n]. Into squares[s]: the sum of the squares.
void weigh_series(const double* const* x, const double* mean, std::size_t series, const double* window,
                  std::size_t frames, double* in_time, double* out, std::size_t step, double* squares);

/// Scaled squares of 1 or 4 transforms: power[s * power_step + k] = |x[s * step + k]|^2 scale[k], added up in
/// order in `sum`, and the greatest in `top` with whose it is (points as doubles, so that lanes are alike).
/// most[s] is the greatest of each but at k = 0, most_at[s] its first place.
void fold_transforms(const std::complex<double>* x, std::size_t step, std::size_t series, const double* scale,
                     std::size_t bins, const double* points, double* sum, double* top, double* whose,
                     double* power, std::size_t power_step, double* most, std::size_t* most_at);

/// Rows of factors, all of one length; behind the last are rows of zeros up to a multiple of four.
struct FactorRows {
  const double* values = nullptr;
  std::size_t step = 0, rows = 0;
};

/// out[4 f + s] = sum of x[s * step + n] times row f of the factors at n, of 1 or 4 series.
void weigh_with(const FactorRows& factors, const double* x, std::size_t step, std::size_t series,
                std::size_t count, double* out);

}  // namespace vprism
