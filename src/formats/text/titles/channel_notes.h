// channel_notes.h: what the lines above a text table say of its channels one by one: "Channel 2: Pump outlet
// [bar]", "Name2 = accel; Unit2 = g", <Channel name="accel" unit="g"/>, or a small table of numbers, names
// and units.
#pragma once

#include <optional>

#include "formats/text/titles/title_names.h"

namespace vprism {

/// Whether a line above a table says something of a channel by its number: it is no row of titles.
bool notes_a_channel(std::string_view line);

/// Names of the data columns, with their units in brackets behind: as many as there are columns, or one
/// fewer, where the first column is the time.
std::optional<TitleRow> noted_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                    std::size_t first);

/// "CH1" among the titles gets the name that a small table above has for channel 1; its unit stays.
void name_by_table(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first,
                   TitleRow& names);

/// Units that stand by the channels' numbers, for columns that have none yet.
void take_noted_units(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first);

}  // namespace vprism
