// title_roles.h: which of the lines above a table give names, and which units.
#pragma once

#include "formats/text/titles/title_names.h"

namespace vprism {

/// A line of titles: those of the data columns, and whether one of its cells, the clock's among them, is a
/// time or counts.
struct TitleLine {
  TitleRow row;
  std::string label;  ///< In a cell in front of the data columns: what the row is.
  bool has_axis = false, dated = false;
  bool called_names = false;  ///< By a word in front of it, in a cell more than there are columns.
  std::size_t away = 0;       ///< Lines between it and the first row of numbers.
};

struct TitleRoles {
  std::optional<std::size_t> names, units;
  bool labelled = false;  ///< The first column's cells say what their rows are.
};

/// A row of nothing but units gives the units; of the others the one with a time or a count among its titles
/// names the columns, else the nearest. Rows stand nearest to the data first.
TitleRoles roles_of(const std::vector<TitleLine>& rows);

/// "(V)" and "[V]" without their brackets.
std::string without_brackets(std::string_view text);
/// A word that stands in a row of units above a column that has none.
bool counts_word(const std::string& cell);
/// "Name", "Signals": what a row of names is called in front of it.
bool is_name_label(const std::string& cell);
/// What a row of units is called in front of it: "Unit", "Einheit".
bool is_unit_label(const std::string& cell);
/// What a row of names or of units is called in front of it: "Sensor", "Unit".
bool is_row_label(const std::string& cell);
/// What a row with a setting of each channel is called: "Rate", "Range (V)", "Gain".
bool is_setting_label(const std::string& cell);
/// Whether a row holds nothing but units.
bool is_units_row(const TitleRow& row);

/// Units of columns that lines above say one by one, each by the column's name: "#t;s", "#u;V" over "t,u", or
/// a comment says of several: "# t in s, u in V". Empty unless all columns have one.
TitleRow defined_units(const std::vector<TextLine>& lines, std::size_t first, const TitleRow& names,
                       char delimiter);

}  // namespace vprism
