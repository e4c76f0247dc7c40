// angle_samples.h: samples at equal angles from samples at equal times.
#pragma once

#include <functional>
#include <span>
#include <vector>

namespace vprism {

/// x at the places `at(i)` (in samples, rising), each through a low pass at `share(i)` of half the rate (at
/// most 1): a sinc under Kaiser's window, 80 dB, that widens as the share falls. What lies beyond the ends
/// counts as nothing.
std::vector<double> sampled_at(std::span<const double> x, std::size_t count,
                               const std::function<double(std::size_t)>& at,
                               const std::function<double(std::size_t)>& share);

}  // namespace vprism
