// text_clock.cpp: see text_clock.h.
#include "formats/text/clock/text_clock.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/axis/frequency_axis.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/clock/clock_digits.h"
#include "formats/text/clock/clock_pieces.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// Whether day or month stands first: what all rows allow; where both do, AM or PM speaks for the month, and
/// a caution gives the other reading.
void settle_day_order(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, ClockColumn& clock) {
  std::span<const std::string_view> cells;
  bool fits[2] = {true, true}, ambiguous = false, halves = false;
  const auto time_of = [&](DayOrder order, std::size_t line) -> std::optional<std::int64_t> {
    cells = lines[line].cells(layout.delimiter);
    if (clock.cell + (clock.two_cells ? 1u : 0u) >= cells.size()) return {};
    const std::string date = unquoted_cell(cells[clock.cell]);
    if (!clock.two_cells) {
      auto whole = parse_date_time(date, order);
      if (!whole) whole = parse_time_of_day(date);
      return whole ? whole : parse_date(date, order);
    }
    const auto day = parse_date(date, order), time = parse_time_of_day(unquoted_cell(cells[clock.cell + 1]));
    return day && time ? std::optional(*day + *time) : std::nullopt;
  };
  for (std::size_t i = first; i <= last; ++i) {
    for (const DayOrder order : {DayOrder::day_first, DayOrder::month_first})
      if (!time_of(order, i)) fits[static_cast<int>(order)] = false;
    if (clock.cell < cells.size()) {
      ambiguous = ambiguous || is_ambiguous_date(unquoted_cell(cells[clock.cell]));
      const std::string text = lower_case(lines[i].text);
      halves = halves || text.find(" am") != std::string::npos || text.find(" pm") != std::string::npos;
    }
  }
  const bool month_first = fits[0] == fits[1] ? halves : fits[1];
  clock.order = month_first ? DayOrder::month_first : DayOrder::day_first;
  if (const auto at = time_of(clock.order, first)) clock.first_ns = *at;
  if (ambiguous && fits[0] && fits[1])
    layout.cautions.push_back(
        {"date-order", Severity::note, "",
         std::string("the dates may be read with the day or the month first; the ") +
             (month_first ? "month" : "day") + " is taken first",
         "times within the record are the same either way; export dates with the year first to settle it"});
}

/// "12:30" throughout: hours and minutes, unless the first goes beyond a day or the title says otherwise;
/// a caution gives the other reading.
void settle_minutes(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last,
                    ClockColumn& clock) {
  std::span<const std::string_view> cells;
  bool beyond = false;
  for (std::size_t i = first; i <= last; ++i) {
    cells = lines[i].cells(layout.delimiter);
    if (clock.cell >= cells.size()) continue;
    const std::string cell = unquoted_cell(cells[clock.cell]);
    const std::size_t colon = cell.find(':');
    if (colon == std::string::npos ||
        !std::all_of(cell.begin(), cell.begin() + static_cast<std::ptrdiff_t>(colon), is_digit))
      return;
    if (cell.find_first_not_of("0123456789", colon + 1) != std::string::npos) return;
    beyond = beyond || colon > 2 || (colon == 2 && cell.substr(0, 2) > "24");
  }
  std::string title;
  if (first > 0) {
    cells = lines[first - 1].cells(layout.delimiter);
    if (clock.cell < cells.size()) title = lower_case(unquoted_cell(cells[clock.cell]));
  }
  const bool minutes = title.find("mm:ss") != std::string::npos || title.find("m:s") != std::string::npos ||
                       title.find("min") != std::string::npos,
             hours = title.find("hh:mm") != std::string::npos || title.find("h:m") != std::string::npos;
  clock.minutes_first = beyond || minutes;
  if (clock.minutes_first) clock.first_ns /= 60;
  if (!beyond && !minutes && !hours)
    layout.cautions.push_back({"minutes-or-hours", Severity::warning, "",
                               "times such as 12:30 are taken as hours and minutes; as minutes and seconds "
                               "the rate were 60 times higher",
                               "give --rate if they are, or export the times with hours"});
}

}  // namespace

std::optional<std::int64_t> clock_of_row(const TextLayout& layout, std::span<const std::string_view> cells) {
  const ClockColumn& clock = *layout.clock;
  if (!clock.pieces.empty()) return instant_of_pieces(clock.pieces, cells, clock.order);
  if (clock.cell + (clock.two_cells ? 1 : 0) >= cells.size()) return {};
  if (clock.milliseconds && *clock.milliseconds >= cells.size()) return {};
  const auto bare = [](std::string_view text) {
    text = trimmed(text);
    return text.size() >= 2 && text.front() == '"' && text.back() == '"' ? text.substr(1, text.size() - 2)
                                                                         : text;
  };
  const std::string_view first = bare(cells[clock.cell]);
  std::optional<std::int64_t> ns;
  if (clock.unit_ns > 0) {
    ns = parse_counted_time(first, clock.unit_ns, clock.twice_at_1970);
  } else if (clock.compact_days) {
    ns = parse_compact_day(first);
  } else if (clock.two_cells) {
    const auto day = parse_date(first, clock.order), time = parse_time_of_day(bare(cells[clock.cell + 1]));
    if (day && time) ns = *day + *time;
  } else {
    ns = parse_date_time(first, clock.order);
    if (!ns) ns = parse_time_of_day(first);
    // Midnight, of which programs show the date alone.
    if (!ns) ns = parse_date(first, clock.order);
    if (ns && clock.minutes_first) *ns /= 60;
  }
  double milliseconds = 0;
  if (!ns || (clock.milliseconds && !parse_cell(cells[*clock.milliseconds], layout.decimal, milliseconds)))
    return {};
  return instant_after(*ns, milliseconds / 1e3);
}

namespace {

/// Whether what `instant` reads in a cell of each row is later from row to row, three rows at least.
template <typename Instant>
bool instants_rise(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                   std::size_t last, std::size_t cell, Instant instant) {
  std::span<const std::string_view> cells;
  std::optional<std::int64_t> before;
  std::size_t rows = 0;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    cells = lines[i].cells(layout.delimiter);
    if (cell >= cells.size()) return false;
    const std::optional<std::int64_t> now = instant(unquoted_cell(cells[cell]));
    if (!now || (before && *now <= *before)) return false;
    before = now;
    ++rows;
  }
  return rows > 2;
}

void find_day_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last) {
  std::span<const std::string_view> cells;
  cells = lines[first].cells(layout.delimiter);
  double value = 0;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (parse_cell(cells[i], layout.decimal, value)) continue;
    for (const DayOrder order : {DayOrder::day_first, DayOrder::month_first}) {
      // Days: the clock of what is logged once a day, or less often.
      if (!instants_rise(layout, lines, first, last, i,
                         [order](const std::string& text) { return parse_date(text, order); }))
        continue;
      ClockColumn clock;
      clock.cell = i;
      settle_day_order(layout, lines, first, last, clock);
      layout.clock = clock;
      return;
    }
  }
}

/// The same text in all rows, three at least.
bool stands_still(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t cell) {
  std::string_view before;
  std::size_t rows = 0;
  for (std::size_t i = first; i <= last; ++i) {
    const auto& cells = lines[i].cells(layout.delimiter);
    if (trimmed(lines[i].text).empty() || cell >= cells.size()) continue;
    if (rows++ > 0 && cells[cell] != before) return false;
    before = cells[cell];
  }
  return rows > 2;
}

/// Whether a later cell of the rows holds dates and times that rise.
bool goes_on_behind(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last, std::size_t cell) {
  const std::size_t count = lines[first].cells(layout.delimiter).size();
  for (std::size_t c = cell + 1; c < count; ++c)
    if (instants_rise(layout, lines, first, last, c,
                      [](const std::string& text) { return parse_date_time(text); }))
      return true;
  return false;
}

}  // namespace

void find_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last) {
  std::span<const std::string_view> cells;
  cells = lines[first].cells(layout.delimiter);
  double value = 0;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const std::string cell = unquoted_cell(cells[i]);
    if (parse_cell(cell, layout.decimal, value)) continue;  // See find_counted_clock.
    const std::string next = i + 1 < cells.size() ? unquoted_cell(cells[i + 1]) : "";
    ClockColumn clock;
    clock.cell = i;
    if (const auto whole = parse_date_time(cell)) {
      clock.first_ns = *whole;
    } else if (const auto day = parse_date(cell), time = parse_time_of_day(next); day && time) {
      clock.two_cells = true;
      clock.first_ns = *day + *time;
    } else if (parse_date_time(cell, DayOrder::month_first) ||
               (parse_date(cell, DayOrder::month_first) && parse_time_of_day(next))) {
      clock.two_cells = !parse_date_time(cell, DayOrder::month_first);
    } else if (const auto alone = parse_time_of_day(cell)) {
      clock.first_ns = *alone, clock.no_date = true;
    } else {
      continue;
    }
    // Where several instants stand in a row, the one that goes on: not when a query began.
    if (stands_still(layout, lines, first, last, i) && goes_on_behind(layout, lines, first, last, i))
      continue;
    settle_day_order(layout, lines, first, last, clock);
    if (clock.no_date) settle_minutes(layout, lines, first, last, clock);
    layout.clock = clock;
    return;
  }
  find_day_clock(layout, lines, first, last);
}

namespace {

constexpr std::int64_t second_ns = 1000000000, day_ns = 86400 * second_ns;

/// What a column of numbers may count, and since when.
struct CountedTime {
  std::int64_t unit_ns = 0, twice_at_1970 = 0;
  const char* what = "";
};

bool any_of_words(const std::string& name, std::initializer_list<const char*> words) {
  return std::any_of(words.begin(), words.end(),
                     [&](const char* word) { return name.find(word) != std::string::npos; });
}

/// How finely a column of numbers is printed: digits behind the decimal mark, the most of all rows.
std::size_t printed_digits(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                           std::size_t last, std::size_t column) {
  std::span<const std::string_view> cells;
  std::size_t out = 0;
  for (std::size_t i = first; i <= last; ++i) {
    cells = lines[i].cells(layout.delimiter);
    if (layout.cells[column] >= cells.size()) continue;
    const std::string cell = unquoted_cell(cells[layout.cells[column]]);
    const std::size_t mark = cell.find(layout.decimal);
    if (mark != std::string::npos) out = std::max(out, cell.size() - mark - 1);
  }
  return out;
}

/// Whether a column is called so that it may hold instants.
bool may_be_instants(const Channel& column, bool lead) {
  const std::string name = lower_case(column.name);
  return is_time_title(column) || (column.unit.text() != "1" && column.unit.known()) || name == "ts" ||
         starts_with(name, "ts_") || (lead && name.empty()) ||
         any_of_words(name, {"epoch", "unix", "utc", "posix", "stamp", "jd", "julian", "date", "datum",
                             "yyyymmdd", "serial", "excel", "tick", "filetime"});
}

/// By title, unit, size and steps of its numbers: nothing where it is a plain time.
std::optional<CountedTime> counted_time(const Channel& column, const std::vector<double>& numbers,
                                        std::size_t digits, bool lead) {
  const bool unit = column.unit.text() != "1";
  if (numbers.size() < 2 || !may_be_instants(column, lead) ||
      (unit && !column.unit.converts_to(Unit::parse("s"))))
    return {};
  const double value = numbers.front(),
               step = (numbers.back() - value) / static_cast<double>(numbers.size() - 1);
  const double unit_s = unit ? column.unit.convert(1, Unit::parse("s")) : 0;
  if (const auto since = unit_since_1970(value, step);
      since && (!unit || std::abs(unit_s * 1e9 / static_cast<double>(*since) - 1) < 1e-9))
    return CountedTime{*since, 0,
                       *since == second_ns ? "seconds since 1970"
                       : *since == 1000000 ? "milliseconds since 1970"
                       : *since == 1000    ? "microseconds since 1970"
                                           : "nanoseconds since 1970"};
  // Tenths of a microsecond: since the year 1 from 2000 to 2090, since 1601 from 1997 to 2076.
  constexpr std::int64_t tick_ns = 100;
  if (!unit && value > 6.3e17 && value < 6.6e17)
    return CountedTime{tick_ns, 2 * 621355968000000000, "ticks of 100 ns since the year 1"};
  if (!unit && value > 1.25e17 && value < 1.5e17)
    return CountedTime{tick_ns, 2 * 116444736000000000, "ticks of 100 ns since 1601"};
  if (unit && std::abs(unit_s / 86400 - 1) > 1e-9) return {};
  const std::string name = lower_case(column.name);
  const bool modified = name.find("mjd") != std::string::npos;
  if (!modified && any_of_words(name, {"jd", "julian"}) && value > 2.4e6 && value < 2.5e6)
    return CountedTime{day_ns, 2 * 2440587 + 1, "days of the Julian date"};
  if (modified && value > 4e4 && value < 8e4)
    return CountedTime{day_ns, 2 * 40587, "days of the modified Julian date"};
  // Seconds since midnight are of that size too: where the title does not say that these are dates, so many
  // digits do.
  constexpr std::size_t digits_of_days = 8;
  const bool dated = any_of_words(name, {"date", "datum", "serial", "excel"}) ||
                     (is_time_title(column) && !unit && digits >= digits_of_days);
  if (dated && digits > 0 && value > 3e4 && value < 8e4)
    return CountedTime{day_ns, 2 * 25569, "days since 1900, as spreadsheets count them"};
  if (dated && digits > 0 && value > 7e5 && value < 7.9e5)
    return CountedTime{day_ns, 2 * 719529, "days since the year 0"};
  return {};
}

/// Milliseconds in a cell of their own, right behind a clock of whole seconds.
void take_milliseconds(TextLayout& layout, std::span<const std::string_view> first_row) {
  const std::size_t next = layout.clock->cell + (layout.clock->two_cells ? 2 : 1);
  for (std::size_t c = 0; c < layout.columns.size() && layout.columns.size() > 1; ++c) {
    if (layout.cells[c] != next) continue;
    const std::string name = lower_case(layout.columns[c].name);
    if (!starts_with(name, "millis") && name != "ms" && name != "msec") continue;
    layout.clock->milliseconds = next;
    if (const auto begun = clock_of_row(layout, first_row)) layout.clock->first_ns = *begun;
    leave_out_columns(layout, {c});
    return;
  }
}

}  // namespace

void find_counted_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last) {
  std::span<const std::string_view> cells;
  if (layout.clock) {
    cells = lines[first].cells(layout.delimiter);
    take_milliseconds(layout, cells);
    return;
  }
  find_clock_pieces(layout, lines, first, last);
  if (!layout.clock) find_time_in_digits(layout, lines, first, last);
  if (layout.clock || is_swept(layout, lines, first, last)) return;
  cells = lines[first].cells(layout.delimiter);
  const std::span<const std::string_view> first_row = cells;
  for (std::size_t c = 0; c < layout.columns.size() && layout.columns.size() > 1; ++c) {
    double value = 0;
    if (layout.cells[c] >= first_row.size() || !may_be_instants(layout.columns[c], c == 0) ||
        !parse_cell(first_row[layout.cells[c]], layout.decimal, value) || value < 3e4 ||
        // "20251103060708.250" has too many digits to rise as a number.
        !(column_rises(layout, lines, first, last, c) ||
          instants_rise(layout, lines, first, last, layout.cells[c],
                        [](const std::string& cell) { return parse_date_time(cell); })))
      continue;
    const std::string text = unquoted_cell(first_row[layout.cells[c]]);
    // "20251103060708.250".
    // or days, "20251103".
    const bool days = value > 1.9e7 && value < 2.2e7 && text.size() == 8 &&
                      any_of_words(lower_case(layout.columns[c].name), {"date", "datum", "day"});
    // To the minute.
    const bool minutes = value > 1.9e11 && value < 2.2e11 && text.size() == 12 &&
                         any_of_words(lower_case(layout.columns[c].name), {"date", "yyyymmdd", "time"});
    const auto compact = days                                            ? parse_compact_day(text)
                         : minutes || (value > 1.9e13 && value < 2.2e13) ? parse_date_time(text)
                                                                         : std::nullopt;
    if (compact) {
      ClockColumn clock;
      clock.compact_days = days;
      clock.cell = layout.cells[c], clock.first_ns = *compact;
      leave_out_columns(layout, {c});
      layout.clock = clock;
      return;
    }
    const auto counted = counted_time(layout.columns[c], numbers_of_column(layout, lines, first, last, c),
                                      printed_digits(layout, lines, first, last, c), c == 0);
    const auto begun =
        counted ? parse_counted_time(text, counted->unit_ns, counted->twice_at_1970) : std::nullopt;
    if (!begun) continue;
    ClockColumn clock;
    clock.cell = layout.cells[c], clock.first_ns = *begun;
    clock.unit_ns = counted->unit_ns, clock.twice_at_1970 = counted->twice_at_1970;
    layout.cautions.push_back({"clock-counted", Severity::note, "",
                               "the column \"" + column_name(layout, c) + "\" is taken as " + counted->what +
                                   ": time 0 is its first row, " + utc_text(*begun),
                               "--axis with its name takes it as plain numbers"});
    leave_out_columns(layout, {c});
    layout.clock = clock;
    return;
  }
}

}  // namespace vprism
