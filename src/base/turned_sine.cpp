// turned_sine.cpp: see turned_sine.h.
#include "base/turned_sine.h"

#include <algorithm>
#include <cmath>

#include "base/machine/clones.h"

namespace vprism {

namespace {

VPRISM_WIDE void turn(const double* c, const double* s, double by_c, double by_s, std::size_t count,
                      double* out_c, double* out_s) {
  for (std::size_t k = 0; k < count; ++k) {
    out_c[k] = by_c * c[k] - by_s * s[k];
    out_s[k] = by_c * s[k] + by_s * c[k];
  }
}

VPRISM_WIDE void add_both(const double* c, const double* s, double a, double b, std::size_t count,
                          double* x) {
  for (std::size_t k = 0; k < count; ++k) x[k] += a * c[k] + b * s[k];
}

}  // namespace

TurnedSine::TurnedSine(double w, double decay) : w_(w), decay_(decay) {
  c_[0] = 1, s_[0] = 0;
  // Each half of the table is the one before, turned: so errors grow with the halvings, not with the samples.
  for (std::size_t half = 1; half < block; half *= 2) {
    const Phase by = at(static_cast<double>(half));
    turn(c_.data(), s_.data(), by.c, by.s, half, c_.data() + half, s_.data() + half);
  }
}

TurnedSine::Phase TurnedSine::at(double t) const {
  const double size = decay_ == 0 ? 1 : std::exp(std::clamp(-decay_ * t, -600.0, 600.0));
  return {size * std::cos(w_ * t), size * std::sin(w_ * t)};
}

void TurnedSine::fill(double t, std::size_t count, double* cosines, double* sines) const {
  const Phase start = at(t);
  turn(c_.data(), s_.data(), start.c, start.s, count, cosines, sines);
}

void TurnedSine::add(double t, double a, double b, std::size_t count, double* x) const {
  const Phase start = at(t);
  add_both(c_.data(), s_.data(), a * start.c + b * start.s, b * start.c - a * start.s, count, x);
}

}  // namespace vprism
