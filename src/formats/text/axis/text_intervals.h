// text_intervals.h: columns of a text table that stand for times without being called so.
#pragma once

#include <span>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// "t1", "ts", "clock", "begin": rises by steps that are all about the same, which a temperature 1 does not.
bool is_time_by_steps(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, std::size_t column);

/// A column that repeats the rate or the interval in every row, as the times say it, is left out, with a
/// caution.
void leave_out_stated_rate(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                           std::size_t last);

/// Where nothing else says when the rows were taken: a column of times from row to row ("dt (us)"), which are
/// added up, or one that repeats the rate in every row; each with a note. The latter is left out where these
/// are the `whole` of the rows.
void take_steps_or_rates(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last, bool whole);

/// Where the settings say the time step of a computation, and a column counts its steps by more than one from
/// row to row: the times are that column's, in time steps; a note.
void take_counted_steps(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last);

/// Where each row holds from one time to another: the second is left out, with a caution.
void leave_out_ends(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last);

/// Where nothing else says when the rows were taken: a first column, whatever its title, whose numbers rise
/// evenly, and not by one, with a caution.
void assume_even_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last);

}  // namespace vprism
