// tapers.cpp: see tapers.h.
//
// The sequences are eigenvectors of the symmetric tridiagonal matrix with diagonal ((N-1-2n)/2)^2 cos(2 pi W)
// and neighbours n (N-n)/2, W = half_bandwidth / N. The largest eigenvalues are found by bisection on the
// number of sign changes (Sturm), the vectors by inverse iteration.
#include "transform/windows/tapers.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

namespace {

struct Tridiagonal {
  std::vector<double> diagonal, beside;  ///< beside[n] joins n - 1 and n.

  /// Eigenvalues above x.
  std::size_t above(double x) const {
    std::size_t count = 0;
    double pivot = diagonal[0] - x;
    for (std::size_t n = 0;;) {
      if (pivot > 0) ++count;
      if (++n == diagonal.size()) return count;
      if (pivot == 0) pivot = 1e-300;
      pivot = diagonal[n] - x - beside[n] * beside[n] / pivot;
    }
  }

  /// The eigenvalue number k from the largest.
  double value(std::size_t k) const {
    double low = 1e300, high = -1e300;
    for (std::size_t n = 0; n < diagonal.size(); ++n) {
      const double reach =
          (n > 0 ? std::abs(beside[n]) : 0) + (n + 1 < diagonal.size() ? std::abs(beside[n + 1]) : 0);
      low = std::min(low, diagonal[n] - reach);
      high = std::max(high, diagonal[n] + reach);
    }
    for (int i = 0; i < 200 && high - low > 1e-15 * (std::abs(low) + std::abs(high)); ++i) {
      const double middle = (low + high) / 2;
      (above(middle) > k ? low : high) = middle;
    }
    return (low + high) / 2;
  }

  /// Solves (T - x) v = right by elimination with interchange of rows.
  void solve(double x, std::vector<double>& v) const {
    const std::size_t size = diagonal.size();
    std::vector<double> a(size), b(size, 0.0),
        c(size, 0.0);  // Three bands above each other after elimination.
    double now = diagonal[0] - x, next = size > 1 ? beside[1] : 0;
    for (std::size_t n = 0; n + 1 < size; ++n) {
      const double under = beside[n + 1], middle = diagonal[n + 1] - x,
                   over = n + 2 < size ? beside[n + 2] : 0;
      if (std::abs(now) >= std::abs(under)) {
        if (now == 0) now = 1e-300;
        const double factor = under / now;
        a[n] = now, b[n] = next;
        v[n + 1] -= factor * v[n];
        now = middle - factor * next, next = over;
      } else {
        const double factor = now / under;
        a[n] = under, b[n] = middle, c[n] = over;
        std::swap(v[n], v[n + 1]);
        v[n + 1] -= factor * v[n];
        now = next - factor * middle, next = -factor * over;
      }
    }
    a[size - 1] = now == 0 ? 1e-300 : now;
    for (std::size_t n = size; n-- > 0;)
      v[n] = (v[n] - (n + 1 < size ? b[n] * v[n + 1] : 0) - (n + 2 < size ? c[n] * v[n + 2] : 0)) / a[n];
  }
};

void normalise(std::vector<double>& v) {
  double square = 0;
  for (const double x : v) square += x * x;
  for (double& x : v) x /= std::sqrt(square);
}

}  // namespace

std::vector<std::vector<double>> prolate_tapers(std::size_t size, double half_bandwidth, std::size_t count) {
  Tridiagonal matrix;
  const auto all = static_cast<double>(size);
  // Scaled by 4 / N^2, so that the eigenvalues are near 1.
  for (std::size_t n = 0; n < size; ++n) {
    const auto at = static_cast<double>(n);
    const double middle = (all - 1 - 2 * at) / all;
    matrix.diagonal.push_back(middle * middle * std::cos(2 * std::numbers::pi * half_bandwidth / all));
    matrix.beside.push_back(2 * at * (all - at) / (all * all));
  }
  std::vector<std::vector<double>> tapers(count);
  oneapi::tbb::parallel_for(std::size_t{0}, count, [&](std::size_t k) {
    const double value = matrix.value(k);
    std::vector<double>& v = tapers[k];
    v.resize(size);
    // Symmetric and antisymmetric in turn: the other kind is not in what iteration starts from.
    for (std::size_t n = 0; n < size; ++n) {
      const double middle = (2 * static_cast<double>(n) + 1) / all - 1;
      v[n] = k % 2 == 0 ? 1 : middle;
    }
    for (int i = 0; i < 4; ++i) matrix.solve(value, v), normalise(v);
    double sum = 0;
    for (std::size_t n = 0; n < size; ++n)
      sum += k % 2 == 0 ? v[n] : v[n] * (all / 2 - static_cast<double>(n));
    if (sum < 0)
      for (double& x : v) x = -x;
  });
  return tapers;
}

double taper_concentration(const std::vector<double>& taper, double half_bandwidth) {
  // Sum over lags of the autocorrelation times sin(2 pi W lag) / (pi lag).
  const std::size_t size = taper.size();
  const double w = half_bandwidth / static_cast<double>(size);
  double sum = 0;
  for (std::size_t lag = 0; lag < size; ++lag) {
    double r = 0;
    for (std::size_t n = 0; n + lag < size; ++n) r += taper[n] * taper[n + lag];
    const auto m = static_cast<double>(lag);
    sum += lag == 0 ? 2 * w * r : 2 * r * std::sin(2 * std::numbers::pi * w * m) / (std::numbers::pi * m);
  }
  return sum;
}

}  // namespace vprism
