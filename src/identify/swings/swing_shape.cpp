// swing_shape.cpp: which known shape a swing's orders are most like.
#include <cmath>
#include <numbers>

#include "identify/swings/course_fit.h"

namespace vprism {

using std::numbers::pi;

Swing name_shape(std::span<const std::complex<double>> orders) {
  struct Shape {
    const char* name;
    double peak;  ///< Over the amplitude of its first order.
    std::complex<double> (*order)(int n);
  };
  // Orders of shapes whose first order is a cosine.
  static const Shape shapes[] = {
      {"sine", 1, [](int n) { return std::complex<double>(n == 1 ? 1 : 0); }},
      {"triangle", pi * pi / 8, [](int n) { return std::complex<double>(n % 2 == 1 ? 1.0 / (n * n) : 0); }},
      {"square", pi / 4,
       [](int n) { return std::complex<double>(n % 2 == 1 ? (n % 4 == 1 ? 1.0 : -1.0) / n : 0); }},
      {"sawtooth up", pi / 2,
       [](int n) { return std::polar(1.0 / n, (n - 1) * pi / 2 + (n % 2 == 0 ? pi : 0)); }},
      {"sawtooth down", pi / 2, [](int n) { return std::polar(1.0 / n, (n - 1) * pi / 2); }}};
  Swing out;
  out.fundamental = std::abs(orders[0]);
  out.phase_deg = std::arg(orders[0]) * 180 / pi;
  double square = 0;
  for (const auto& c : orders) square += std::norm(c);
  double best = -1;
  for (const Shape& shape : shapes) {
    double along = 0, norm = 0;
    for (std::size_t i = 0; i < orders.size(); ++i) {
      const int n = static_cast<int>(i) + 1;
      const std::complex<double> set = orders[i] * std::polar(1.0, -n * std::arg(orders[0]));
      const std::complex<double> t = shape.order(n);
      along += (set * std::conj(t)).real(), norm += std::norm(t);
    }
    const double likeness = square > 0 ? along / std::sqrt(norm * square) : 0;
    if (likeness <= best) continue;
    best = likeness;
    out.shape = shape.name, out.likeness = likeness, out.peak = shape.peak * out.fundamental;
  }
  if (out.likeness < 0.99) {
    // Half of the peak to peak of what its orders add up to.
    double low = 1e300, high = -1e300;
    for (int i = 0; i < 720; ++i) {
      double sum = 0;
      for (std::size_t k = 0; k < orders.size(); ++k)
        sum += (orders[k] * std::polar(1.0, 2 * pi * static_cast<double>(k + 1) * i / 720)).real();
      low = std::min(low, sum), high = std::max(high, sum);
    }
    out.shape = "irregular", out.peak = (high - low) / 2;
  }
  return out;
}

}  // namespace vprism
