// dot.h: sums in lanes, and products: sums of them, one or four at a time (four together load less and wait
// less), and complex ones.
#pragma once

#include <complex>
#include <cstddef>
#include <span>

namespace vprism {

/// sum x[i]
double sum_of(const double* x, std::size_t count);
/// sum (x[i] - about)^2
double squares_about(const double* x, std::size_t count, double about);
/// Mean square about the mean; 0 of none.
double variance_of(std::span<const double> x);
/// sum a[i] b[i]
double dot(const double* a, const double* b, std::size_t count);
/// out[j] = sum taps[i] x[j stride + i] for j = 0 .. 3.
void four_dots(const double* taps, const double* x, std::size_t stride, std::size_t count, double* out);

/// y[k] times by[k], written out: the products of std::complex look after infinities one by one.
void multiply(const std::complex<double>* by, std::size_t count, std::complex<double>* y);

}  // namespace vprism
