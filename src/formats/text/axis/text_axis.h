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

/// Where levels stand alone and the lines above say which frequencies they were swept over, as centre and
/// span or as start and stop: those two, in Hz.
bool is_swept(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);
std::optional<std::pair<double, double>> swept_frequencies(const TextLayout& layout);

/// A column in a unit of time that goes along with the axis: time gone by beside a clock, milliseconds beside
/// seconds. It is no channel, and no part's axis.
void leave_out_elapsed(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last);

/// The axis that stands before each channel again, to the last number the same.
void leave_out_same_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last);

}  // namespace vprism
