// clock_pieces.h: instants whose parts stand in columns of their own: year, month, day, hour, ...; day of the
// year; seconds and nanoseconds; weeks since 1980 and seconds of the week, as satellite receivers count.
#pragma once

#include <span>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// By the titles, where the columns hold whole numbers of such size and the instants rise: they become the
/// layout's clock, and a caution says so.
void find_clock_pieces(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last);

/// Nanoseconds since 1970; nothing where a cell is no such number.
std::optional<std::int64_t> instant_of_pieces(const std::vector<ClockPiece>& pieces,
                                              std::span<const std::string_view> cells,
                                              DayOrder order = DayOrder::day_first);

}  // namespace vprism
