// text_preamble.h: keys, values and units that a text file carries beside or above its data.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "formats/text_layout.h"

namespace vprism {

/// A cell without its quotes and the blanks around it, cleaned.
std::string unquoted_cell(std::string_view cell);

/// Cells of a row that are not data columns: every run of two or more is a key and its value (with unit).
void read_beside_preamble(TextLayout& layout, const std::vector<std::string_view>& cells);

/// A line above the data: "key: value", "key = value", "key,value,unit", with or without a comment mark.
void read_preamble_line(TextLayout& layout, std::string_view text);

/// Settings in columns of their own, titles above values: those of `titles` whose cell in `values` is a
/// number. With no titles: whether `values` holds such cells that are known already. False where there are
/// none.
bool read_below_titles(TextLayout& layout, const std::vector<std::string_view>& titles,
                       const std::vector<std::string_view>& values);

}  // namespace vprism
