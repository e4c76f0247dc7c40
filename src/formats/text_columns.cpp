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
       {"time",    "t", "zeit",  "temps", "tiempo", "seconds", "second",  "sec",          "s",  "timestamp",
        "elapsed", "x", "epoch", "day",   "days",   "hours",   "minutes", "milliseconds", "ms", "us"})
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

bool column_rises(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column) {
  std::vector<std::string_view> cells;
  double previous = 0;
  std::size_t seen = 0, rising = 0;
  for (std::size_t i = first; i <= last; ++i) {
    split_cells(lines[i].text, layout.delimiter, cells);
    double value = 0;
    if (layout.cells[column] >= cells.size() ||
        !parse_any_cell(cells[layout.cells[column]], layout.decimal, value))
      continue;
    if (seen++ > 0 && value > previous) ++rising;
    previous = value;
  }
  // Two rows do where a title says what the column is: a limit has no more.
  if (seen < (layout.columns[column].name.empty() ? 3 : 2)) return false;
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
  const std::string name = lower_case(column.name);
  const char* const spoken = name == "day" || name == "days"          ? "day"
                             : name == "hours"                        ? "hour"
                             : name == "minutes"                      ? "min"
                             : name == "milliseconds" || name == "ms" ? "ms"
                             : name == "us"                           ? "us"
                             : name == "seconds" || name == "sec"     ? "s"
                                                                      : nullptr;
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

void keep_columns(TextLayout& layout, const std::vector<std::size_t>& kept) {
  std::vector<std::size_t> cells;
  std::vector<Channel> columns;
  std::optional<std::size_t> time;
  for (const std::size_t c : kept) {
    if (layout.time == c) time = cells.size();
    cells.push_back(layout.cells[c]);
    columns.push_back(layout.columns[c]);
  }
  layout.cells = std::move(cells);
  layout.columns = std::move(columns);
  layout.time = time;
}

void choose_columns(TextLayout& layout, const ReadSettings& settings, const std::string& file) {
  if (settings.columns.empty()) return;
  std::vector<std::string> names;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) names.push_back(column_name(layout, c));
  std::vector<bool> chosen(names.size(), false);
  const auto index = [&](const std::string& text) {
    for (std::size_t c = 0; c < names.size(); ++c)
      if (names[c] == text || std::to_string(c + 1) == text) return c;
    throw Error(Status::usage, "--columns: " + file + ": " + unknown_name("column", text, names));
  };
  for (const std::string& entry : split(settings.columns, ',')) {
    const std::string text(trimmed(entry));
    const std::size_t dots = text.find("..");
    const std::size_t from = index(std::string(trimmed(text.substr(0, dots))));
    const std::size_t to =
        dots == std::string::npos ? from : index(std::string(trimmed(text.substr(dots + 2))));
    for (std::size_t c = std::min(from, to); c <= std::max(from, to); ++c) chosen[c] = true;
  }
  std::vector<std::size_t> kept;
  for (std::size_t c = 0; c < names.size(); ++c)
    if (chosen[c] || layout.time == c) kept.push_back(c);
  keep_columns(layout, kept);
}

void part_by_times(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                   std::size_t last_row, const ReadSettings& settings, const std::string& file) {
  if (!layout.time || !settings.axis.empty()) return;
  std::vector<std::size_t> times = {*layout.time};
  for (std::size_t c = *layout.time + 1; c < layout.columns.size(); ++c)
    if (is_axis_column(layout, c) && column_rises(layout, lines, first_row, last_row, c)) times.push_back(c);
  if (times.size() < 2) return;
  bool equal = true;
  std::vector<std::string_view> cells;
  for (std::size_t i = first_row; i <= last_row && equal; ++i) {
    split_cells(lines[i].text, layout.delimiter, cells);
    double first = 0, other = 0;
    for (const std::size_t c : times)
      if (layout.cells[c] < cells.size() &&
          parse_any_cell(cells[layout.cells[times[0]]], layout.decimal, first) &&
          parse_any_cell(cells[layout.cells[c]], layout.decimal, other) && first != other)
        equal = false;
  }
  const std::vector<std::size_t> all = times;
  if (equal) {
    std::vector<std::size_t> kept;
    for (std::size_t c = 0; c < layout.columns.size(); ++c)
      if (c == times[0] || std::find(times.begin(), times.end(), c) == times.end()) kept.push_back(c);
    layout.cautions.push_back(
        {"axis-repeats", Severity::note, "",
         std::to_string(times.size()) + " time columns hold the same times; the first is used", ""});
    keep_columns(layout, kept);
    return;
  }
  std::vector<std::vector<std::size_t>> groups;
  for (std::size_t t = 0; t < all.size(); ++t) {
    const std::size_t end = t + 1 < all.size() ? all[t + 1] : layout.columns.size();
    std::vector<std::size_t> group;
    for (std::size_t c = all[t]; c < end; ++c) group.push_back(c);
    if (group.size() < 2) continue;
    layout.parts.push_back({column_name(layout, group[1]),
                            std::to_string(group.size() - 1) +
                                (group.size() == 2 ? " channel" : " channels") +
                                " with times of its own in column " + std::to_string(all[t] + 1)});
    groups.push_back(std::move(group));
  }
  if (groups.size() < 2) {
    layout.parts.clear();
    return;
  }
  layout.part = choose_part(file, layout.parts, settings, 0);
  keep_columns(layout, groups[layout.part]);
  take_axis_column(layout, 0);
}

std::optional<ComplexCells> complex_cells_of(const std::vector<TextLine>& lines,
                                             const ReadSettings& settings) {
  std::vector<std::string_view> texts;
  for (std::size_t i = lines.size() - std::min<std::size_t>(lines.size(), 64); i < lines.size(); ++i)
    texts.push_back(lines[i].text);
  return ComplexCells::found_in(texts, settings.delimiter, settings.decimal);
}

/// The two columns of a complex one have one title: the parts are named after it.
void name_complex_parts(TextLayout& layout) {
  const std::vector<std::size_t> real = layout.complex->real_cells();
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    for (std::size_t i = 0; i < real.size(); ++i) {
      if (layout.cells[c] != real[i] && layout.cells[c] != real[i] + 1) continue;
      std::string& name = layout.columns[c].name;
      if (name.empty()) name = "channel " + std::to_string(i + 1);
      name += layout.cells[c] == real[i] ? " re" : " im";
    }
}

LineRewriter TextLayout::rewriter() const {
  if (!complex) return {};
  return [cells = *complex](std::string_view line, std::string& out) { cells.rewrite(line, out); };
}

}  // namespace vprism
