// block_heads.h: heads of blocks beside each other, and of levels above each other; see plain_heads.h.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// "Name,speed,Name,torque" and other settings with their key before each value, above times and values by
/// turns.
void write_blocks_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept);

/// "Devices", then a number alone, then titles that begin with "Frame,Sub Frame": samples in a second.
void write_frames_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept);

/// "sensor,acc,gyr" over "axis,x,y" over "time,,": titles in levels, the last of which names the first column
/// alone.
void write_levels_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept);

}  // namespace vprism
