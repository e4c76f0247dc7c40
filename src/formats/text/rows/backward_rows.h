// backward_rows.h: text tables whose last row is the earliest.
#pragma once

#include "formats/text/rows/row_channels.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

/// The table with its last row first. Throws Error(input) for a file over a gigabyte.
TurnedTable last_row_first(const FileHead& head, const TextLayout& layout);

}  // namespace vprism
