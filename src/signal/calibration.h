// calibration.h: what turns stored numbers into the physical unit.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "signal/recording.h"

namespace vprism {

/// physical = factor * stored + offset, or read off a table at factor * stored + offset, in `unit`.
struct Calibration {
  double factor = 1;
  double offset = 0;
  /// Points of a table, ascending in the first number; values between two are interpolated, values beyond
  /// the ends continue the outermost stretch. Empty: none.
  std::vector<std::pair<double, double>> table;
  Unit unit;
  double value(double stored) const;
  std::string text;  ///< As the user wrote it, for the result document; "" for none.
};

/// One `--calibrate 'NAME: step, step'`. Steps apply from left to right to the stored number:
///   probe 10                 times 10 (a divider probe in front of the recorder)
///   gain 20 dB | gain 10     divided by the gain (an amplifier in front of the recorder)
///   offset -2.5 V            added, in the unit reached so far
///   sensitivity 100 mV/g     divided by the sensitivity; the unit becomes g (here), the part behind the '/'
///   linear A B UNIT          A * stored + B, in UNIT
///   two-point X=Y X=Y UNIT   the line through two points: stored X stands for Y
///   table X=Y X=Y ... UNIT   points between which is interpolated; the last step but for "unit"
///   unit UNIT                names the unit of the stored numbers where the file does not say it
struct CalibrationRule {
  std::string channels;  ///< A name, number or glob, as for select_channels.
  std::vector<std::string> steps;
  std::string text;
};

/// One `--unit 'CHANNELS: UNIT'`: channels converted to another unit of the same quantity.
struct UnitRule {
  std::string channels;
  Unit unit;
};
/// Throws Error(usage).
UnitRule parse_unit_rule(std::string_view text);

/// Throws Error(usage) when the text can't be read; the steps' values are checked too.
CalibrationRule parse_calibration_rule(std::string_view text);

/// The calibration that `steps` make of a channel stored in `stored`. Throws Error(usage) for units that
/// don't fit. A channel without a unit ("1") is taken in the base unit of a sensitivity: volts for mV/g.
Calibration make_calibration(const std::vector<std::string>& steps, const Unit& stored);

}  // namespace vprism
