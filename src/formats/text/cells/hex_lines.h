// hex_lines.h: tables of digits of sixteen without a mark, as memory and converters are written out: "07F7".
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "formats/text/rows/text_stream.h"

namespace vprism {

/// Nearly all lines hold nothing but words of one width of two, four or eight such digits, as many in each;
/// an eighth of them have letters.
bool are_hex_lines(const std::vector<std::string_view>& lines);
/// "0x" before each word; other lines stay.
void rewrite_hex_line(std::string_view line, std::string& out);

}  // namespace vprism
