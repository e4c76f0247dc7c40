// transfer_rounding.cpp: what is lost where a curve was printed with few digits.
#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

#include "identify/responses/transfer.h"

namespace vprism {

namespace {

/// The coarsest power of ten of which all numbers are multiples: how finely they were printed. 0 where there
/// is none above 1e-8, or too few different numbers to tell.
double printed_step(const std::vector<double>& numbers) {
  constexpr std::size_t fewest_different = 8;
  if (std::set<double>(numbers.begin(), numbers.end()).size() < fewest_different) return 0;
  for (int digits = 0; digits <= 7; ++digits) {
    const double step = std::pow(10.0, -digits);
    const bool all = std::all_of(numbers.begin(), numbers.end(), [&](double x) {
      return std::abs(x - step * std::round(x / step)) <= 1e-6 * step + 1e-13 * std::abs(x);
    });
    if (all) return step;
  }
  return 0;
}

}  // namespace

std::vector<double> rounding_of(const TransferCurve& curve) {
  const double of_a_step = 1 / std::sqrt(12.0);
  std::vector<double> size, decibels, degrees, real, imaginary, out;
  for (const std::complex<double>& v : curve.value) {
    size.push_back(std::abs(v)), decibels.push_back(20 * std::log10(std::max(std::abs(v), 1e-300)));
    degrees.push_back(std::arg(v) * 180 / std::numbers::pi);
    real.push_back(v.real()), imaginary.push_back(v.imag());
  }
  const double by_size = printed_step(size), by_decibels = printed_step(decibels),
               by_degrees = printed_step(degrees), by_real = printed_step(real),
               by_imaginary = printed_step(imaginary);
  for (const double s : size) {
    const double relative = s > 0 ? 1 / s : 0;
    const double radial = by_size > 0       ? by_size * relative
                          : by_decibels > 0 ? by_decibels * std::numbers::ln10 / 20
                                            : 0;
    // A curve without phases has none that was printed.
    const double turned = by_degrees * std::numbers::pi / 180,
                 parts = by_real > 0 && by_imaginary > 0 ? std::max(by_real, by_imaginary) * relative : 0;
    out.push_back(of_a_step * std::max({radial, turned, parts}));
  }
  return out;
}

}  // namespace vprism
