// confidence.h: how far averaged noise may lie from its mean.
#pragma once

#include <utility>

namespace vprism {

/// Factors on a power between which the true one lies with probability `share`: averages worth `averages`
/// independent ones are distributed as chi square of 2 averages degrees of freedom.
std::pair<double, double> confidence_factors(double averages, double share);

}  // namespace vprism
