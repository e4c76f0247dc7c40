// turned_sine.h: a sine that may decay, by blocks of samples. The turns within a block are the same in each:
// they are tabled once, and a block costs one sine and cosine, and two products a sample.
#pragma once

#include <array>
#include <cstddef>

namespace vprism {

/// exp(-decay n) cos(w n) and exp(-decay n) sin(w n), w and decay in radians and 1 per sample.
class TurnedSine {
 public:
  static constexpr std::size_t block = 256;
  explicit TurnedSine(double w, double decay = 0);
  /// Both for n = t .. t + count - 1, count at most `block`; t may be a half or below zero.
  void fill(double t, std::size_t count, double* cosines, double* sines) const;
  /// Adds a times the cosines and b times the sines to `x`.
  void add(double t, double a, double b, std::size_t count, double* x) const;

 private:
  struct Phase {
    double c, s;
  };
  Phase at(double t) const;

  double w_, decay_;
  std::array<double, block> c_, s_;
};

}  // namespace vprism
