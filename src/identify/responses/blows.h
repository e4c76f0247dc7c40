// blows.h: impact tests: the blows of a hammer, found and judged, and the cross spectra of what they make.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "transform/spectra/cross.h"

namespace vprism {

/// One blow. Samples count from the record's start.
struct Blow {
  std::size_t start = 0, end = 0;  ///< Where the force leaves the noise and is back in it.
  std::size_t peak = 0;
  double force = 0;  ///< At the peak, the resting level taken off, in the channel's unit.
  /// Greatest later hit before the next blow, and where; 0: a clean blow.
  double second = 0;
  std::size_t second_at = 0;
  std::string rejected;  ///< Why it is left out; "" when it counts.
  double width_s(double rate_hz) const { return static_cast<double>(end - start) / rate_hz; }
};

struct BlowSettings {
  std::optional<double> level;  ///< Force that a blow exceeds; else from noise and the greatest peak.
  double double_hit = 0.05;     ///< A later hit above this share of the first is a double hit.
  bool keep_doubles = false;
  std::optional<std::size_t> segment;  ///< Samples after a blow; else up to the next blow.
  double before = 0.02;                ///< Of the segment that lies before the blow.
  bool force_window = true;
  /// What the exponential window has fallen to at the segment's end; 1: none. Not given: none where the
  /// responses have died down to 1%, else 1%.
  std::optional<double> decay_to;
};

/// Blows of a force: stretches above the level, joined where closer than four pulse widths.
std::vector<Blow> find_blows(const std::vector<double>& force, double rate_hz, const BlowSettings& settings);

/// Whether a record is one of blows: its energy lies in short stretches of less than a twentieth of the time.
bool looks_like_blows(const std::vector<double>& force, double rate_hz);

struct BlowSpectra {
  CrossSpectra spectra;
  std::vector<Blow> blows;
  std::size_t segment = 0, before = 0;
  double decayed_to = 1;   ///< Of the exponential window.
  double decay_per_s = 0;  ///< What it adds to the decay rate of every mode, in 1/s.
  double left = 0;         ///< Level at the segments' ends over that after the blow, before the window.
};

/// `columns`: all channels; `reference` is the force. Blows whose segment is cut by the record's end, that
/// overlap the next one, and double hits are rejected and keep their reason. Throws Error(analysis) when none
/// is left.
BlowSpectra blow_spectra(const std::vector<std::vector<double>>& columns, std::size_t reference,
                         double rate_hz, const BlowSettings& settings);

}  // namespace vprism
