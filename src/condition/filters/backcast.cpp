// backcast.cpp: see backcast.h.
//
// Burg's recursion: reflection k = -2 sum f(n) b(n-1) / sum (f(n)^2 + b(n-1)^2), |k| <= 1; forward and
// backward errors f and b; coefficients a by Levinson. Backward prediction is forward prediction of the
// reversed series, whose coefficients are the same.
#include "condition/filters/backcast.h"

#include <algorithm>
#include <cmath>

namespace vprism {

std::vector<double> backcast(const std::vector<double>& x, std::size_t count) {
  std::vector<double> out(count, 0.0);
  if (x.empty()) return out;
  double mean = 0, all = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) all += (v - mean) * (v - mean);
  std::vector<double> a = {1};
  if (x.size() >= 8 && all > 0) {
    const std::size_t order = std::min<std::size_t>(32, x.size() / 3);
    std::vector<double> f(x.size()), b(x.size());
    for (std::size_t n = 0; n < x.size(); ++n) f[n] = b[n] = x[n] - mean;
    for (std::size_t m = 1; m <= order; ++m) {
      double both = 0, each = 0;
      for (std::size_t n = m; n < x.size(); ++n)
        both += f[n] * b[n - 1], each += f[n] * f[n] + b[n - 1] * b[n - 1];
      // What is predicted to rounding needs no more terms.
      if (!(each > 1e-20 * all)) break;
      const double k = -2 * both / each;
      std::vector<double> next(m + 1, 0.0);
      for (std::size_t i = 0; i <= m; ++i) next[i] = (i < m ? a[i] : 0) + k * (i > 0 ? a[m - i] : 0);
      a = std::move(next);
      for (std::size_t n = x.size() - 1; n >= m; --n) {
        const double forward = f[n];
        f[n] += k * b[n - 1];
        b[n] = b[n - 1] + k * forward;
      }
    }
  }
  // Backwards: each from those after it.
  const auto at = [&](std::size_t n) { return n < count ? out[n] : x[n - count] - mean; };
  for (std::size_t n = count; n-- > 0;) {
    double sum = 0;
    for (std::size_t i = 1; i < a.size(); ++i) sum -= a[i] * at(n + i);
    out[n] = std::abs(sum) < 1e-300 ? 0 : sum;
  }
  for (double& v : out) v += mean;
  return out;
}

}  // namespace vprism
