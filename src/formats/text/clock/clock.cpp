// clock.cpp: see clock.h. Forms of ISO 8601, and blanks and slashes where the trade writes them.
#include "formats/text/clock/clock.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <utility>

#include "base/text.h"
#include "formats/format.h"
#include "formats/text/clock/clock_words.h"

namespace vprism {

namespace {

constexpr std::int64_t whole_day_ns = std::int64_t{86400} * 1000000000;

/// `count` digits at the head of `text`, taken off it; -1 when they are not there.
int digits(std::string_view& text, std::size_t count) {
  if (text.size() < count) return -1;
  int value = 0;
  for (std::size_t i = 0; i < count; ++i) {
    if (text[i] < '0' || text[i] > '9') return -1;
    value = value * 10 + (text[i] - '0');
  }
  text.remove_prefix(count);
  return value;
}

bool take(std::string_view& text, std::string_view any_of) {
  if (text.empty() || any_of.find(text.front()) == std::string_view::npos) return false;
  text.remove_prefix(1);
  return true;
}

/// One or two digits; -1 when there are none.
int short_number(std::string_view& text) {
  if (text.empty() || text[0] < '0' || text[0] > '9') return -1;
  const bool two = text.size() > 1 && text[1] >= '0' && text[1] <= '9';
  return digits(text, two ? 2 : 1);
}

bool day_of(int year, int month, int day, std::int64_t& ns) {
  constexpr int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  if (year < 1678 || year > 2261) return false;  // Nanoseconds reach no further.
  const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
  if (month < 1 || month > 12 || day < 1 || day > days[month - 1] + (month == 2 && leap)) return false;
  ns = nanoseconds_since_1970(year, month, day, 0, 0, 0);
  return true;
}

/// The year last: day and month in the order given, or the month as a word.
bool take_late_year(std::string_view& text, DayOrder order, std::int64_t& ns) {
  // "26-11-23" may well have the year first.
  const bool dashes = text.size() > 2 && (text[1] == '-' || text[2] == '-');
  bool word = false;
  int month = month_word(text), day = 0;
  word = month > 0;
  const auto between = [&] {
    bool any = false;
    while (take(text, "/-., ")) any = true;
    return any;
  };
  if (month > 0) {
    if (!between() || (day = short_number(text)) < 0) return false;
  } else {
    const int first = short_number(text);
    const bool points = !text.empty() && text[0] == '.';
    if (first < 0 || !between()) return false;
    month = month_word(text);
    word = month > 0;
    day = first;
    if (month == 0) {
      const int second = short_number(text);
      if (second < 0) return false;
      const bool day_first = order == DayOrder::day_first || points;
      day = day_first ? first : second, month = day_first ? second : first;
    }
  }
  if (!between()) return false;
  std::string_view whole = text;
  int year = digits(whole, 4);
  if (year >= 0) {
    text = whole;
  } else {
    year = digits(text, 2);
    // "Mar  5 10:00:01" has no year: these are hours.
    if (year < 0 || (dashes && !word) || (!text.empty() && text[0] == ':')) return false;
    year += year < 70 ? 2000 : 1900;
  }
  return day_of(year, month, day, ns);
}

bool take_date(std::string_view& text, DayOrder order, std::int64_t& ns) {
  std::string_view early = text;
  const int year = digits(early, 4);
  if (year < 0) return take_late_year(text, order, ns);
  text = early;
  if (text.empty()) return false;
  const char mark = text.front();
  if (!take(text, "-/.")) return false;
  // "2024-W09-3": the day of the week of the year, of which the first holds its first Thursday.
  if (mark == '-' && take(text, "W")) {
    const int week = digits(text, 2), day = take(text, "-") ? digits(text, 1) : 1;
    if (week < 1 || week > 53 || day < 1 || day > 7 || !day_of(year, 1, 4, ns)) return false;
    const std::int64_t weekday =
        ((ns / whole_day_ns + 3) % 7 + 7) % 7;  // Of 4 January, from Monday; exact days.
    ns += ((week - 1) * 7 + day - 1 - weekday) * whole_day_ns;
    return true;
  }
  // "2024-085": the day of the year.
  std::string_view ordinal = text;
  const int day_of_year = digits(ordinal, 3);
  if (day_of_year > 0 && (ordinal.empty() || ordinal.front() < '0' || ordinal.front() > '9')) {
    text = ordinal;
    const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    if (mark == '.' || day_of_year > 365 + leap || !day_of(year, 1, 1, ns)) return false;
    ns += (day_of_year - 1) * whole_day_ns;
    return true;
  }
  const int month = short_number(text);
  if (!take(text, std::string_view(&mark, 1))) return false;
  return day_of(year, month, short_number(text), ns);
}

bool take_time(std::string_view& text, std::int64_t& ns) {
  int hour = short_number(text);
  if (hour < 0 || hour > 24 || !take(text, ":")) return false;
  const int minute = digits(text, 2);
  if (minute < 0 || minute > 59) return false;
  int second = 0;
  std::int64_t fraction = 0;
  if (take(text, ":")) {
    second = digits(text, 2);
    if (second < 0 || second > 60) return false;
    // "12:30:15:250": three digits behind a colon are milliseconds as well.
    const bool colon = text.size() >= 4 && text[0] == ':' && text[1] >= '0' && text[1] <= '9' &&
                       text[2] >= '0' && text[2] <= '9' && text[3] >= '0' && text[3] <= '9' &&
                       (text.size() == 4 || text[4] < '0' || text[4] > '9');
    if (take(text, colon ? ":" : ".,")) {
      std::int64_t scale = 100000000;
      while (!text.empty() && text.front() >= '0' && text.front() <= '9') {
        fraction += (text.front() - '0') * scale;
        scale /= 10;
        text.remove_prefix(1);
        // "30.250.125": milliseconds and microseconds.
        const bool threes = (scale == 100000 || scale == 100) && text.size() >= 4 && text[0] == '.' &&
                            std::all_of(text.begin() + 1, text.begin() + 4, is_digit);
        if (threes) text.remove_prefix(1);
      }
    }
  }
  std::string_view after = trimmed(text);
  if (after.size() >= 2 && (after[1] | 32) == 'm' && ((after[0] | 32) == 'a' || (after[0] | 32) == 'p')) {
    if (hour < 1 || hour > 12) return false;
    hour = hour % 12 + ((after[0] | 32) == 'p' ? 12 : 0);
    after.remove_prefix(2);
    text = after;
  }
  ns = ((std::int64_t{hour} * 60 + minute) * 60 + second) * 1000000000 + fraction;
  return true;
}

}  // namespace

namespace {

/// Minutes with seconds and their fraction, "75:30.5", or more than 24 hours, "30:15:20": what a stopwatch
/// shows.
std::optional<std::int64_t> parse_gone_by(std::string_view text) {
  // "0 days 00:00:01.5".
  // "2 days, 03:04:05", "2d 03:04:05".
  const std::size_t counted = text.find_first_not_of("0123456789");
  std::string_view rest = counted == std::string_view::npos ? "" : text.substr(counted);
  if (counted > 0 && counted < 6 &&
      (starts_with(rest, " day") || starts_with(rest, "d ") || starts_with(rest, "day"))) {
    std::int64_t count = 0;
    for (const char c : text.substr(0, counted)) count = count * 10 + (c - '0');
    rest.remove_prefix(starts_with(rest, "d ") ? 1 : starts_with(rest, "day") ? 3 : 4);
    if (starts_with(rest, "s")) rest.remove_prefix(1);
    if (starts_with(rest, ",")) rest.remove_prefix(1);
    rest = trimmed(rest);
    std::int64_t ns = 0;
    if (rest.empty() || !take_time(rest, ns) || !rest.empty()) return {};
    return count * 86400 * 1000000000 + ns;
  }
  // "0 00:00:01.5": days in front.
  if (counted > 0 && counted < 5 && rest.size() > 7 && rest[0] == ' ' && is_digit(rest[1])) {
    std::int64_t ns = 0, count = 0;
    for (const char c : text.substr(0, counted)) count = count * 10 + (c - '0');
    rest.remove_prefix(1);
    if (take_time(rest, ns) && rest.empty()) return count * 86400 * 1000000000 + ns;
    return {};
  }
  if (const auto words = parse_duration_words(text)) return words;
  // "05 Mar 14:03:22", "Mar  5 14:03:22": a date without its year, counted from the year's first day.
  std::string_view dated = text;
  int month = month_word(dated);
  const bool word_first = month > 0;
  while (word_first && take(dated, " -./")) continue;
  const int day = short_number(dated);
  while (!word_first && take(dated, " -./")) continue;
  if (!word_first && day > 0) month = month_word(dated);
  std::int64_t from_new_year = 0, of_day = 0;
  if (month > 0 && day > 0 && take(dated, " ,_")) {
    while (take(dated, " ")) continue;
    // The year that counts is a leap year.
    if (day_of(2000, month, day, from_new_year) && take_time(dated, of_day) && dated.empty())
      return from_new_year - nanoseconds_since_1970(2000, 1, 1, 0, 0, 0) + of_day;
    return {};
  }
  std::int64_t fields[3] = {}, fraction = 0, scale = 1000000000;
  int count = 0;
  std::size_t at = 0;
  for (;; ++count) {
    const std::size_t from = at;
    while (at < text.size() && at < from + 6 && text[at] >= '0' && text[at] <= '9')
      fields[count] = fields[count] * 10 + (text[at++] - '0');
    if (at == from || (count > 0 && (at - from != 2 || fields[count] > 59))) return {};
    if (count == 2 || at == text.size() || text[at] != ':') break;
    ++at;
  }
  const bool parted = at < text.size() && (text[at] == '.' || text[at] == ',');
  if (parted)
    for (++at; at < text.size() && text[at] >= '0' && text[at] <= '9'; ++at)
      if (scale > 1) scale /= 10, fraction += (text[at] - '0') * scale;
  if (at != text.size()) return {};
  if (count == 1 && !parted && fields[0] > 24) return (fields[0] * 60 + fields[1]) * 60 * 1000000000;
  if (count == 1 && parted) return (fields[0] * 60 + fields[1]) * 1000000000 + fraction;
  if (count == 2 && fields[0] > 24)
    return ((fields[0] * 60 + fields[1]) * 60 + fields[2]) * 1000000000 + fraction;
  return {};
}

}  // namespace

std::optional<std::int64_t> parse_date(std::string_view text, DayOrder order) {
  text = trimmed(text);
  std::int64_t ns = 0;
  return take_date(text, order, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> parse_time_of_day(std::string_view text) {
  text = trimmed(text);
  std::int64_t ns = 0;
  // Before and after a trigger: "-00:00:02.5", "T+00:00:01".
  std::string_view behind = text;
  if (take(behind, "Tt") && (behind.empty() || (behind[0] != '+' && behind[0] != '-'))) return {};
  const bool negative = !behind.empty() && behind[0] == '-';
  if (take(behind, "+-")) {
    const auto size =
        !behind.empty() && behind[0] >= '0' && behind[0] <= '9' ? parse_time_of_day(behind) : std::nullopt;
    return size && negative ? std::optional(-*size) : size;
  }
  if (const auto gone_by = parse_gone_by(text)) return gone_by;
  return take_time(text, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

namespace {

/// "20251103060708.250", "20251103T060708Z", "20251103-060708": a date and a time without marks within.
std::optional<std::int64_t> parse_compact(std::string_view text) {
  const int year = digits(text, 4), month = digits(text, 2), day = digits(text, 2);
  std::int64_t date = 0;
  if (year < 1900 || year > 2200 || !day_of(year, month, day, date)) return {};
  take(text, "T-_ ");
  const int hour = digits(text, 2), minute = digits(text, 2);
  const int second = text.empty() ? 0 : digits(text, 2);  // "202511030607".
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 60) return {};
  std::int64_t fraction = 0, scale = 1000000000;
  if (take(text, ".,"))
    for (; !text.empty() && text[0] >= '0' && text[0] <= '9'; text.remove_prefix(1))
      if (scale > 1) scale /= 10, fraction += (text[0] - '0') * scale;
  take(text, "Z");
  if (!text.empty()) return {};
  return date + ((std::int64_t{hour} * 60 + minute) * 60 + second) * 1000000000 + fraction;
}

}  // namespace

std::optional<std::int64_t> parse_compact_day(std::string_view text) {
  text = trimmed(text);
  const int year = digits(text, 4), month = digits(text, 2), day = digits(text, 2);
  std::int64_t ns = 0;
  return text.empty() && year >= 1900 && day_of(year, month, day, ns) ? std::optional(ns) : std::nullopt;
}

namespace {

/// "Mon Nov 23 06:54:19 2026": the year behind the time of day, as the C library's asctime writes it.
std::optional<std::int64_t> parse_year_behind(std::string_view text) {
  const std::size_t blank = text.find_last_of(' ');
  const std::string year(blank == std::string_view::npos ? "" : text.substr(blank + 1));
  if (year.size() != 4 || year.find_first_not_of("0123456789") != std::string::npos) return {};
  text = trimmed(text.substr(0, blank));
  // "10:00:00 UTC 2026".
  double zone = 0;
  if (const std::size_t word = text.find_last_of(' '); word != std::string_view::npos)
    if (const auto hours = zone_word(text.substr(word + 1)))
      zone = *hours, text = trimmed(text.substr(0, word));
  const std::size_t clock = text.find_last_of(' ');
  std::string_view time = clock == std::string_view::npos ? "" : text.substr(clock + 1);
  std::int64_t of_day = 0;
  if (!take_time(time, of_day) || !time.empty()) return {};
  const auto day = parse_date(std::string(trimmed(text.substr(0, clock))) + " " + year);
  return day ? std::optional(*day + of_day - static_cast<std::int64_t>(zone * 3600e9)) : std::nullopt;
}

}  // namespace

std::optional<std::int64_t> parse_date_time(std::string_view text, DayOrder order) {
  text = without_weekday(trimmed(text));
  if (const auto behind = parse_year_behind(text)) return behind;
  if (text.size() >= 2 && text.front() == '"' && text.back() == '"') text = text.substr(1, text.size() - 2);
  if (const auto compact = parse_compact(text)) return compact;
  std::int64_t date = 0, time = 0;
  if (!take_date(text, order, date)) return std::nullopt;
  if (starts_with(text, ", ")) text.remove_prefix(1);  // "Nov 3, 2026, 10:00 AM".
  if (!take(text, "T t_:")) return std::nullopt;
  text = trimmed(text);
  if (!take_time(text, time)) return std::nullopt;
  text = trimmed(text);
  // "UTC+01:00" is "+01:00".
  if (text.size() > 4 && (starts_with(text, "UTC") || starts_with(text, "GMT")) &&
      std::string_view("+-").find(text[3]) != std::string_view::npos)
    text.remove_prefix(3);
  if (const auto zone = zone_word(text)) return date + time - static_cast<std::int64_t>(*zone * 3600e9);
  if (take(text, "Zz")) return text.empty() ? std::optional(date + time) : std::nullopt;
  if (text.empty()) return date + time;
  const bool west = text.front() == '-';
  if (!take(text, "+-")) return std::nullopt;
  const int hours = digits(text, 2);
  take(text, ":");
  const int minutes = text.empty() ? 0 : digits(text, 2);
  if (hours < 0 || minutes < 0 || !text.empty()) return std::nullopt;
  const std::int64_t offset = (std::int64_t{hours} * 60 + minutes) * 60000000000;
  return date + time + (west ? offset : -offset);
}

std::optional<std::int64_t> start_of_day(int year, int month, int day) {
  std::int64_t ns = 0;
  return day_of(year, month, day, ns) ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> instant_after(std::int64_t nanoseconds, double seconds) {
  constexpr double most_s = 9.2e9;
  if (!(std::abs(seconds + static_cast<double>(nanoseconds) / 1e9) < most_s) || !(std::abs(seconds) < most_s))
    return {};
  return nanoseconds + std::llround(seconds * 1e9);
}

std::string utc_text(std::int64_t nanoseconds) {
  using namespace std::chrono;
  const sys_time<std::chrono::nanoseconds> at{std::chrono::nanoseconds{nanoseconds}};
  const auto day = floor<days>(at);
  const year_month_day date{day};
  const hh_mm_ss time{at - day};
  std::string out = fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}.{:09}", static_cast<int>(date.year()),
                                static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                                time.hours().count(), time.minutes().count(), time.seconds().count(),
                                time.subseconds().count());
  while (out.back() == '0') out.pop_back();
  if (out.back() == '.') out.pop_back();
  return out + "Z";
}

bool is_ambiguous_date(std::string_view text) {
  text = trimmed(text);
  std::string_view other = text;
  std::int64_t one = 0, two = 0;
  return take_date(text, DayOrder::day_first, one) && take_date(other, DayOrder::month_first, two) &&
         one != two;
}

}  // namespace vprism
