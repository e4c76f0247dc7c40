// text_preamble.h: keys, values and units that a text file carries beside or above its data.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// A cell without its quotes and the blanks around it, cleaned.
std::string unquoted_cell(std::string_view cell);

/// Settings in the rows of the table, in cells that are not data: see read_beside_preamble.
void read_settings_beside(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                          std::size_t last);

/// Cells of a row that are not data columns: every run of two or more is a key and its value (with unit).
void read_beside_preamble(TextLayout& layout, std::span<const std::string_view> cells);

/// When the record began, if the key speaks of that and the value is a date or a time of day.
bool take_date(TextLayout& layout, const std::string& key, const std::string& value);
/// A key and its value: kept as a note, and what it says of the axis taken.
void take_note(TextLayout& layout, const std::string& key, std::string value);

/// A line above the data: "key: value", "key = value", "key,value,unit", with or without a comment mark.
void read_preamble_line(TextLayout& layout, std::string_view text);

/// Whether a line is nothing but a rate or an interval: "Rate 2 kS/s", "XINC,5e-4".
bool is_axis_setting(const TextLayout& layout, std::string_view text);

/// Settings in columns of their own, titles above values: those of `titles` whose cell in `values` is a
/// number. With no titles: whether `values` holds such cells that are known already. False where there are
/// none.
bool read_below_titles(TextLayout& layout, std::span<const std::string_view> titles,
                       std::span<const std::string_view> values);

/// Keys in one line, their values in the one below: "Sample rate (Hz),Channels" over "1000,2". False, and
/// nothing taken, where the two are no such pair.
bool read_titled_values(TextLayout& layout, std::string_view titles, std::string_view values);

}  // namespace vprism
