// text_intervals.cpp: see text_intervals.h.
#include "formats/text/axis/text_intervals.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/text.h"
#include "formats/text/axis/axis_words.h"
#include "formats/text/axis/text_axis.h"
#include "signal/stamps.h"

namespace vprism {

namespace {

bool without_unit(const Channel& column) { return column.unit.text() == "1"; }

/// "dt", "delta_t", "time step", "interval": with a unit of time, or a name that needs none.
bool is_step_column(const Channel& column) {
  const bool seconds = !without_unit(column) && column.unit.converts_to(Unit::parse("s"));
  if (!seconds && !without_unit(column)) return false;
  std::string name = lower_case(column.name);
  std::replace(name.begin(), name.end(), '_', ' ');
  for (const char* word : {"dt", "delta t", "deltat", "\u03B4t", "\u0394t", "time delta", "delta time"})
    if (name == word) return true;
  for (const char* word : {"step", "time step", "timestep", "interval", "sample interval"})
    if (name == word) return seconds;
  return false;
}

bool are_steps(const std::vector<double>& numbers) {
  const auto positive = std::count_if(numbers.begin(), numbers.end(), [](double x) { return x > 0; });
  return numbers.size() > 2 && *std::min_element(numbers.begin(), numbers.end()) >= 0 &&
         10 * positive >= 9 * (static_cast<std::ptrdiff_t>(numbers.size()) - 1);
}

}  // namespace

bool is_time_by_steps(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last, std::size_t column) {
  const Channel& c = layout.columns[column];
  std::string name = lower_case(c.name);
  while (!name.empty() && (std::isdigit(static_cast<unsigned char>(name.back())) != 0 || name.back() == '_'))
    name.pop_back();
  static constexpr std::string_view words[] = {"t",     "ts",    "stamp", "clock", "tick",  "ticks",
                                               "begin", "start", "onset", "from",  "tstamp"};
  return without_unit(c) && std::find(std::begin(words), std::end(words), name) != std::end(words) &&
         rises_evenly(numbers_of_column(layout, lines, first, last, column));
}

void take_steps_or_rates(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                         std::size_t last, bool whole) {
  if (layout.has_axis() || layout.columns.size() < 2) return;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    if (!is_step_column(layout.columns[c])) continue;
    if (!are_steps(numbers_of_column(layout, lines, first, last, c))) continue;
    take_axis_column(layout, c);
    layout.axis.name = "time";
    layout.steps = true;
    layout.cautions.push_back(
        {"steps-added-up", Severity::note, "",
         "the column \"" + column_name(layout, c) +
             "\" holds the times since the row before: they are added up, and time 0 is "
             "the first row",
         "where each holds until the next row, times are one row late; --axis none "
         "takes it as a channel"});
    return;
  }
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const Channel& column = layout.columns[c];
    const bool hertz = !without_unit(column) && column.unit.converts_to(Unit::parse("Hz"));
    // A rate of beats or of flow is one too, if nothing more is said of it.
    if ((!hertz && (!without_unit(column) || lower_case(column.name) == "rate")) ||
        axis_word(column.name, hertz ? AxisUnit::frequency : AxisUnit::none) != AxisWord::rate)
      continue;
    const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, c);
    if (numbers.size() < 3 || !(numbers[0] > 0) ||
        std::any_of(numbers.begin(), numbers.end(), [&](double x) { return x != numbers[0]; }))
      continue;
    layout.interval_s = 1 / (hertz ? column.unit.convert(numbers[0], Unit::parse("Hz")) : numbers[0]);
    layout.interval_source = column_name(layout, c);
    layout.cautions.push_back({"rate-in-rows", Severity::note, "",
                               "the column \"" + column_name(layout, c) +
                                   "\" repeats the rate in every row: it is taken from there",
                               "--rate gives another"});
    // Further down it might be another.
    if (whole) leave_out_columns(layout, {c});
    return;
  }
}

void take_counted_steps(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last) {
  const std::string source = lower_case(layout.interval_source);
  if (layout.has_axis() || !(layout.interval_s > 0) || layout.columns.size() < 2 ||
      (source.find("step") == std::string::npos && source.find("(dt)") == std::string::npos))
    return;
  static constexpr std::string_view words[] = {"step",      "steps", "time step", "timestep",
                                               "iteration", "iter",  "nstep"};
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    if (!without_unit(layout.columns[c]) ||
        std::find(std::begin(words), std::end(words), lower_case(layout.columns[c].name)) == std::end(words))
      continue;
    const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, c);
    const bool whole =
        std::all_of(numbers.begin(), numbers.end(), [](double x) { return x == std::floor(x); });
    if (numbers.size() < 3 || !whole || counts_by_one(numbers) ||
        std::adjacent_find(numbers.begin(), numbers.end(), std::greater_equal<>()) != numbers.end())
      continue;
    const std::string name = column_name(layout, c);
    layout.time = c;
    layout.columns[c].unit = Unit::parse("s");
    layout.axis.name = "time";
    layout.time_factor = layout.interval_s;
    layout.interval_s = 0;
    layout.cautions.push_back({"steps-counted", Severity::note, "",
                               "the column \"" + name +
                                   "\" counts time steps, of which the settings say how long one is (" +
                                   layout.interval_source + "): times are from there",
                               "--axis none with --rate or --interval takes the rows as even"});
    return;
  }
}

void leave_out_ends(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last) {
  if (!layout.time || *layout.time + 2 >= layout.columns.size()) return;
  const std::size_t begin = *layout.time, end = begin + 1;
  static constexpr std::string_view words[] = {"end", "stop", "finish", "until", "to", "offset", "t1", "t2"};
  const std::string name = lower_case(layout.columns[end].name);
  const bool called = std::any_of(std::begin(words), std::end(words), [&](std::string_view word) {
    return starts_with(name, word) || (name.size() > word.size() && name.ends_with("_" + std::string(word)));
  });
  if (!called && !is_axis_column(layout, end)) return;
  const std::vector<double> from = numbers_of_column(layout, lines, first, last, begin),
                            to = numbers_of_column(layout, lines, first, last, end);
  if (from.size() < 3 || from.size() != to.size()) return;
  const double step = (from.back() - from.front()) / static_cast<double>(from.size() - 1);
  std::size_t lasting = 0;
  for (std::size_t n = 0; n < from.size(); ++n) {
    if (!(to[n] >= from[n]) || (n + 1 < from.size() && !(to[n] <= from[n + 1] + 0.1 * step))) return;
    lasting += to[n] > from[n] ? 1 : 0;
  }
  if (2 * lasting < from.size()) return;  // The same times twice.
  layout.cautions.push_back({"interval-ends", Severity::note, "",
                             "each row holds from \"" + column_name(layout, begin) + "\" to \"" +
                                 column_name(layout, end) +
                                 "\": its time is the first; the second is left out",
                             "take the other as the time with --axis"});
  leave_out_columns(layout, {end});
}

void leave_out_stated_rate(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                           std::size_t last) {
  if (!layout.time || layout.columns.size() < 3) return;
  const std::vector<double> times = numbers_of_column(layout, lines, first, last, *layout.time);
  if (times.size() < 3 || !rises_evenly(times)) return;
  const double step_s =
      (times.back() - times.front()) / static_cast<double>(times.size() - 1) * layout.time_factor;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    if (c == *layout.time) continue;
    const Channel& column = layout.columns[c];
    const bool hertz = !without_unit(column) && column.unit.converts_to(Unit::parse("Hz")),
               seconds = !without_unit(column) && column.unit.converts_to(Unit::parse("s"));
    if (!hertz && !seconds && !without_unit(column)) continue;
    const AxisWord word = axis_word(column.name, hertz     ? AxisUnit::frequency
                                                 : seconds ? AxisUnit::time
                                                           : AxisUnit::none);
    if (word != AxisWord::rate && word != AxisWord::interval) continue;
    const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, c);
    if (numbers.size() != times.size() || !(numbers[0] > 0) ||
        std::any_of(numbers.begin(), numbers.end(), [&](double x) { return x != numbers[0]; }))
      continue;
    double said_s = hertz     ? column.unit.convert(numbers[0], Unit::parse("Hz"))
                    : seconds ? column.unit.convert(numbers[0], Unit::parse("s"))
                              : numbers[0];
    if (word == AxisWord::rate) said_s = 1 / said_s;
    if (!(std::abs(said_s / step_s - 1) < 0.01)) continue;
    layout.cautions.push_back({"rate-in-rows", Severity::note, "",
                               "the column \"" + column_name(layout, c) +
                                   "\" repeats in every row what the times say as well: it is left out",
                               "take it as a channel with --columns if it is one"});
    leave_out_columns(layout, {c});
    return;
  }
}

void assume_even_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last) {
  if (layout.has_axis() || layout.interval_s > 0 || layout.columns.size() < 2) return;
  const Channel& lead = layout.columns[0];
  if ((lead.name.empty() && layout.columns[1].name.empty()) || !without_unit(lead)) return;
  const std::string name = column_name(layout, 0);
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, 0);
  if (!rises_evenly(numbers)) return;
  take_axis_column(layout, 0);
  layout.cautions.push_back({"axis-assumed", Severity::warning, "",
                             "the first column, \"" + name + "\", rises by even steps and is taken as time",
                             "name the time column with --axis, or --axis none if there is none"});
}

}  // namespace vprism
