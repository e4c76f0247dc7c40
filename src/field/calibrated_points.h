// calibrated_points.h: variables of a recording of points turned into their physical unit, and into another
// one.
#pragma once

#include <memory>

#include "signal/calibration.h"
#include "signal/points.h"

namespace vprism {

/// The source itself where there are no rules. Throws Error(usage) for rules that fit no variable, units that
/// don't fit, and saved transforms, which are calibrated when they are made.
std::unique_ptr<PointSource> calibrated_points(std::unique_ptr<PointSource> source,
                                               const std::vector<CalibrationRule>& rules,
                                               const std::vector<UnitRule>& units);

}  // namespace vprism
