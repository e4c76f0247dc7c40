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

/// One or two digits; -1 when there are none.
int short_number(std::string_view& text) {
  if (text.empty() || text[0] < '0' || text[0] > '9') return -1;
  const bool two = text.size() > 1 && text[1] >= '0' && text[1] <= '9';
  return digits(text, two ? 2 : 1);
}

/// A month by its word, three letters or more; 0 when there is none.
int month_word(std::string_view& text) {
  std::size_t size = 0;
  while (size < text.size() && ((text[size] | 32) >= 'a' && (text[size] | 32) <= 'z')) ++size;
  if (size < 3) return 0;
  static constexpr std::string_view names[] = {"january",   "february", "march",    "april",
                                               "may",       "june",     "july",     "august",
                                               "september", "october",  "november", "december"};
  const std::string word = lower_case(text.substr(0, size));
  for (int m = 0; m < 12; ++m)
    if (starts_with(names[m], word) || (m == 8 && word == "sept")) {
      text.remove_prefix(size);
      return m + 1;
    }
  return 0;
}

bool day_of(int year, int month, int day, std::int64_t& ns) {
  constexpr int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
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
    if (year < 0 || (dashes && !word)) return false;
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
  if (!take(text, "-/")) return false;
  const int month = digits(text, 2);
  if (!take(text, std::string_view(&mark, 1))) return false;
  return day_of(year, month, digits(text, 2), ns);
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
    if (take(text, ".,")) {
      std::int64_t scale = 100000000;
      while (!text.empty() && text.front() >= '0' && text.front() <= '9') {
        fraction += (text.front() - '0') * scale;
        scale /= 10;
        text.remove_prefix(1);
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

std::optional<std::int64_t> parse_date(std::string_view text, DayOrder order) {
  text = trimmed(text);
  std::int64_t ns = 0;
  return take_date(text, order, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> parse_time_of_day(std::string_view text) {
  text = trimmed(text);
  std::int64_t ns = 0;
  return take_time(text, ns) && text.empty() ? std::optional(ns) : std::nullopt;
}

std::optional<std::int64_t> parse_date_time(std::string_view text, DayOrder order) {
  text = trimmed(text);
  if (text.size() >= 2 && text.front() == '"' && text.back() == '"') text = text.substr(1, text.size() - 2);
  std::int64_t date = 0, time = 0;
  if (!take_date(text, order, date) || !take(text, "T t_")) return std::nullopt;
  text = trimmed(text);
  if (!take_time(text, time)) return std::nullopt;
  text = trimmed(text);
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

bool is_ambiguous_date(std::string_view text) {
  text = trimmed(text);
  std::string_view other = text;
  std::int64_t one = 0, two = 0;
  return take_date(text, DayOrder::day_first, one) && take_date(other, DayOrder::month_first, two) &&
         one != two;
}

}  // namespace vprism
