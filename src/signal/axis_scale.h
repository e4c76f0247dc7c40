// axis_scale.h: an axis in other units than the file says: another time base, or a position that stands for a
// delay.
#pragma once

#include <memory>
#include <string_view>

#include "signal/source.h"

namespace vprism {

/// What one unit of the file's axis stands for.
struct AxisScale {
  double factor = 1;
  Unit unit = Unit::parse("s");  ///< Seconds and hertz make a time and a frequency axis.
  std::string text;              ///< As the user wrote it.
};

/// "2 us": one unit of the file's axis is 2 us. Throws Error(usage).
AxisScale parse_axis_scale(std::string_view text);
/// A stage position in `unit` whose light path is twice as long: time = 2 x / c. Throws Error(usage) when the
/// unit is no length.
AxisScale parse_delay_line(std::string_view unit);

/// The same samples with their axis scaled.
std::unique_ptr<SampleSource> make_scaled_axis(std::unique_ptr<SampleSource> source, const AxisScale& scale);

}  // namespace vprism
