// clock.cpp: see clock.h. Forms of ISO 8601, and blanks and slashes where the trade writes them.
#include "formats/clock.h"

#include "base/text.h"
#include "formats/format.h"

namespace vprism {

namespace {

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

bool take_date(std::string_view& text, std::int64_t& ns) {
  const int year = digits(text, 4);
  if (year < 0 || text.empty()) return false;
  const char mark = text.front();
  if (!take(text, "-/")) return false;
  const int month = digits(text, 2);
  if (month < 1 || month > 12 || !take(text, std::string_view(&mark, 1))) return false;
  const int day = digits(text, 2);
  constexpr int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
  if (day < 1 || day > days[month - 1] + (month == 2 && leap)) return false;
  ns = nanoseconds_since_1970(year, month, day, 0, 0, 0);
  return true;
}

bool take_time(std::string_view& text, std::int64_t& ns) {
  const int hour = digits(text, 2);
  if (hour < 0 || hour > 24 || !take(text, ":")) return false;
  const int minute = digits(text, 2);
  if (minute < 0 || minute > 59) return false;
  int second = 0;
  std::int64_t fraction = 0;
  if (take(text, ":")) {
    second = digits(text, 2);
    if (second < 0 || second > 60) return false;
    if (take(text, ".,")) {
      std::int64_t scale = 100000000;
      while (!text.empty() && text.front() >= '0' && text.front() <= '9') {
        fraction += (text.front() - '0') * scale;
        scale /= 10;
        text.remove_prefix(1);
      }
    }
  }
  ns = ((std::int64_t{hour} * 60 + minute) * 60 + second) * 1000000000 + fraction;
  return true;
}

}  // namespace

std::optional<std::int64_t> parse_date(std::string_view text) {
  text = trimmed(text);
  std::int64_t ns = 0;
  return take_date(text, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> parse_time_of_day(std::string_view text) {
  text = trimmed(text);
  std::int64_t ns = 0;
  return take_time(text, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> parse_date_time(std::string_view text) {
  text = trimmed(text);
  if (text.size() >= 2 && text.front() == '"' && text.back() == '"') text = text.substr(1, text.size() - 2);
  std::int64_t date = 0, time = 0;
  if (!take_date(text, date) || !take(text, "T t_") || !take_time(text, time)) return std::nullopt;
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

}  // namespace vprism
