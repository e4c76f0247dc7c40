// no_titles.h: lines above a text table that look like its titles, and are settings or marks.
#pragma once

#include <string_view>

#include "formats/text/titles/title_roles.h"

namespace vprism {

/// A key and its value; not a spreadsheet's ="text".
bool has_equals(std::string_view text);

/// A setting of each channel whose name stands in front of it, in a cell of its own.
bool is_labelled_setting(const TextLayout& layout, std::string_view text);

/// A line of one cell, one or two words without a number or a mark.
bool is_lone_word(const TextLayout& layout, std::string_view text);

/// "Y Axis Unit" and "dBm": a setting, though each might be a title.
bool says_unit(std::string_view key, std::string_view unit);

/// "Waveform Data", "[Data]" between settings and a single column: no name of it.
bool is_section_word(const TextLayout& layout, std::string_view text);

/// "Time(s),CH1(V),t0 = -6e-3 s,tInc = 2e-6": titles of all columns, a time's among them, in front of
/// settings.
bool titles_before_settings(const TextLayout& layout, const TitleLine& line);

}  // namespace vprism
