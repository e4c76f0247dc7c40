// turns.h: angles counted in turns, so that many of them lose nothing.
#pragma once

#include <cmath>
#include <complex>
#include <numbers>

namespace vprism {

inline constexpr double two_pi = 2 * std::numbers::pi;

/// The part of a turn that `count` times `each` turns leave over, between about 0 and 1; the product is
/// rounded only after whole turns are taken off.
inline double part_of_turn(double count, double each) {
  const double product = count * each;
  return std::fma(count, each, -product) + (product - std::floor(product));
}

/// exp(2 pi i turns)
inline std::complex<double> turned(double turns) {
  return std::polar(1.0, 2 * std::numbers::pi * (turns - std::round(turns)));
}

}  // namespace vprism
