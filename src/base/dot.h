// dot.h: sums of products, one or four at a time: four together load less and wait less.
#pragma once

#include <cstddef>

namespace vprism {

/// sum a[i] b[i]
double dot(const double* a, const double* b, std::size_t count);
/// out[j] = sum taps[i] x[j stride + i] for j = 0 .. 3.
void four_dots(const double* taps, const double* x, std::size_t stride, std::size_t count, double* out);

}  // namespace vprism
