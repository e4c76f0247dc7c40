// weight.h: the frequency weightings of sound levels.
#pragma once

namespace vprism {

/// Gain of weighting 'A', 'C' or 'Z' at a frequency, 1 at 1 kHz (IEC 61672-1:2013, annex E).
double weighting_gain(char letter, double hz);

}  // namespace vprism
