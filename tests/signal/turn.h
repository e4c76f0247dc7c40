// turn.h: radians of a whole turn.
#pragma once

#include <numbers>

namespace vprism {

inline constexpr double turn = 2 * std::numbers::pi;

}  // namespace vprism
