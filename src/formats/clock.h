// clock.h: dates and times of day as text tables write them.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace vprism {

/// Of a date whose year stands last: 3/4 is the third of April, or the fourth of March.
enum class DayOrder { day_first, month_first };

/// Nanoseconds since 1970 of "2026-11-23T06:54:19.250Z": date and time parted by 'T', blanks or '_'; of the
/// date either the year first, '/' or '-' between, or last, in the order given, '/', '-', '.' or blanks
/// between; months as words too. Seconds with '.' or ',' and any number of digits (nine count); AM or PM,
/// then 'Z' or an offset "+01:00" behind. Without an offset the time is taken as it stands.
std::optional<std::int64_t> parse_date_time(std::string_view text, DayOrder order = DayOrder::day_first);
/// A date alone.
std::optional<std::int64_t> parse_date(std::string_view text, DayOrder order = DayOrder::day_first);
/// "06:54:19.250" or "6:54 PM" alone: nanoseconds since midnight.
std::optional<std::int64_t> parse_time_of_day(std::string_view text);
/// Whether a date means another day in the other order.
bool is_ambiguous_date(std::string_view text);

}  // namespace vprism
