// clock_digits.h: times of day in digits alone, as receivers send them: "140322.25" is 14:03:22.25.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Nanoseconds since midnight; leading zeros may have been lost. Nothing for what is no such time.
std::optional<std::int64_t> time_in_digits(std::string_view cell);

/// Makes a column of such times the clock, with a note: one that is called so ("utc", "hhmmss"), or a time
/// without a unit whose numbers leap at the minutes and are even as times of day. They may pass midnight.
void find_time_in_digits(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last);

}  // namespace vprism
