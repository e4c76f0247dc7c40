// straight_line.h: the straight line through samples at equal steps, by least squares.
#pragma once

#include <cstddef>
#include <span>

namespace vprism {

struct StraightLine {
  double mean = 0, slope = 0;  ///< At the middle of the samples; for each of them.
  double middle = 0;
  double at(std::size_t n) const { return mean + slope * (static_cast<double>(n) - middle); }
};

inline StraightLine straight_line(std::span<const double> x) {
  const auto n = static_cast<double>(x.size());
  StraightLine out{0, 0, (n - 1) / 2};
  for (std::size_t i = 0; i < x.size(); ++i)
    out.mean += x[i], out.slope += x[i] * (static_cast<double>(i) - out.middle);
  out.mean = n > 0 ? out.mean / n : 0;
  out.slope = n > 1 ? out.slope * 12 / (n * (n * n - 1)) : 0;
  return out;
}

}  // namespace vprism
