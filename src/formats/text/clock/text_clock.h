// text_clock.h: which cells of a text table hold dates and times of day.
#pragma once

#include <span>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Dates in front of the numbers, in a cell that all rows have (two cells: a date, a time of day). Whether
/// day or month stands first is what all rows allow; where both do, a caution gives the other reading.
void find_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);

/// Once titles are known: a column of seconds (milliseconds, ...) since 1970, of a spreadsheet's day numbers
/// or of Julian dates becomes the clock, and a caution says so; a column of milliseconds beside a clock
/// becomes part of it.
void find_counted_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last);

}  // namespace vprism
