// line_states.h: one line that holds still in one state and jumps to another: keyed carriers, tones that drop
// out, clocks that change their frequency, records of which samples are lost.
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace vprism {

struct LineState {
  double frequency_hz = 0, frequency_std_hz = 0;
  double amplitude = 0;  ///< 0: off.
  double share = 0;      ///< Of the time.
};

struct LineStates {
  /// What differs from state to state; a jump of the phase alone has one state, and its jumps.
  enum class Kind { frequency, amplitude, phase } kind = Kind::frequency;
  std::vector<LineState> states;  ///< By frequency, then amplitude.
  std::size_t phases = 0;         ///< Of Kind::phase: so many, evenly apart, come back; 0: none do.
  std::vector<double> changes_s;  ///< When it jumps, from the first sample, in order.
  bool on_at_first = true;        ///< Whether the line is there at the first sample.
  std::vector<double> jumps_deg;  ///< Of Kind::phase: by how much each time, -180 to 180.
  double window_s = 0;            ///< How finely the record was looked at.
  /// Where the times between changes are multiples of one: that rate.
  double rate_hz = 0, rate_std_hz = 0;
  /// Where a gate lets it through at even times: how often.
  double gate_hz = 0, gate_std_hz = 0;
  double rms = 0;            ///< Over the record.
  double explained = 0;      ///< Share of the mean square about the mean where it holds still.
  std::vector<double> rest;  ///< The samples without it.
};

/// Looks at windows of each length that a power of two gives: in each one sine is fitted, and where at least
/// half of the windows hold nothing else, their frequencies, amplitudes and phases are sorted into states.
/// Nothing for a line that stays, that moves gradually, or whose level steps less than three times without
/// being off (see level_steps.h for those), and for whatever is no single line.
std::optional<LineStates> find_line_states(std::span<const double> x, double rate_hz);

}  // namespace vprism
