// clock.h: dates and times of day as text tables write them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "signal/recording.h"

namespace vprism {

/// Of a date whose year stands last: 3/4 is the third of April, or the fourth of March.
enum class DayOrder { day_first, month_first };

/// Nanoseconds since 1970 of "2026-11-23T06:54:19.250Z": date and time parted by 'T', blanks or '_'; of the
/// date either the year first, '/' or '-' between (or the day of the year behind it: "2024-085"), or last, in
/// the order given, '/', '-', '.' or blanks between; months as words too. Seconds with '.' or ',' and any
/// number of digits (nine count); AM or PM, then 'Z' or an offset "+01:00" behind. Without an offset the time
/// is taken as it stands.
std::optional<std::int64_t> parse_date_time(std::string_view text, DayOrder order = DayOrder::day_first);
/// A date alone.
std::optional<std::int64_t> parse_date(std::string_view text, DayOrder order = DayOrder::day_first);
/// "20251103" alone.
std::optional<std::int64_t> parse_compact_day(std::string_view text);
/// "06:54:19.250" or "6:54 PM" alone: nanoseconds since midnight; of "75:30.5" (minutes), "30:15:20" and
/// "75:30" (hours) since a stopwatch was started.
std::optional<std::int64_t> parse_time_of_day(std::string_view text);
/// A count of units of `unit_ns` nanoseconds, exactly, the double of which was `twice_at_1970` when 1970
/// began. Nothing for what is no number or lies outside the years 1678 to 2262.
std::optional<std::int64_t> parse_counted_time(std::string_view text, std::int64_t unit_ns,
                                               std::int64_t twice_at_1970);
/// Nanoseconds of the unit in which a rising count that begins at `first` and goes on by `step` may count
/// since 1970: seconds, milliseconds, microseconds or nanoseconds, by its size (the years 2000 to 2040).
/// Nothing where it is none, among them counters of uptime: in the unit that their size would mean they step
/// by whole thousands of seconds.
std::optional<std::int64_t> unit_since_1970(double first, double step);
/// Nanoseconds since 1970 of so many units of `unit_ns` since then; nothing outside the years 1678 to 2262.
std::optional<std::int64_t> instant_of_count(std::int64_t count, std::int64_t unit_ns);
/// "days since 2000-01-01 12:00 UTC": the unit ("days"), and the instant, where the text is a date. A unit
/// alone is returned as it is.
struct CountedSince {
  std::string unit;
  std::optional<std::int64_t> zero_ns;
};
CountedSince counted_since(std::string_view text);
/// Whether a text says that something is counted since a date.
bool is_counted_since(std::string_view text);
/// Of times that follow a calendar other than the usual one ("noleap", "360_day").
std::optional<Caution> calendar_caution(std::string_view calendar);
/// That the numbers of an axis are counts of `unit` since 1970.
Caution clock_counted_caution(const std::string& axis, const std::string& unit);
/// Nanoseconds since 1970 of a day; nothing where there is no such day, or none within those years.
std::optional<std::int64_t> start_of_day(int year, int month, int day);
/// An instant so many seconds after another; nothing outside the years 1678 to 2262.
std::optional<std::int64_t> instant_after(std::int64_t nanoseconds, double seconds);
/// "2024-03-25T23:59:58.5Z" of nanoseconds since 1970, without zeros behind.
std::string utc_text(std::int64_t nanoseconds);
/// Whether a date means another day in the other order.
bool is_ambiguous_date(std::string_view text);

}  // namespace vprism
