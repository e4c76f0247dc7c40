// text_axis.h: which column of a text table is its axis, and what kind of axis.
#pragma once

#include <span>
#include <string>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Makes a column the axis: sets time, axis and time_factor.
void take_axis_column(TextLayout& layout, std::size_t column);

/// Sets time, axis and time_factor: the column `asked` names ("none": no axis), else a rising column that its
/// title or unit calls a time, a frequency or a position. Throws Error(usage) for a column that is not there.
void find_axis_column(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, const std::string& file, const std::string& asked);

/// Whole numbers without a unit that step by what no one logs in seconds: the note that seconds are taken is
/// a warning then, with the other readings.
void doubt_seconds(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);

/// A time column without a unit whose steps are 1, 2, ... 9 powers of ten off the interval that the settings
/// say counts that power of ten of a second: a note.
void scale_by_interval(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last);

}  // namespace vprism
