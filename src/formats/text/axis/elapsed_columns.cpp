// elapsed_columns.cpp: see elapsed_columns.h.
#include "formats/text/axis/elapsed_columns.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/text.h"
#include "formats/text/clock/clock.h"
#include "formats/text/clock/text_clock.h"

namespace vprism {

namespace {

/// What a count is worth in seconds whose numbers go along with a clock's: a unit of time; 0 for none.
double unit_beside_clock(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last, std::size_t column) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  if (numbers.size() < 2 || !(numbers.back() > numbers.front())) return 0;
  std::span<const std::string_view> cells;
  std::optional<std::int64_t> begun, ended;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    cells = lines[i].cells(layout.delimiter);
    const auto now = clock_of_row(layout, cells);
    if (!now) continue;
    if (!begun) begun = now;
    ended = now;
  }
  if (!begun || !ended) return 0;
  const double span_s = static_cast<double>(*ended - *begun) * 1e-9,
               worth = span_s / (numbers.back() - numbers.front());
  for (const double unit : {1e-9, 1e-6, 1e-3, 1.0, 60.0, 3600.0, 86400.0})
    if (std::abs(worth / unit - 1) < 1e-3) return unit;
  return 0;
}

/// A column that is called the day of the year, and is that of each row's date.
bool is_day_of_year(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last, std::size_t column) {
  const std::string name = lower_case(layout.columns[column].name);
  if (!layout.clock || layout.clock->no_date ||
      (name != "doy" && name != "jday" && name != "yday" && name != "day of year" && name != "julday"))
    return false;
  constexpr std::int64_t day = 86400LL * 1'000'000'000;
  double value = 0;
  std::size_t rows = 0;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    const auto& cells = lines[i].cells(layout.delimiter);
    const auto now = clock_of_row(layout, cells);
    if (!now || layout.cells[column] >= cells.size() ||
        !parse_cell(cells[layout.cells[column]], layout.decimal, value))
      return false;
    const std::string year = utc_text(*now).substr(0, 4);
    const auto begun = parse_date(year + "-01-01");
    if (!begun || std::floor(value) != static_cast<double>((*now - *begun) / day + 1)) return false;
    ++rows;
  }
  return rows > 2;
}

/// Seconds since 1970 that go along with a clock, though each was taken by itself: no further from it than a
/// second anywhere.
bool is_stamp_beside_clock(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                           std::size_t last, std::size_t column) {
  const std::string name = lower_case(layout.columns[column].name);
  if (!layout.clock || (name.find("stamp") == std::string::npos && name.find("epoch") == std::string::npos))
    return false;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  if (numbers.size() < 3 || numbers.front() < 946684800 || numbers.back() > 2208988800) return false;
  std::optional<std::int64_t> begun;
  std::size_t row = 0;
  double off = 0;
  for (std::size_t i = first; i <= last && row < numbers.size(); ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    const auto now = clock_of_row(layout, lines[i].cells(layout.delimiter));
    if (!now) return false;
    if (!begun) begun = now;
    off = std::max(off, std::abs(numbers[row++] - numbers[0] - static_cast<double>(*now - *begun) * 1e-9));
  }
  return off < 1;
}

}  // namespace

void leave_out_elapsed(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last) {
  if (!layout.has_axis()) return;
  const Unit seconds = Unit::parse("s");
  // Without a unit, beside a clock: "header.stamp", "seconds_elapsed".
  const auto counted = [&](std::size_t c) {
    const std::string name = lower_case(layout.columns[c].name);
    return layout.clock && layout.columns[c].unit.text() == "1" &&
           (name.find("time") != std::string::npos || name.find("stamp") != std::string::npos ||
            name.find("elapsed") != std::string::npos || name.find("epoch") != std::string::npos ||
            is_axis_column(layout, c));
  };
  const auto factor_of = [&](std::size_t c) {
    const Unit& unit = layout.columns[c].unit;
    if (counted(c)) return unit_beside_clock(layout, lines, first, last, c);
    return unit.text() != "1" && unit.converts_to(seconds) ? unit.convert(1, seconds) : 1;
  };
  std::span<const std::string_view> cells;
  const auto leave_out = [&](std::size_t c) {
    layout.cautions.push_back({"axis-repeats", Severity::note, "",
                               "the column \"" + column_name(layout, c) +
                                   "\" holds the same times, counted from its own start: it is left out",
                               "--axis with its name takes it instead"});
    leave_out_columns(layout, {c});
  };
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const Channel& column = layout.columns[c];
    // Something else must be left.
    if (layout.columns.size() < (layout.time ? 3u : 2u)) return;
    if (is_day_of_year(layout, lines, first, last, c) ||
        is_stamp_beside_clock(layout, lines, first, last, c)) {
      leave_out(c--);
      continue;
    }
    if (layout.time == c || (!counted(c) && (!is_axis_column(layout, c) || column.unit.text() == "1")))
      continue;
    // Between channels it is the axis of those behind it.
    std::size_t before = 0, behind = 0;
    for (std::size_t other = 0; other < layout.columns.size(); ++other)
      if (other != c && layout.time != other && !is_axis_column(layout, other))
        ++(other < c ? before : behind);
    if (layout.time && before > 0 && behind > 0) continue;
    const double factor = factor_of(c), time_factor = layout.time ? factor_of(*layout.time) : 1;
    double begun = 0, begun_beside = 0, span = 0, off = 0, value = 0, time = 0;
    std::size_t rows = 0;
    std::int64_t begun_ns = 0;
    bool all = true;
    for (std::size_t i = first; i <= last && all; ++i) {
      if (trimmed(lines[i].text).empty()) continue;
      cells = lines[i].cells(layout.delimiter);
      if (layout.cells[c] >= cells.size() || !parse_any_cell(cells[layout.cells[c]], layout.decimal, value)) {
        all = false;
        break;
      }
      value *= factor;
      if (layout.clock) {
        const auto ns = clock_of_row(layout, cells);
        if (!ns) {
          all = false;
          break;
        }
        if (rows == 0) begun_ns = *ns;
        time = static_cast<double>(*ns - begun_ns) * 1e-9;
      } else {
        if (layout.cells[*layout.time] >= cells.size() ||
            !parse_any_cell(cells[layout.cells[*layout.time]], layout.decimal, time)) {
          all = false;
          break;
        }
        time *= time_factor;
      }
      if (rows == 0) begun = value, begun_beside = time;
      span = time - begun_beside;
      off = std::max(off, std::abs(value - begun - span));
      ++rows;
    }
    // To a tenth of a step: each may be rounded by itself.
    if (!all || rows < 5 || !(span > 0) || off > 0.1 * span / static_cast<double>(rows - 1)) continue;
    leave_out(c--);
  }
}

void leave_out_same_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last) {
  if (!layout.time) return;
  const std::vector<double> axis = numbers_of_column(layout, lines, first, last, *layout.time);
  std::vector<std::size_t> same;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (c != *layout.time && layout.columns[c].name == layout.columns[*layout.time].name &&
        layout.columns[c].unit == layout.columns[*layout.time].unit &&
        numbers_of_column(layout, lines, first, last, c) == axis)
      same.push_back(c);
  // Something else must be left.
  if (same.empty() || same.size() + 2 > layout.columns.size()) return;
  layout.cautions.push_back({"axis-repeats", Severity::note, "",
                             "the column \"" + column_name(layout, same.front()) +
                                 "\" comes again with the same numbers: it is taken once",
                             "--columns takes each"});
  leave_out_columns(layout, same);
}

}  // namespace vprism
