// text_titles.h: what the lines above a text table call its columns.
#pragma once

#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Names and units of `layout.columns`, from the lines above the first row; what stands in no row of titles
/// goes to the notes. The clock must be known, since its cells have titles as well.
void read_titles(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first);

}  // namespace vprism
