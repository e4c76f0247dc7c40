// notes_below.h: what stands below the rows of a text table: titles, where there are none above, and
// settings.
#pragma once

#include <cstddef>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Names and units from a line of words with a cell for each column, behind the row `last`; with a caution.
/// Only where no line above gave any.
void take_titles_below(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t last);

/// Settings in comments, or behind a key: of the axis only where the rows have no times of their own.
void take_settings_below(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t last);

}  // namespace vprism
