// text_columns.h: which column of a text table is its axis, and what kind of axis.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "formats/text_layout.h"

namespace vprism {

/// A line of the head, without its end, and where it begins.
struct TextLine {
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
bool column_rises(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column);

/// Makes a column the axis: sets time, axis and time_factor.
void take_axis_column(TextLayout& layout, std::size_t column);

/// Sets time, axis and time_factor: the column `asked` names ("none": no axis), else a rising column that its
/// title or unit calls a time, a frequency or a position. Throws Error(usage) for a column that is not there.
void find_axis_column(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, const std::string& file, const std::string& asked);

/// Leaves only the columns with these indices; the axis follows.
void keep_columns(TextLayout& layout, const std::vector<std::size_t>& kept);

/// `--columns 2,4..6,Force`: these, and the axis. Throws Error(usage) for a column that is not there.
void choose_columns(TextLayout& layout, const ReadSettings& settings, const std::string& file);

/// Several time columns: when they agree over the head, the first serves all; when they do not, each with the
/// columns up to the next is a part. Throws Error(usage) for a part that is not there.
void part_by_times(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                   std::size_t last_row, const ReadSettings& settings, const std::string& file);

/// How lines are to be rewritten where their cells are complex numbers, by the last of these.
std::optional<ComplexCells> complex_cells_of(const std::vector<TextLine>& lines,
                                             const ReadSettings& settings);
/// The two columns of a complex one have one title: the parts are named after it.
void name_complex_parts(TextLayout& layout);

}  // namespace vprism
