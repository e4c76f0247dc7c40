// title_names.h: names of columns that stand elsewhere than in a row of titles, and what is done to those of
// a row.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

using TitleRow = std::vector<std::string>;

/// A line that begins with #, %, ! or //, and what stands behind these marks.
bool is_comment(std::string_view text);
std::string_view without_marks(std::string_view text);

/// How many cells a row has at the least: data columns and clock.
std::size_t cells_needed(const TextLayout& layout);

/// "t in s", "U in mV"; "[V] U1"; "Druck hPa" throughout: names with units behind them in brackets.
void set_units_apart(std::vector<std::string>& cells);

/// "Time_s,Force_N,Acc_mps2" become "Time (s)" and so on: where the time's last word is a unit of time, those
/// of all others are units. False, and nothing is changed, where one is none.
bool underscored_units(std::vector<std::string>& cells);

/// Names of the data columns in quotation marks (VARIABLES = "Time [s]", "Lift [N]"); and, where no row of
/// titles names them (`titled`), in comments that each give a place, in lines that each give a number, or
/// before the matrix.
std::optional<TitleRow> listed_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                     std::size_t first, bool titled);

/// Words above names that come again, "Motor" over "Speed" and "Torque", reach up to the next of them: each
/// name with its word, where that tells them apart.
void join_groups(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t names_line,
                 TitleRow& names);

/// "time/freq" above the times, before titles that are numbers: what stands before the mark is of the column.
void take_corner_apart(TitleRow& names, char decimal);

}  // namespace vprism
