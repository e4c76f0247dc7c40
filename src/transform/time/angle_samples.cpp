// angle_samples.cpp: see angle_samples.h.
#include "transform/time/angle_samples.h"

#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "condition/filters/fir.h"

namespace vprism {

namespace {

/// Zero crossings of the sinc on either side, and entries of the table between two.
constexpr int crossings = 16, fine = 1024;

const std::vector<double>& kernel() {
  static const std::vector<double> table = [] {
    std::vector<double> out;
    const double beta = kaiser_beta(80);
    for (int i = 0; i <= crossings * fine + 1; ++i) {
      const double u = std::numbers::pi * i / fine;
      const double part = std::min(1.0, static_cast<double>(i) / (crossings * fine));
      out.push_back((i == 0 ? 1 : std::sin(u) / u) * kaiser_window(beta, part));
    }
    return out;
  }();
  return table;
}

}  // namespace

std::vector<double> sampled_at(std::span<const double> x, std::size_t count,
                               const std::function<double(std::size_t)>& at,
                               const std::function<double(std::size_t)>& share) {
  const std::vector<double>& table = kernel();
  std::vector<double> out(count);
  oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, count, 256), [&](const auto& range) {
    for (std::size_t i = range.begin(); i < range.end(); ++i) {
      const double place = at(i), pass = std::clamp(share(i), 1e-3, 1.0), reach = crossings / pass;
      const auto from = static_cast<std::ptrdiff_t>(std::max(0.0, std::ceil(place - reach))),
                 to = static_cast<std::ptrdiff_t>(
                     std::min(static_cast<double>(x.size()) - 1, std::floor(place + reach)));
      double sum = 0, weights = 0;
      for (std::ptrdiff_t n = from; n <= to; ++n) {
        const double u = std::abs(static_cast<double>(n) - place) * pass * fine;
        const auto low = static_cast<std::size_t>(u);
        const double h = table[low] + (u - static_cast<double>(low)) * (table[low + 1] - table[low]);
        sum += h * x[static_cast<std::size_t>(n)], weights += h;
      }
      // Inside, the weights add up to nearly 1 / pass; that they do so wholly keeps 0 Hz exact.
      const bool inside = place - reach >= 0 && place + reach <= static_cast<double>(x.size()) - 1;
      out[i] = sum * (inside && weights > 0 ? 1 / weights : pass);
    }
  });
  return out;
}

}  // namespace vprism
