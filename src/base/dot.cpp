// dot.cpp: see dot.h. Each sum has lanes of its own, added up in a fixed order.
#include "base/dot.h"

#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

VPRISM_WIDE void dot_in_lanes(const double* a, const double* b, std::size_t count, double& out) {
  Eight s = {}, t = {}, p, x;
  std::size_t i = 0;
  for (; i + 16 <= count; i += 16) {
    load(a + i, p), load(b + i, x), s += p * x;
    load(a + i + 8, p), load(b + i + 8, x), t += p * x;
  }
  for (; i + 8 <= count; i += 8) load(a + i, p), load(b + i, x), s += p * x;
  double sum = total(s) + total(t);
  for (; i < count; ++i) sum += a[i] * b[i];
  out = sum;
}

VPRISM_WIDE void add_up(const double* x, std::size_t count, double& out) {
  Eight s = {}, t = {}, p;
  std::size_t i = 0;
  for (; i + 16 <= count; i += 16) {
    load(x + i, p), s += p;
    load(x + i + 8, p), t += p;
  }
  double sum = total(s) + total(t);
  for (; i < count; ++i) sum += x[i];
  out = sum;
}

VPRISM_WIDE void add_squares_up(const double* x, std::size_t count, double about, double& out) {
  Eight s = {}, t = {}, p;
  const Eight c = {about, about, about, about, about, about, about, about};
  std::size_t i = 0;
  for (; i + 16 <= count; i += 16) {
    load(x + i, p), p -= c, s += p * p;
    load(x + i + 8, p), p -= c, t += p * p;
  }
  double sum = total(s) + total(t);
  for (; i < count; ++i) sum += (x[i] - about) * (x[i] - about);
  out = sum;
}

VPRISM_WIDE void four_strides(const double* taps, const double* x, std::size_t stride, std::size_t count,
                              double* out) {
  const double *const x1 = x + stride, *const x2 = x1 + stride, *const x3 = x2 + stride;
  Eight s = {}, t = {}, u = {}, v = {}, h, p;
  std::size_t i = 0;
  for (; i + 8 <= count; i += 8) {
    load(taps + i, h);
    load(x + i, p), s += h * p;
    load(x1 + i, p), t += h * p;
    load(x2 + i, p), u += h * p;
    load(x3 + i, p), v += h * p;
  }
  double a = total(s), b = total(t), c = total(u), d = total(v);
  for (; i < count; ++i)
    a += taps[i] * x[i], b += taps[i] * x1[i], c += taps[i] * x2[i], d += taps[i] * x3[i];
  out[0] = a, out[1] = b, out[2] = c, out[3] = d;
}

VPRISM_WIDE void complex_products(const double* by, std::size_t count, double* y) {
  for (std::size_t k = 0; k < 2 * count; k += 2) {
    const double re = y[k] * by[k] - y[k + 1] * by[k + 1], im = y[k] * by[k + 1] + y[k + 1] * by[k];
    y[k] = re, y[k + 1] = im;
  }
}

}  // namespace

double sum_of(const double* x, std::size_t count) {
  double out;
  add_up(x, count, out);
  return out;
}

double squares_about(const double* x, std::size_t count, double about) {
  double out;
  add_squares_up(x, count, about, out);
  return out;
}

double dot(const double* a, const double* b, std::size_t count) {
  double out;
  dot_in_lanes(a, b, count, out);
  return out;
}

void four_dots(const double* taps, const double* x, std::size_t stride, std::size_t count, double* out) {
  four_strides(taps, x, stride, count, out);
}

void multiply(const std::complex<double>* by, std::size_t count, std::complex<double>* y) {
  complex_products(reinterpret_cast<const double*>(by), count, reinterpret_cast<double*>(y));
}

double variance_of(std::span<const double> x) {
  if (x.empty()) return 0;
  const auto n = static_cast<double>(x.size());
  return squares_about(x.data(), x.size(), sum_of(x.data(), x.size()) / n) / n;
}

}  // namespace vprism
