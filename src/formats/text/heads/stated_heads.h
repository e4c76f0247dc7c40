// stated_heads.h: heads of which each line has its meaning by its place; see plain_heads.h.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// "WAVES vib0" and "BEGIN" above columns, "END" and "X SetScale/P x 0,5e-4,"s", vib0" below them.
void write_waves(std::vector<TextLine>& lines, std::deque<std::string>& kept);

/// Two rows above all others, each with the same number in all columns: seconds since 1970, and the samples
/// in a second.
void write_start_and_rate(std::vector<TextLine>& lines, std::deque<std::string>& kept,
                          std::vector<Caution>& cautions);

/// "2 channels", then the name and the unit of each in lines of their own, then "min,CH1,CH2," and how many
/// samples each has.
void write_names_by_turns(std::vector<TextLine>& lines, std::deque<std::string>& kept);

/// "START" and two numbers: the first sample's time, and from one to the next.
void write_start_and_step(std::vector<TextLine>& lines, std::deque<std::string>& kept);

}  // namespace vprism
