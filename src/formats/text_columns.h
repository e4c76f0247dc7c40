// text_columns.h: which column of a text table is its axis, and what kind of axis.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "formats/text_layout.h"

namespace vprism {

/// A line of the head, without its end, and where it begins.
struct Line {
  std::string_view text;
  std::size_t offset;
};

/// Its title, or "column 3".
std::string column_name(const TextLayout& layout, std::size_t column);
bool is_time_title(const Channel& column);
/// "index", "sample", "no.", ...
bool is_count_title(const Channel& column);
/// A title or a unit of time.
bool is_axis_column(const TextLayout& layout, std::size_t column);
/// Whether the numbers of a column rise from row to row: save for a few, or, of a column that is called a
/// time, three times in four.
bool column_rises(const TextLayout& layout, std::span<const Line> lines, std::size_t first, std::size_t last,
                  std::size_t column);

/// Makes a column the axis: sets time, axis and time_factor.
void take_axis_column(TextLayout& layout, std::size_t column);

/// Sets time, axis and time_factor: the column `asked` names ("none": no axis), else a rising column that its
/// title or unit calls a time, a frequency or a position. Throws Error(usage) for a column that is not there.
void find_axis_column(TextLayout& layout, std::span<const Line> lines, std::size_t first, std::size_t last,
                      const std::string& file, const std::string& asked);

}  // namespace vprism
