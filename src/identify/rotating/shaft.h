// shaft.h: the angle of a shaft against time, from a tachometer's pulses or from a line that follows it.
#pragma once

#include <cstddef>
#include <string>
#include <utility>
#include <vector>

#include "identify/events/ridges.h"

namespace vprism {

/// Revolutions against time, smooth between its knots (cubic, slopes from three points).
class ShaftAngle {
 public:
  ShaftAngle() = default;
  /// Times rise, revolutions do not fall. At least three knots.
  ShaftAngle(std::vector<double> time_s, std::vector<double> revolutions);
  double start_s() const { return time_.front(); }
  double end_s() const { return time_.back(); }
  double first() const { return turns_.front(); }
  double last() const { return turns_.back(); }
  double revolutions(double time_s) const;
  /// Revolutions per second.
  double speed(double time_s) const;
  /// When it was there.
  double time_of(double revolutions) const;

 private:
  std::size_t knot_at(double time_s) const;
  std::vector<double> time_, turns_, slope_;
};

struct PulseTrain {
  std::vector<double> time_s;                   ///< Mended.
  std::size_t missing = 0;                      ///< Pulses put in where an interval held several.
  std::size_t extra = 0;                        ///< Pulses taken out that came far too soon.
  std::vector<std::pair<double, double>> gaps;  ///< Where they were put in, from .. to.
};
/// An interval that is a whole number (two to six) of what its neighbours lead to expect lost pulses; one of
/// less than a third gained one. The first and the last are left as they are.
PulseTrain mend_pulses(std::vector<double> time_s);

/// `per_turn` pulses a revolution, the first one at 0. `time_std_s`: how well a pulse's time is known; around
/// each, as many are joined by a parabola as it agrees with within that, so that the jitter of sampled edges
/// is no change of speed.
ShaftAngle angle_of_pulses(const PulseTrain& pulses, double per_turn, double time_std_s = 0);
/// A ridge is so many times a revolution; the angle begins at 0 with it.
ShaftAngle angle_of_ridge(const Ridge& ridge, double order);

}  // namespace vprism
