// ini_sections.h: keys above a text table that mean something by the section they stand in alone.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// "Frequency=800" below "[SAMPLING]" becomes "sampling Frequency=800", "1=Force,N" below "[CHANNELS]"
/// "channel 1=Force [N]"; other lines stay. `kept` holds the new texts.
void name_by_sections(std::vector<TextLine>& lines, std::size_t first, std::deque<std::string>& kept);

}  // namespace vprism
