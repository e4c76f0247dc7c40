// clock.h: dates and times of day as text tables write them.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace vprism {

/// Nanoseconds since 1970 of "2026-11-23T06:54:19.250Z": date and time parted by 'T', blank or '_', '/' or
/// '-' between the numbers of the date, year first, seconds with '.' or ',' and any number of digits (nine
/// count), 'Z' or an offset "+01:00" behind. Without an offset the time is taken as it stands.
std::optional<std::int64_t> parse_date_time(std::string_view text);
/// "2026-11-23" alone.
std::optional<std::int64_t> parse_date(std::string_view text);
/// "06:54:19.250" alone: nanoseconds since midnight.
std::optional<std::int64_t> parse_time_of_day(std::string_view text);

}  // namespace vprism
