// lanes.h: four or eight doubles worked on side by side, for hot loops that the compiler does not widen by
// itself.
//
// The vector extension that GCC and Clang share: one wide register or several narrow ones, with the same
// result to the last bit. Use it inside a function marked VPRISM_WIDE (clones.h).
#pragma once

#include <cmath>
#include <cstddef>
#include <cstring>

namespace vprism {

/// Four doubles. Arithmetic and comparison are lane by lane; `mask ? a : b` chooses lane by lane.
typedef double Four __attribute__((vector_size(32)));

/// Eight doubles.
typedef double Eight __attribute__((vector_size(64)));

// Out by reference: a Four handed back by value would change the calling convention between targets.

/// The four doubles at `from`, of any alignment.
[[gnu::always_inline]] inline void load(const double* from, Four& out) {
  std::memcpy(&out, from, sizeof out);
}
[[gnu::always_inline]] inline void load(const double* from, Eight& out) {
  std::memcpy(&out, from, sizeof out);
}
/// Lane by lane into the lower of both; a NaN in `x` never wins.
[[gnu::always_inline]] inline void lower(const Four& x, Four& into) { into = x < into ? x : into; }
/// Lane by lane into the higher of both; a NaN in `x` never wins.
[[gnu::always_inline]] inline void raise(const Four& x, Four& into) { into = x > into ? x : into; }

/// The four lanes added up in a fixed order.
[[gnu::always_inline]] inline double total(const Four& x) { return (x[0] + x[1]) + (x[2] + x[3]); }
[[gnu::always_inline]] inline double total(const Eight& x) {
  // Half to half: lane by lane the compiler would take each out by itself.
  typedef double Two __attribute__((vector_size(16)));
  const Four four = __builtin_shufflevector(x, x, 0, 1, 2, 3) + __builtin_shufflevector(x, x, 4, 5, 6, 7);
  const Two two = __builtin_shufflevector(four, four, 0, 1) + __builtin_shufflevector(four, four, 2, 3);
  return two[0] + two[1];
}
[[gnu::always_inline]] inline double lowest(const Four& x) {
  const double a = x[1] < x[0] ? x[1] : x[0], b = x[3] < x[2] ? x[3] : x[2];
  return b < a ? b : a;
}
[[gnu::always_inline]] inline double highest(const Four& x) {
  const double a = x[1] > x[0] ? x[1] : x[0], b = x[3] > x[2] ? x[3] : x[2];
  return b > a ? b : a;
}

}  // namespace vprism
