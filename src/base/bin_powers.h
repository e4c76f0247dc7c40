// bin_powers.h: |X|^2 of the bins of a transform, put to what is kept of others. `parts` are real and
// imaginary parts in turn.
#pragma once

#include <cstddef>

namespace vprism {

void add_powers(const double* parts, std::size_t bins, double* into);
void highest_powers(const double* parts, std::size_t bins, double* into);
void lowest_powers(const double* parts, std::size_t bins, double* into);
/// |X| instead.
void add_amplitudes(const double* parts, std::size_t bins, double* into);
/// A `share` of the way from what is kept to these.
void fade_powers(const double* parts, std::size_t bins, double share, double* into);

}  // namespace vprism
