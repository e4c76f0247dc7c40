// clock_counts.cpp: times that are counts of a unit since a date, see clock.h.
#include <cmath>
#include <limits>

#include "base/text.h"
#include "formats/text/clock/clock.h"

namespace vprism {

std::optional<std::int64_t> parse_counted_time(std::string_view text, std::int64_t unit_ns,
                                               std::int64_t twice_at_1970) {
  text = trimmed(text);
  const bool negative = !text.empty() && text.front() == '-';
  if (!text.empty() && (text.front() == '-' || text.front() == '+')) text.remove_prefix(1);
  __extension__ using Wide = __int128;
  Wide whole = 0, part = 0, scale = 1;
  std::size_t at = 0, digits = 0;
  const auto digit = [&] { return at < text.size() && text[at] >= '0' && text[at] <= '9'; };
  for (; digit() && digits < 20; ++at, ++digits) whole = whole * 10 + (text[at] - '0');
  if (at < text.size() && (text[at] == '.' || text[at] == ','))
    for (++at; digit(); ++at, ++digits)
      if (scale < 1000000000000000) part = part * 10 + (text[at] - '0'), scale *= 10;
  if (digits == 0 || at != text.size()) return {};
  const Wide size = whole * unit_ns + (part * unit_ns + scale / 2) / scale;
  const Wide ns = (negative ? -size : size) - Wide{twice_at_1970} * unit_ns / 2;
  if (ns > std::numeric_limits<std::int64_t>::max() || ns < std::numeric_limits<std::int64_t>::min())
    return {};
  return static_cast<std::int64_t>(ns);
}

std::optional<std::int64_t> unit_since_1970(double first, double step) {
  constexpr double year_2000 = 9.466e8, year_2040 = 2.209e9;
  for (const std::int64_t unit :
       {std::int64_t{1000000000}, std::int64_t{1000000}, std::int64_t{1000}, std::int64_t{1}}) {
    const double seconds = first * static_cast<double>(unit) / 1e9,
                 by = step * static_cast<double>(unit) / 1e9;
    if (seconds > year_2000 && seconds < year_2040)
      return by > 0 && std::abs(std::remainder(by, 1000.0)) < 1e-6 * by ? std::nullopt : std::optional(unit);
  }
  return {};
}

std::optional<std::int64_t> instant_of_count(std::int64_t count, std::int64_t unit_ns) {
  std::int64_t out = 0;
  return __builtin_mul_overflow(count, unit_ns, &out) ? std::nullopt : std::optional(out);
}

namespace {

constexpr std::string_view since_word = " since ";

}  // namespace

bool is_counted_since(std::string_view text) { return text.find(since_word) != std::string_view::npos; }

CountedSince counted_since(std::string_view text) {
  const std::size_t since = text.find(since_word);
  if (since == std::string_view::npos) return {std::string(text), std::nullopt};
  std::string_view when = trimmed(text.substr(since + since_word.size()));
  if (when.ends_with(" UTC") || when.ends_with(" GMT")) when = trimmed(when.substr(0, when.size() - 4));
  auto zero = parse_date_time(when);
  if (!zero) zero = parse_date(when);
  return {std::string(text.substr(0, since)), zero};
}

std::optional<Caution> calendar_caution(std::string_view calendar) {
  const std::string name = lower_case(calendar);
  if (name.empty() || name == "standard" || name == "gregorian" || name == "proleptic_gregorian")
    return std::nullopt;
  return Caution{"calendar", Severity::note, "",
                 "its times follow the calendar \"" + clean_text(calendar, 40) +
                     "\": they are taken as lengths of time, the date as it stands",
                 ""};
}

Caution clock_counted_caution(const std::string& axis, const std::string& unit) {
  return {"clock-counted", Severity::note, "",
          "\"" + axis + "\" is taken as counts of " + unit + " since 1970: time 0 is its first row",
          "--axis-scale gives another unit"};
}

}  // namespace vprism
