// title_cells.h: a line of titles or units, cut into cells.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_layout.h"

namespace vprism {

/// Behind a word that says that names or units follow: "columns: time, force", "units = s, N".
std::string_view behind_label(std::string_view text);

/// "{V(1)}": what stands in braces.
std::string_view without_braces(std::string_view cell);

/// Cells of a line of titles, as many as a row has; blank-aligned tables may have blanks inside a title, so
/// two blanks part them there. A date and its time of day that blanks part have one title.
std::vector<std::string_view> title_cells(const TextLayout& layout, std::string_view text,
                                          std::string& tabbed);

/// A comment that names the columns, parted otherwise than the numbers, or any line behind a label:
/// "# time: s, force: N", "columns: time, force".
std::vector<std::string> listed_cells(const TextLayout& layout, std::string_view text);

}  // namespace vprism
