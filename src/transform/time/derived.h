// derived.h: a spectrum of motion as that of its derivatives or integrals.
#pragma once

#include <string_view>

#include "signal/recording.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Orders of the derivative by time: displacement 0, velocity 1, acceleration 2.
int motion_order(std::string_view name);
/// Of a channel by its unit, whatever its prefix. Throws Error(analysis) where it is none of the three.
int motion_order(const Channel& channel);

/// Unit and quantity of the derivative by time (steps above 0) or integral; the factor that its numbers take
/// where the unit is written out anew ("g" becomes "m/s").
double derive(Channel& channel, int steps);
/// Each bin times `factor` (2 pi i f)^steps, steps from -2 to 2. At 0 Hz an integral has no value; it becomes
/// 0.
void derive(Spectrum& spectrum, int steps, double factor);
/// Gain of that on a line's amplitude.
double derived_gain(double hz, int steps);

}  // namespace vprism
