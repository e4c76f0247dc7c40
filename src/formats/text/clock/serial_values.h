// serial_values.h: one channel over many lines, several values in each, as accelerograms are written.
#pragma once

#include <optional>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Lines of as many numbers, the last one with fewer, below a header that says how many there are in all: a
/// line for each number, in the unit that the header names, its scale applied. `size`: of the file; `whole`:
/// whether the lines are all of it. Nothing where the text is anything else.
std::optional<LineDialect> serial_values(const std::vector<TextLine>& lines, std::uint64_t size, bool whole,
                                         const ReadSettings& settings);

/// Numbers of a line parted by blanks or commas, or, in columns of one width, by the sign of the next; empty
/// where anything else stands there.
std::vector<double> numbers_in_line(std::string_view line);

}  // namespace vprism
