// bin_powers.cpp: see bin_powers.h.
#include "base/bin_powers.h"

#include <cmath>
#include <cstring>

#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

/// |X|^2 of four bins, from real and imaginary parts in turn.
[[gnu::always_inline]] inline void four_powers(const double* parts, Four& out) {
  Eight p;
  load(parts, p);
  p *= p;
  out = __builtin_shufflevector(p, p, 0, 2, 4, 6) + __builtin_shufflevector(p, p, 1, 3, 5, 7);
}

/// One segment's |X|^2 into what is kept of the others.
template <typename Join>
[[gnu::always_inline]] inline void join_powers(const double* parts, std::size_t bins, double* into,
                                               Join join) {
  std::size_t k = 0;
  for (; k + 4 <= bins; k += 4) {
    Four p, kept;
    four_powers(parts + 2 * k, p);
    load(into + k, kept);
    join(p, kept);
    std::memcpy(into + k, &kept, sizeof kept);
  }
  for (; k < bins; ++k) {
    const double p = parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1];
    Four one = {p, p, p, p}, kept = {into[k], into[k], into[k], into[k]};
    join(one, kept);
    into[k] = kept[0];
  }
}

}  // namespace

VPRISM_WIDE void add_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { kept += p; });
}
VPRISM_WIDE void highest_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { raise(p, kept); });
}
VPRISM_WIDE void lowest_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { lower(p, kept); });
}
void add_amplitudes(const double* parts, std::size_t bins, double* into) {
  for (std::size_t k = 0; k < bins; ++k)
    into[k] += std::sqrt(parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1]);
}
VPRISM_WIDE void fade_powers(const double* parts, std::size_t bins, double share, double* into) {
  for (std::size_t k = 0; k < bins; ++k) {
    const double p = parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1];
    into[k] += share * (p - into[k]);
  }
}

}  // namespace vprism
