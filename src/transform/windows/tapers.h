// tapers.h: discrete prolate spheroidal sequences, the windows of a multitaper spectrum.
#pragma once

#include <cstddef>
#include <vector>

namespace vprism {

/// The `count` sequences of `size` samples that keep most of their energy within +-half_bandwidth bins, best
/// first (Slepian 1978; tridiagonal eigenproblem after Percival & Walden 1993, section 8.3). Each has energy
/// 1; even ones have a positive sum, odd ones begin above zero. 2 count < size, half_bandwidth < size / 2.
std::vector<std::vector<double>> prolate_tapers(std::size_t size, double half_bandwidth, std::size_t count);

/// Share of a taper's energy within +-half_bandwidth bins.
double taper_concentration(const std::vector<double>& taper, double half_bandwidth);

}  // namespace vprism
