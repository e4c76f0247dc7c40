// text_columns.cpp: see text_columns.h.
#include "formats/text_columns.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::string column_name(const TextLayout& layout, std::size_t column) {
  const std::string& name = layout.columns[column].name;
  return name.empty() ? "column " + std::to_string(column + 1) : name;
}

bool is_time_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word :
       {"time", "t", "zeit", "temps", "tiempo", "seconds", "second", "sec", "s", "timestamp", "elapsed", "x"})
    if (name == word) return true;
  return name.find("time") != std::string::npos;
}

bool is_count_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word :
       {"index", "sample", "samples", "no", "no.", "nr", "#", "n", "point", "points", "row", "count"})
    if (name == word) return true;
  return false;
}

bool column_rises(const TextLayout& layout, std::span<const Line> lines, std::size_t first, std::size_t last,
                  std::size_t column) {
  std::vector<std::string_view> cells;
  double previous = 0;
  std::size_t seen = 0, rising = 0;
  for (std::size_t i = first; i <= last; ++i) {
    split_cells(lines[i].text, layout.delimiter, cells);
    double value = 0;
    if (layout.cells[column] >= cells.size() ||
        !parse_cell(cells[layout.cells[column]], layout.decimal, value))
      continue;
    if (seen++ > 0 && value > previous) ++rising;
    previous = value;
  }
  if (seen < 3) return false;
  // Repeated and reversed stamps make a bad time column, not another kind of column.
  if (is_axis_column(layout, column)) return rising * 4 >= (seen - 1) * 3;
  return rising + 1 + seen / 50 >= seen;
}

bool is_axis_column(const TextLayout& layout, std::size_t column) {
  const Channel& c = layout.columns[column];
  return is_time_title(c) || (c.unit.text() != "1" && c.unit.converts_to(Unit::parse("s")));
}

namespace {

bool is_frequency_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  return name == "f" || name.find("freq") != std::string::npos;
}

bool is_position_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word : {"position", "stage", "distance", "displacement", "delay", "path", "wavelength",
                           "angle", "wavenumber"})
    if (name.find(word) != std::string::npos) return true;
  return name == "x" || name == "pos";
}

/// What kind of axis a column makes: by its unit, else by its title.
Axis axis_of(const TextLayout& layout, std::size_t c) {
  const Channel& column = layout.columns[c];
  Axis axis;
  axis.name = column_name(layout, c);
  const bool unit = column.unit.text() != "1";
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

void find_axis_column(TextLayout& layout, std::span<const Line> lines, std::size_t first, std::size_t last,
                      const std::string& file, const std::string& asked) {
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
      if (is_axis_column(layout, c) && rises(c)) layout.time = c;
    // A spectrum or a scan: its axis stands in the first column.
    const Channel& lead = layout.columns[0];
    const bool hertz = lead.unit.text() != "1" && lead.unit.converts_to(Unit::parse("Hz"));
    if (!layout.time && (is_frequency_title(lead) || hertz || is_position_title(lead)) && rises(0))
      layout.time = 0;
    const bool untitled = std::all_of(layout.columns.begin(), layout.columns.end(),
                                      [](const Channel& c) { return c.name.empty(); });
    if (!layout.time && untitled && rises(0)) {
      layout.time = 0;
      layout.cautions.push_back(
          {"axis-assumed", Severity::warning, "",
           "the columns have no titles; the first one rises steadily and is taken as time",
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
  const bool named = column.unit.text() != "1";
  if (!named && layout.axis.domain == Axis::Domain::time) {
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
