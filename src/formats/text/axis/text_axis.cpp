// text_axis.cpp: see text_axis.h.
#include "formats/text/axis/text_axis.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/axis/frequency_axis.h"
#include "formats/text/axis/text_intervals.h"

namespace vprism {

namespace {

bool is_position_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word : {"position", "stage", "distance", "displacement", "delay", "path", "wavelength",
                           "angle", "wavenumber", "depth", "chainage"})
    if (name.find(word) != std::string::npos) return true;
  return name == "x" || name == "pos";
}

/// To a tenth of a step: numbers may be rounded.
bool steps_by(const std::vector<double>& numbers, double step) {
  if (numbers.size() < 3 || step == 1) return false;
  for (std::size_t n = 0; n < numbers.size(); ++n)
    if (std::abs(numbers[n] - numbers[0] - static_cast<double>(n) * step) > 0.1 * step) return false;
  return true;
}

/// From row to row, in all of them: a sweep from the top down.
bool column_falls(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  return numbers.size() >= 5 &&
         std::adjacent_find(numbers.begin(), numbers.end(), std::less_equal<>()) == numbers.end();
}

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
    if (column.name.empty()) axis.name = "frequency";
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
  } else if (const auto swept = column_of_response(layout, lines, first, last)) {
    layout.time = swept;
  } else if (count > 1) {
    // "Time Step" counts, where "flow-time" stands beside it.
    const auto counts = [&](std::size_t c) {
      return layout.columns[c].unit.text() == "1" && is_count_column(layout, lines, first, last, c);
    };
    for (const bool may_count : {false, true})
      for (std::size_t c = 0; c < count && !layout.time; ++c)
        if ((is_axis_column(layout, c) && rises(c) && (may_count || !counts(c))) ||
            is_time_by_steps(layout, lines, first, last, c))
          layout.time = c;
    // Without a title, by the very steps that the settings say.
    if (!layout.time && layout.interval_s > 0 && layout.columns[0].name.empty() &&
        layout.columns[0].unit.text() == "1" &&
        steps_by(numbers_of_column(layout, lines, first, last, 0), layout.interval_s))
      layout.time = 0;
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
    if (!layout.time && untitled && !headed && rises(0) &&
        are_frequencies(layout, numbers_of_column(layout, lines, first, last, 0))) {
      layout.columns[0].unit = Unit::parse("Hz");
      layout.time = 0;
      layout.cautions.push_back(
          {"axis-assumed", Severity::warning, "",
           "the columns have no titles; the first one rises as frequencies do, and is taken "
           "as frequencies in Hz",
           "--axis none if it is a channel; --axis-scale gives another unit"});
    }
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

void doubt_seconds(TextLayout& layout, std::span<const TextLine> lines, std::size_t first, std::size_t last) {
  const auto assumed = std::find_if(layout.cautions.begin(), layout.cautions.end(),
                                    [](const Caution& c) { return c.code == "axis-unit-assumed"; });
  if (!layout.time || layout.steps || layout.time_factor != 1 || assumed == layout.cautions.end()) return;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, *layout.time);
  if (numbers.size() < 3 ||
      std::any_of(numbers.begin(), numbers.end(), [](double t) { return t != std::floor(t); }))
    return;
  const double step = (numbers.back() - numbers.front()) / static_cast<double>(numbers.size() - 1);
  // Minutes and hours are logged in whole numbers of seconds.
  if (step < 5 || std::fmod(step, 5) == 0) {
    const double usual[] = {5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200, 21600, 86400};
    if (step < 5 || std::find(std::begin(usual), std::end(usual), step) != std::end(usual)) return;
  }
  assumed->severity = Severity::warning;
  assumed->text += ", though they are whole numbers " + format_number(step, 6) +
                   " apart: they may count milliseconds or microseconds";
  assumed->remedy = "--axis-scale '1 us' or '1 ms' says so";
}

void scale_by_interval(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                       std::size_t last) {
  const auto assumed = std::find_if(layout.cautions.begin(), layout.cautions.end(),
                                    [](const Caution& c) { return c.code == "axis-unit-assumed"; });
  if (!layout.time || !(layout.interval_s > 0) || assumed == layout.cautions.end() || layout.steps) return;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, *layout.time);
  if (numbers.size() < 3 || !(numbers.back() > numbers.front())) return;
  const double step = (numbers.back() - numbers.front()) / static_cast<double>(numbers.size() - 1);
  // One that counts the rows is left to who takes the rate from the settings.
  if (step == 1) return;
  for (int power = 1; power <= 9; ++power) {
    const double tick = std::pow(10.0, -power);
    if (std::abs(step * tick / layout.interval_s - 1) > 1e-3) continue;
    layout.time_factor *= tick;
    assumed->text = "the time column \"" + layout.axis.name +
                    "\" names no unit; by the interval that the settings say (" + layout.interval_source +
                    ") it counts " + format_quantity(tick, "s", 3);
    return;
  }
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

}  // namespace vprism
