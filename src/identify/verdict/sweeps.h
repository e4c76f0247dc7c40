// sweeps.h: one line that moves through the band while the record lasts: a sweep, a chirp, a run-up's
// strongest order.
#pragma once

#include <optional>
#include <span>

namespace vprism {

struct Sweep {
  double from_s = 0, to_s = 0;    ///< When it is there, since the record's start.
  double from_hz = 0, to_hz = 0;  ///< Where it is then.
  double from_std_hz = 0, to_std_hz = 0;
  bool exponential = false;       ///< As many octaves in a second, else as many hertz.
  double rate = 0, rate_std = 0;  ///< Octaves per second, or hertz per second.
  double level_rms = 0;           ///< Over the whole record.
  double low_hz() const { return from_hz < to_hz ? from_hz : to_hz; }
  double high_hz() const { return from_hz < to_hz ? to_hz : from_hz; }
};

/// The line that holds most of each of some tens of segments, where its places lie on a straight or an
/// exponential course, off it to either side, over more than twelve bins of the record, and over eight times
/// what they scatter. Segments are of the length at which they scatter least.
std::optional<Sweep> find_sweep(std::span<const double> x, double rate_hz);

}  // namespace vprism
