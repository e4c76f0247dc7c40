// text_axis.cpp: see text_axis.h.
#include "formats/text/tables/text_axis.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/rows/text_intervals.h"

namespace vprism {

namespace {

bool is_frequency_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  return name == "f" || name.find("freq") != std::string::npos;
}

/// "Hz", "kHz": a unit of frequency in place of a title.
std::optional<Unit> frequency_unit_as_title(const Channel& column) {
  if (column.unit.text() != "1" || column.name.size() < 2) return {};
  const auto unit = Unit::try_parse(column.name);
  return unit && unit->converts_to(Unit::parse("Hz")) && lower_case(column.name).ends_with("hz")
             ? unit
             : std::nullopt;
}

bool is_position_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word : {"position", "stage", "distance", "displacement", "delay", "path", "wavelength",
                           "angle", "wavenumber"})
    if (name.find(word) != std::string::npos) return true;
  return name == "x" || name == "pos";
}

/// From row to row, in all of them: a sweep from the top down.
bool column_falls(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  return numbers.size() >= 5 &&
         std::adjacent_find(numbers.begin(), numbers.end(), std::less_equal<>()) == numbers.end();
}

}  // namespace

/// Within what the preamble says that is swept over.
bool is_swept(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
              std::size_t last) {
  const auto swept = swept_frequencies(layout);
  if (!swept || layout.columns.empty()) return false;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, 0);
  const double slack = 1e-3 * (swept->second - swept->first);
  return numbers.size() > 2 && std::abs(numbers.front() - swept->first) <= slack &&
         numbers.back() <= swept->second + slack;
}

namespace {

/// What kind of axis a column makes: by its unit, else by its title.
Axis axis_of(const TextLayout& layout, std::size_t c) {
  const Channel& column = layout.columns[c];
  Axis axis;
  axis.name = column_name(layout, c);
  const bool unit = column.unit.text() != "1" && column.unit.known();
  // A place without a unit is no time.
  if (!unit && is_position_title(column) && !is_time_title(column)) {
    axis.domain = Axis::Domain::other;
    axis.unit = Unit::parse("1");
    return axis;
  }
  if (unit ? column.unit.converts_to(Unit::parse("s")) : !is_frequency_title(column)) return axis;
  if (unit ? column.unit.converts_to(Unit::parse("Hz")) : true) {
    axis.domain = Axis::Domain::frequency;
    axis.unit = Unit::parse("Hz");
    return axis;
  }
  axis.domain = Axis::Domain::other;
  axis.unit = column.unit;
  return axis;
}

}  // namespace

void find_axis_column(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, const std::string& file, const std::string& asked) {
  if (asked == "none") return;
  const std::size_t count = layout.columns.size();
  const auto rises = [&](std::size_t c) { return column_rises(layout, lines, first, last, c); };
  if (!asked.empty()) {
    std::vector<std::string> names;
    for (std::size_t c = 0; c < count; ++c) {
      names.push_back(column_name(layout, c));
      if (names[c] == asked || std::to_string(c + 1) == asked) layout.time = c;
    }
    if (!layout.time)
      throw Error(Status::usage, "--axis: " + file + ": " + unknown_name("column", asked, names));
  } else if (count > 1) {
    for (std::size_t c = 0; c < count && !layout.time; ++c)
      if ((is_axis_column(layout, c) && rises(c)) || is_time_by_steps(layout, lines, first, last, c))
        layout.time = c;
    // A spectrum or a scan: its axis stands in the first column, or behind one that counts the rows.
    const std::size_t at = count > 2 && is_count_column(layout, lines, first, last, 0) ? 1 : 0;
    Channel& lead = layout.columns[at];
    if (const auto unit = frequency_unit_as_title(lead)) lead.name = "frequency", lead.unit = *unit;
    const bool hertz = lead.unit.text() != "1" && lead.unit.converts_to(Unit::parse("Hz"));
    if (!layout.time && (is_frequency_title(lead) || hertz || is_position_title(lead)) &&
        (rises(at) || column_falls(layout, lines, first, last, at)))
      layout.time = at;
    // "Parameter,0.000,0.005" over rows of channels says nothing of the times.
    static constexpr std::string_view said_of_all[] = {"parameter", "name",      "signal",   "channel",
                                                       "variable",  "quantity",  "channels", "signals",
                                                       "item",      "parameters"};
    const bool headed = std::find(std::begin(said_of_all), std::end(said_of_all),
                                  lower_case(layout.columns[0].name)) != std::end(said_of_all) &&
                        layout.columns[0].unit.text() == "1";
    const bool untitled = headed || std::all_of(layout.columns.begin(), layout.columns.end(),
                                                [](const Channel& c) { return c.name.empty(); });
    // Times from the last to the first.
    for (std::size_t c = 0; c < count && !layout.time; ++c)
      if (is_axis_column(layout, c) && column_falls(layout, lines, first, last, c)) layout.time = c;
    if (!layout.time && untitled && rises(0) && is_swept(layout, lines, first, last)) {
      layout.columns[0].unit = Unit::parse("Hz");
      layout.time = 0;
    }
    if (!layout.time && untitled && rises(0)) {
      // Behind a column that numbers the rows, one that rises is the time.
      const bool second = count > 2 && rises(1) &&
                          counts_by_one(numbers_of_column(layout, lines, first, last, 0)) &&
                          !counts_by_one(numbers_of_column(layout, lines, first, last, 1));
      layout.time = second ? 1 : 0;
      layout.cautions.push_back(
          {"axis-assumed", Severity::warning, "",
           headed
               ? "\"" + layout.columns[0].name + "\" stands before numbers that rise steadily: taken as time"
               : std::string("the columns have no titles; the ") + (second ? "second" : "first") +
                     " one rises steadily and is taken as time",
           "name the time column with --axis, or --axis none if there is none"});
    }
  }
  if (layout.time) take_axis_column(layout, *layout.time);
}

void take_axis_column(TextLayout& layout, std::size_t index) {
  layout.time = index;
  layout.time_factor = 1;
  std::erase_if(layout.cautions, [](const Caution& c) {
    return c.code == "axis-unit-assumed" || c.code == "looks-like-spectrum";
  });
  Channel& column = layout.columns[index];
  layout.axis = axis_of(layout, index);
  const bool named = column.unit.text() != "1" && column.unit.known();
  const std::string name = lower_case(column.name);
  const char* const spoken = spoken_time_unit(name);
  if (!named && layout.axis.domain == Axis::Domain::time && spoken != nullptr) {
    column.unit = Unit::parse(spoken);
  } else if (!named && layout.axis.domain == Axis::Domain::time) {
    layout.cautions.push_back(
        {"axis-unit-assumed", Severity::note, "",
         "the time column \"" + layout.axis.name + "\" names no unit; seconds are taken",
         "check the duration; --axis-scale gives another unit"});
    column.unit = Unit::parse("s");
  }
  if (layout.axis.domain == Axis::Domain::frequency) {
    if (named) layout.time_factor = column.unit.convert(1, layout.axis.unit);
    layout.cautions.push_back(
        {"looks-like-spectrum", Severity::note, "",
         "the column \"" + layout.axis.name + "\" holds frequencies: the table is read as a spectrum",
         "if it is a time, name another column with --axis"});
  }
  if (layout.axis.domain == Axis::Domain::time) layout.time_factor = column.unit.convert(1, layout.axis.unit);
}

std::optional<std::pair<double, double>> swept_frequencies(const TextLayout& layout) {
  const auto hertz = [&](std::initializer_list<std::string_view> keys) -> std::optional<double> {
    for (const auto& [key, text] : layout.notes) {
      const Channel title = channel_from_title(key);
      std::string name = lower_case(title.name);
      std::replace(name.begin(), name.end(), '_', ' ');
      if (std::find(keys.begin(), keys.end(), name) == keys.end()) continue;
      // "1000000000,Hz", "1.2 GHz".
      const std::size_t behind = text.find_first_not_of("+-.0123456789eE");
      double number = 0;
      if (!parse_cell(std::string_view(text).substr(0, behind), '.', number)) continue;
      std::string_view unit =
          behind == std::string::npos ? std::string_view() : std::string_view(text).substr(behind);
      while (!unit.empty() && std::string_view(" ,;\t").find(unit.front()) != std::string_view::npos)
        unit.remove_prefix(1);
      const auto known = unit.empty() ? std::optional(title.unit) : Unit::try_parse(unit);
      if (known && known->converts_to(Unit::parse("Hz"))) return known->convert(number, Unit::parse("Hz"));
      if (unit.empty() && title.unit.text() == "1") return number;
    }
    return {};
  };
  const auto centre = hertz(
                 {"center frequency", "centre frequency", "center freq", "centre freq", "center", "centre"}),
             span = hertz({"span", "frequency span", "freq span"});
  if (centre && span && *span > 0) return std::pair{*centre - *span / 2, *centre + *span / 2};
  const auto start = hertz({"start frequency", "start freq", "freq start", "frequency start"}),
             stop = hertz({"stop frequency", "stop freq", "freq stop", "frequency stop", "end frequency"});
  if (start && stop && *stop > *start) return std::pair{*start, *stop};
  return {};
}

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
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const Channel& column = layout.columns[c];
    // Something else must be left.
    if (layout.columns.size() < (layout.time ? 3u : 2u)) return;
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
    layout.cautions.push_back({"axis-repeats", Severity::note, "",
                               "the column \"" + column_name(layout, c) +
                                   "\" holds the same times, counted from its own start: it is left out",
                               "--axis with its name takes it instead"});
    leave_out_columns(layout, {c});
    --c;
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
