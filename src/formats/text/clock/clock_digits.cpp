// clock_digits.cpp: see clock_digits.h.
#include "formats/text/clock/clock_digits.h"

#include <algorithm>
#include <charconv>

#include "base/text.h"
#include "formats/format.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

constexpr std::int64_t ns_of_second = 1000000000, ns_of_hour = 3600 * ns_of_second,
                       ns_of_day = 24 * ns_of_hour;

bool is_called_so(const Channel& column) {
  std::string name = lower_case(trimmed(column.name));
  std::replace(name.begin(), name.end(), '_', ' ');
  for (const char* word : {"utc", "utc time", "gps time", "gpstime", "hms"})
    if (name == word) return true;
  return name.find("hhmmss") != std::string::npos || lower_case(column.unit.text()) == "hhmmss";
}

struct DigitSteps {
  double least = 1e300, greatest = 0;
  void add(double step) { least = std::min(least, step), greatest = std::max(greatest, step); }
  bool rise() const { return least > 0 && greatest > 0; }
  bool even() const { return rise() && greatest < 1.5 * least; }
};

/// A day of six digits, in the order that a title may name ("ddmmyy"); else the day first if it can be one,
/// as satellite receivers write it.
std::optional<std::int64_t> day_in_digits(std::string_view cell, const std::string& title) {
  if (cell.size() != 6 || !std::all_of(cell.begin(), cell.end(), is_digit)) return {};
  const auto two = [&](std::size_t at) { return (cell[at] - '0') * 10 + cell[at + 1] - '0'; };
  for (const char* order : {"ddmmyy", "yymmdd", "mmddyy"}) {
    const std::string_view o = order;
    const bool named = title.find(order) != std::string::npos, other = title.find("mm") != std::string::npos;
    const int day = two(o.find('d')), month = two(o.find('m')), year = 2000 + two(o.find('y'));
    if ((named || !other) && day >= 1 && day <= 31 && month >= 1 && month <= 12)
      return nanoseconds_since_1970(year, month, day, 0, 0, 0);
  }
  return {};
}

/// A column of days beside the times of day: the first is the record's day.
void take_day_column(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                     std::size_t last) {
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const std::string title = lower_case(layout.columns[c].name + " " + layout.columns[c].unit.text());
    if (title.find("date") == std::string::npos && title.find("mmyy") == std::string::npos &&
        title.find("yymm") == std::string::npos && title.find("ddyy") == std::string::npos)
      continue;
    std::optional<std::int64_t> begun;
    bool fits = true;
    for (std::size_t i = first; i <= last && fits; ++i) {
      if (trimmed(lines[i].text).empty()) continue;
      const auto& cells = lines[i].cells(layout.delimiter);
      const auto day = layout.cells[c] < cells.size()
                           ? day_in_digits(unquoted_cell(cells[layout.cells[c]]), title)
                           : std::nullopt;
      fits = day && (!begun || *day >= *begun);
      if (!begun) begun = day;
    }
    if (!fits || !begun || layout.columns.size() < 2) continue;
    layout.began_day_ns = begun;
    leave_out_columns(layout, {c});
    return;
  }
}

}  // namespace

std::optional<std::int64_t> time_in_digits(std::string_view cell) {
  const std::size_t mark = std::min(cell.find_first_of(".,"), cell.size());
  std::int64_t whole = 0, behind = 0;
  if (mark == 0 || mark > 6 || cell.size() - std::min(cell.size(), mark + 1) > 9) return {};
  const auto digits = [](std::string_view text, std::int64_t& value) {
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    return code == std::errc() && end == text.data() + text.size() && is_digit(text.front());
  };
  if (!digits(cell.substr(0, mark), whole)) return {};
  if (mark + 1 < cell.size()) {
    if (!digits(cell.substr(mark + 1), behind)) return {};
    for (std::size_t n = cell.size() - mark - 1; n < 9; ++n) behind *= 10;
  }
  const std::int64_t hours = whole / 10000, minutes = whole / 100 % 100, seconds = whole % 100;
  if (hours > 24 || minutes > 59 || seconds > 60) return {};
  return (hours * 3600 + minutes * 60 + seconds) * ns_of_second + behind;
}

void find_time_in_digits(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last) {
  if (layout.columns.size() < 2) return;
  std::span<const std::string_view> cells;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const Channel& column = layout.columns[c];
    const bool called = is_called_so(column);
    if (!called && (column.unit.text() != "1" || !(column.name.empty() || is_time_title(column)))) continue;
    std::optional<std::int64_t> begun, before;
    std::int64_t midnights = 0;
    double number = 0, number_before = 0;
    DigitSteps as_times, as_numbers;
    bool fits = true;
    for (std::size_t i = first; i <= last && fits; ++i) {
      if (trimmed(lines[i].text).empty()) continue;
      cells = lines[i].cells(layout.delimiter);
      const std::string cell = layout.cells[c] < cells.size() ? unquoted_cell(cells[layout.cells[c]]) : "";
      auto now = time_in_digits(cell);
      if (!(fits = now && parse_cell(cell, layout.decimal, number))) break;
      *now += midnights * ns_of_day;
      if (before && *before - *now > 20 * ns_of_hour) ++midnights, *now += ns_of_day;
      if (before) {
        as_times.add(static_cast<double>(*now - *before));
        as_numbers.add(number - number_before);
      } else {
        begun = now;
      }
      before = now, number_before = number;
    }
    // Numbers that are even as they stand are counts: 0, 100, 200 are no minutes.
    if (!fits || !begun || !as_times.rise() || !(called || (as_times.even() && !as_numbers.even()))) continue;
    ClockColumn clock;
    clock.cell = layout.cells[c], clock.first_ns = *begun, clock.no_date = true;
    clock.pieces = {{ClockPiece::Kind::time_in_digits, clock.cell, 0}};
    layout.cautions.push_back({"clock-counted", Severity::note, "",
                               "the column \"" + column_name(layout, c) +
                                   "\" is taken as times of day, two digits each of hours, minutes and "
                                   "seconds: time 0 is their first row",
                               "--axis with its name takes it as plain numbers"});
    leave_out_columns(layout, {c});
    take_day_column(layout, lines, first, last);
    layout.clock = clock;
    return;
  }
}

}  // namespace vprism
