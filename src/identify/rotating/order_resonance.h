// order_resonance.h: frequency and damping of a resonance from an order that sweeps over it.
#pragma once

#include <optional>

#include "identify/rotating/orders.h"

namespace vprism {

struct SweptResonance {
  double hz = 0, hz_std = 0, damping = 0, damping_std = 0;
};

/// Fits the complex amplitude of `cut` around block `top`, its summit, by what an order that moves on makes
/// of one pair of poles: Q' = (p - i w(t)) Q + F(t), w being the order's own frequency at each instant, so
/// that what the resonance does late is part of the model; F and what answers at once are parabolas of the
/// speed, and what rings from before is free. Amplitudes are the same means over blocks as the cut's. Nothing
/// where there are too few blocks, or the model leaves more than 4% of the squares that parabolas alone
/// leave, or knows the damping to no better than half of it. Uncertainties are standard ones, from what the
/// fit leaves over.
std::optional<SweptResonance> fit_swept_resonance(const OrderCut& cut, const ShaftAngle& shaft,
                                                  std::size_t top);

}  // namespace vprism
