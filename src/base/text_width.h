// text_width.h: text on terminals of some width.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// Columns that tables and help may take; 0: as many as they need. Set once, where a terminal is written to.
std::size_t text_width();
void set_text_width(std::size_t columns);

/// Lines of `width` columns at most, broken between words; a longer word is cut. At least one line.
std::vector<std::string> wrapped(std::string_view text, std::size_t width);

/// Lines that are too wide are broken between words, what follows standing two columns farther in than their
/// beginning. Rows of tables that fit stay as they are.
std::string folded(std::string_view text, std::size_t width);

}  // namespace vprism
