// elapsed_columns.h: columns of a text table that say again when its rows were taken.
#pragma once

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// A column in a unit of time that goes along with the axis: time gone by beside a clock, milliseconds beside
/// seconds. It is no channel, and no part's axis.
void leave_out_elapsed(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last);

/// The axis that stands before each channel again, to the last number the same.
void leave_out_same_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last);

}  // namespace vprism
