// text_units.h: units that stand in the rows of a text table: behind each number, or in the cell behind it.
#pragma once

#include <span>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Columns get the unit of their cells, where their titles name none: `layout.unit_of_cell`. Numbers in other
/// units are converted to it row by row (an instrument that changes its range), and a caution says so; units
/// that do not convert are one too, and the numbers stay as they stand. Titles must have been read.
void take_row_units(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);

/// Turns a number that stands beside `unit` into the unit of its column; false where it does not convert.
bool convert_cell(const TextLayout& layout, std::size_t cell, std::string_view unit, double& value);

/// What stands in a cell behind a number, without the mark that parts it from the next: "V,".
std::string unit_word(std::string_view cell);

}  // namespace vprism
