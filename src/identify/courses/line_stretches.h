// line_stretches.h: what a line that jumps between states adds to a record, stretch by stretch.
#pragma once

#include <span>
#include <vector>

#include "identify/lines/line_windows.h"

namespace vprism {

/// Samples `from` to `to` - 1, in which one state holds.
struct LineStretch {
  std::size_t from = 0, to = 0, state = 0;
  double hz = 0;     ///< 0: no line, only a level.
  double slope = 0;  ///< Of the phase against `hz`, rad/s,
  double sxx = 0;    ///< and the sum of squares of the times that it was fitted over; 0 where it was not.
};

/// A frequency that all stretches of a state share, from how the phases of the windows in each run on: each
/// has a phase of its own. `hz` and `hz_std` change, and the stretches' frequencies; windows overlap, and
/// where the stretches disagree the uncertainty is larger by as much. False where no stretch holds two
/// windows.
bool share_frequency(const LineWindows& windows, std::span<const LineWindows::Look> looks,
                     std::vector<LineStretch>& stretches, std::size_t state, double& hz, double& hz_std);

/// Stretches that are off for less than a window: where the rest stands out of `noise_rms` although there is
/// nothing of a line of that amplitude. They part the stretches of the line; `off` is their state.
void part_by_short_rests(std::span<const double> x, std::span<const double> rest, double rate_hz,
                         double amplitude, double noise_rms, std::size_t off,
                         std::vector<LineStretch>& stretches);

/// Takes a sine of its own level and phase off each stretch, by least squares, and what stands out of
/// `noise_rms` around the changes.
void take_stretches_off(std::vector<double>& x, double rate_hz, const std::vector<LineStretch>& stretches,
                        double noise_rms, std::size_t reach);

}  // namespace vprism
