// text_clock.cpp: see text_clock.h.
#include "formats/text_clock.h"

#include "base/text.h"
#include "formats/text_preamble.h"

namespace vprism {

namespace {

/// Whether day or month stands first: what all rows allow; where both do, AM or PM speaks for the month, and
/// a caution gives the other reading.
void settle_day_order(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, ClockColumn& clock) {
  std::vector<std::string_view> cells;
  bool fits[2] = {true, true}, ambiguous = false, halves = false;
  const auto time_of = [&](DayOrder order, std::size_t line) -> std::optional<std::int64_t> {
    split_cells(lines[line].text, layout.delimiter, cells);
    if (clock.cell + (clock.two_cells ? 1u : 0u) >= cells.size()) return {};
    const std::string date = unquoted_cell(cells[clock.cell]);
    if (!clock.two_cells) {
      const auto whole = parse_date_time(date, order);
      return whole ? whole : parse_time_of_day(date);
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

}  // namespace

void find_clock(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last) {
  std::vector<std::string_view> cells;
  split_cells(lines[first].text, layout.delimiter, cells);
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const std::string cell = unquoted_cell(cells[i]);
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
      clock.first_ns = *alone;
    } else {
      continue;
    }
    settle_day_order(layout, lines, first, last, clock);
    layout.clock = clock;
    return;
  }
}

}  // namespace vprism
