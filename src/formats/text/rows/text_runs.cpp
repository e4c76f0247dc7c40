// text_runs.cpp: runs one below the other in a text table, whose times begin anew; see text_columns.h.
#include <algorithm>
#include <charconv>
#include <cmath>

#include "base/text.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/rows/row_checks.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// Runs that another column counts; false if there is no such column.
bool part_by_count(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                   std::size_t last_row, const ReadSettings& settings, const std::string& file,
                   std::size_t time, const std::vector<double>& times) {
  const bool in_words = layout.delimiter != ' ' && layout.delimiter != '(';
  std::span<const std::string_view> cells;
  for (std::size_t c = 0; c < layout.columns.size() && in_words; ++c) {
    if (c == time || layout.columns[c].unit.text() != "1") continue;
    const std::vector<double> counts = numbers_of_column(layout, lines, first_row, last_row, c);
    if (counts.size() != times.size()) continue;
    // Times rise while it stands still, and fall wherever it goes on by a whole number.
    std::size_t runs = 1;
    bool fits = true;
    for (std::size_t n = 1; n < counts.size() && fits; ++n) {
      const bool next = counts[n] != counts[n - 1];
      runs += next ? 1 : 0;
      fits = counts[n] == std::floor(counts[n]) && counts[n] >= counts[n - 1] &&
             (next ? times[n] <= times[n - 1] : times[n] > times[n - 1]);
    }
    if (!fits || runs < 2 || runs * 3 > counts.size()) continue;
    std::string before;
    for (std::size_t i = first_row; i <= last_row; ++i) {
      cells = lines[i].cells(layout.delimiter);
      const std::string now = layout.cells[c] < cells.size() ? unquoted_cell(cells[layout.cells[c]]) : "";
      if (now.empty() || now == before) continue;
      layout.parts.push_back({now, "rows with this \"" + column_name(layout, c) + "\""});
      before = now;
    }
    layout.part = choose_part(file, layout.parts, settings, 0);
    layout.tag_cell = layout.cells[c], layout.tag = layout.parts[layout.part].name;
    if (!layout.time) take_axis_column(layout, time);
    if (settings.part.empty())
      layout.cautions.push_back({"runs-apart", Severity::warning, "",
                                 "times begin anew wherever \"" + column_name(layout, c) + "\" goes on, " +
                                     std::to_string(layout.parts.size()) +
                                     " runs: each is a part; the first is taken",
                                 "choose another with --part; inspect lists them"});
    leave_out_columns(layout, {c});
    return true;
  }
  return false;
}

/// Whether each run steps evenly: numbers without a title are times only then.
bool runs_step_evenly(const std::vector<double>& times, const std::vector<std::int64_t>& starts) {
  const double step = times[1] - times[0];
  for (std::size_t n = 1, run = 1; n < times.size(); ++n) {
    if (run < starts.size() && n == static_cast<std::size_t>(starts[run]))
      ++run;
    else if (std::abs(times[n] - times[n - 1] - step) > 0.01 * step)
      return false;
  }
  return true;
}

/// Whether an angle falls by whole turns only: it goes on then, see RowChecks.
bool goes_on_by_turns(const std::vector<double>& angles, const Unit& unit) {
  const double turn = turn_of(unit);
  double step = 0;
  for (std::size_t n = 1; n < angles.size() && turn > 0; ++n) {
    const double rise = angles[n] - angles[n - 1];
    if (rise > 0)
      step = rise;
    else if (turns_begun(-rise, step, turn) == 0)
      return false;
  }
  return turn > 0;
}

/// Runs that nothing counts. Where the file goes on behind its head, its reader finds the others.
void part_by_falls(TextLayout& layout, std::span<const TextLine> lines, TableRows& rows,
                   const ReadSettings& settings, const std::string& file, bool whole,
                   std::optional<std::size_t> time, const std::vector<double>& times) {
  RunStarts runs;
  for (const double x : times) runs.add(x);
  std::vector<std::size_t> filled;
  for (std::size_t i = rows.first; i <= rows.last; ++i)
    if (!trimmed(lines[i].text).empty()) filled.push_back(i);
  if (!runs.holds() || filled.size() != times.size() || layout.dialect) return;
  const bool titled = layout.clock || layout.time || !layout.columns[*time].name.empty();
  if (!titled && !runs_step_evenly(times, runs.rows())) return;
  layout.parts = runs.parts(whole);
  layout.part = whole ? choose_part(file, layout.parts, settings, 0)
                      : run_asked_for(settings).value_or(0);  // Others may follow.
  layout.one_run = !whole, layout.runs_before = whole ? 0 : layout.part;
  const auto row = [&](std::size_t run) { return filled[static_cast<std::size_t>(runs.rows()[run])]; };
  const std::size_t known = std::min(layout.part, layout.parts.size() - 1);
  if (whole) {
    layout.data_line += static_cast<std::int64_t>(row(known) - rows.first);
    layout.data_offset = lines[row(known)].offset;
    if (known + 1 < layout.parts.size()) layout.data_end = lines[row(known + 1)].offset;
  }
  rows.first = row(known);
  if (known + 1 < layout.parts.size()) rows.last = row(known + 1) - 1;
  if (!layout.time && time) take_axis_column(layout, *time);
  if (settings.part.empty() && whole) layout.cautions.push_back(runs.caution());
}

/// Seconds since the clock's first row; rows without a time are none.
std::vector<double> clock_times(const TextLayout& layout, std::span<const TextLine> lines,
                                const TableRows& rows) {
  std::vector<double> out;
  Midnights midnights;
  for (std::size_t i = rows.first; i <= rows.last; ++i)
    if (const auto at = clock_of_row(layout, lines[i].cells(layout.delimiter))) {
      const double shown_s = seconds_between(layout.clock->first_ns, *at);
      out.push_back(layout.clock->no_date ? midnights.pass(shown_s) : shown_s);
    }
  return out;
}

}  // namespace

std::optional<std::size_t> run_asked_for(const ReadSettings& settings) {
  std::size_t number = 0;
  const std::string& part = settings.part;
  const auto [end, code] = std::from_chars(part.data(), part.data() + part.size(), number);
  if (part.empty() || code != std::errc() || end != part.data() + part.size() || number == 0) return {};
  return number - 1;
}

void part_by_runs(TextLayout& layout, std::span<const TextLine> lines, TableRows& rows,
                  const ReadSettings& settings, const std::string& file, bool whole) {
  if (!settings.axis.empty()) return;
  if (layout.clock) {
    const std::vector<double> times = clock_times(layout, lines, rows);
    if (std::adjacent_find(times.begin(), times.end(), std::greater<>()) != times.end())
      part_by_falls(layout, lines, rows, settings, file, whole, {}, times);
    return;
  }
  std::optional<std::size_t> time = layout.time;
  for (std::size_t c = 0; c < layout.columns.size() && !time; ++c)
    if (is_axis_column(layout, c)) time = c;
  if (!time && layout.columns.front().name.empty() && layout.columns.front().unit.text() == "1") time = 0;
  if (!time || layout.columns.size() < 2) return;
  const std::vector<double> times = numbers_of_column(layout, lines, rows.first, rows.last, *time);
  if (std::adjacent_find(times.begin(), times.end(), std::greater<>()) == times.end()) return;
  if (goes_on_by_turns(times, layout.columns[*time].unit)) {
    if (!layout.time) take_axis_column(layout, *time);
    return;
  }
  const bool titled = layout.time || !layout.columns[*time].name.empty();
  if (titled && layout.columns.size() > 2 &&
      part_by_count(layout, lines, rows.first, rows.last, settings, file, *time, times))
    return;
  part_by_falls(layout, lines, rows, settings, file, whole, *time, times);
}

}  // namespace vprism
