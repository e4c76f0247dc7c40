// text_intervals.cpp: see text_intervals.h.
#include "formats/text_intervals.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text_axis.h"
#include "signal/stamps.h"

namespace vprism {

namespace {

bool without_unit(const Channel& column) { return column.unit.text() == "1"; }

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

void assume_even_axis(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last) {
  if (layout.has_axis() || layout.interval_s > 0 || layout.columns.size() < 2 || !layout.parts.empty())
    return;
  const Channel& lead = layout.columns[0];
  if (lead.name.empty() || !without_unit(lead)) return;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, 0);
  if (!rises_evenly(numbers)) return;
  take_axis_column(layout, 0);
  layout.cautions.push_back(
      {"axis-assumed", Severity::warning, "",
       "the first column, \"" + layout.axis.name + "\", rises by even steps and is taken as time",
       "name the time column with --axis, or --axis none if there is none"});
}

}  // namespace vprism
