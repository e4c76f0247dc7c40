// text_columns.cpp: see text_columns.h.
#include "formats/text/tables/text_columns.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/axis/text_intervals.h"
#include "formats/text/cells/complex_pairs.h"
#include "formats/text/cells/other_dialects.h"

namespace vprism {

std::string column_name(const TextLayout& layout, std::size_t column) {
  const std::string& name = layout.columns[column].name;
  return name.empty() ? "column " + std::to_string(column + 1) : name;
}

bool is_time_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  for (const char* word : {"time",
                           "t",
                           "zeit",
                           "uhrzeit",
                           "zeitstempel",
                           "zeitpunkt",
                           "horodatage",
                           "temps",
                           "tiempo",
                           "tempo",
                           "tid",
                           "tijd",
                           "czas",
                           "\u0432\u0440\u0435\u043c\u044f",
                           "\u6642\u9593",
                           "\u65f6\u95f4",
                           "seconds",
                           "second",
                           "sec",
                           "s",
                           "timestamp",
                           "elapsed",
                           "x",
                           "x_value",
                           "x value",
                           "xvalue",
                           "x axis",
                           "epoch",
                           "day",
                           "days",
                           "hours",
                           "minutes",
                           "milliseconds",
                           "ms",
                           "us",
                           "millis",
                           "micros",
                           "msec",
                           "usec"})
    if (name == word) return true;
  return name.find("time") != std::string::npos ||
         (spoken_time_unit(name) != nullptr && name.find(' ') != std::string::npos);
}

const char* spoken_time_unit(std::string_view name) {
  std::string_view word = name.substr(0, name.find(' '));
  if (word.size() < name.size()) {
    // "ms since start", "seconds after trigger".
    const std::string_view rest = name.substr(word.size() + 1);
    if (!starts_with(rest, "since ") && !starts_with(rest, "after ") && !starts_with(rest, "from ") &&
        rest != "elapsed")
      return nullptr;
  }
  static constexpr std::pair<std::string_view, const char*> words[] = {
      {"timeus", "us"},       {"timems", "ms"},   {"day", "day"},         {"days", "day"},
      {"hours", "hour"},      {"minutes", "min"}, {"milliseconds", "ms"}, {"ms", "ms"},
      {"millis", "ms"},       {"msec", "ms"},     {"us", "us"},           {"micros", "us"},
      {"microseconds", "us"}, {"usec", "us"},     {"seconds", "s"},       {"sec", "s"}};
  for (const auto& [known, unit] : words)
    if (word == known) return unit;
  return nullptr;
}

bool counts_by_one(const std::vector<double>& numbers) {
  for (std::size_t n = 0; n < numbers.size(); ++n)
    if (numbers[n] != std::floor(numbers[n]) || numbers[n] != numbers[0] + static_cast<double>(n))
      return false;
  return numbers.size() > 2;
}

bool is_count_title(const Channel& column) {
  std::string name = lower_case(column.name);
  // "header.seq".
  if (const std::size_t dot = name.rfind('.'); dot != std::string::npos && dot + 3 < name.size())
    name.erase(0, dot + 1);
  for (const char* word : {"index",
                           "sample",
                           "samples",
                           "no",
                           "no.",
                           "nr",
                           "nr.",
                           "#",
                           "n",
                           "point",
                           "points",
                           "row",
                           "count",
                           "sequence",
                           "rec#",
                           "record#",
                           "seq",
                           "record",
                           "record no",
                           "record number",
                           "recno",
                           "rec",
                           "store no.",
                           "scan number",
                           "sample number",
                           "sample no.",
                           "bin number",
                           "sample index",
                           "sample id",
                           "packet number",
                           "packet no.",
                           "scan no.",
                           "frame number",
                           "frame no.",
                           "frame#",
                           "frame #",
                           "point#",
                           "scan#"})
    if (name == word) return true;
  return false;
}

bool is_count_column(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                     std::size_t last, std::size_t column) {
  // Words that may mean anything: the numbers must count. Titles first: cells of every column, one after the
  // other, take the square of a wide row's length.
  static constexpr std::string_view words[] = {
      "line",    "line no.",  "spectral line", "bin",  "idx",       "packet",   "scan",
      "msg",     "pt",        "frame",         "step", "time step", "timestep", "step no.",
      "substep", "increment", "inc",           "iter", "iteration", "number",   "num",
      "entry",   "entry_id",  "entry id",      "id",   "row id",    "row_id",   "sample_id"};
  const bool surely = is_count_title(layout.columns[column]);
  const std::string name = lower_case(layout.columns[column].name);
  if (!surely && std::find(std::begin(words), std::end(words), name) == std::end(words)) return false;
  std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  if (counts_by_one(numbers)) return true;
  if (surely && column_rises(layout, lines, first, last, column)) return true;
  // The last row first.
  std::reverse(numbers.begin(), numbers.end());
  return counts_by_one(numbers);
}

const std::vector<std::string_view>& TextLine::cells(char delimiter) const {
  if (delimiter_ != delimiter || split_.data() != text.data() || split_.size() != text.size()) {
    split_cells(text, delimiter, cells_);
    split_ = text, delimiter_ = delimiter;
  }
  return cells_;
}

std::vector<double> numbers_of_column(const TextLayout& layout, std::span<const TextLine> lines,
                                      std::size_t first, std::size_t last, std::size_t column) {
  std::span<const std::string_view> cells;
  std::vector<double> out;
  double value = 0;
  for (std::size_t i = first; i <= last; ++i) {
    cells = lines[i].cells(layout.delimiter);
    if (layout.cells[column] < cells.size() &&
        parse_any_cell(cells[layout.cells[column]], layout.decimal, value))
      out.push_back(value);
  }
  return out;
}

bool column_rises(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column) {
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, column);
  const std::size_t seen = numbers.size();
  // Two rows do where a title says what the column is: a limit has no more.
  if (seen < (layout.columns[column].name.empty() ? 3 : 2)) return false;
  std::size_t rising = 0;
  for (std::size_t n = 1; n < seen; ++n) rising += numbers[n] > numbers[n - 1] ? 1 : 0;
  // Repeated and reversed stamps make a bad time column, not another kind of column. An "x" is as often a
  // channel.
  if (is_axis_column(layout, column) && !starts_with(lower_case(layout.columns[column].name), "x"))
    return rising * 4 >= (seen - 1) * 3;
  return rising + 1 + seen / 50 >= seen;
}

bool is_axis_column(const TextLayout& layout, std::size_t column) {
  const Channel& c = layout.columns[column];
  const bool seconds = c.unit.text() != "1" && c.unit.converts_to(Unit::parse("s"));
  // "X (g^2/Hz)" is an axis of space, or of a sensor.
  const bool otherwise = c.unit.text() != "1" && c.unit.known() && !seconds;
  return seconds || (is_time_title(c) && !otherwise);
}

void leave_out_columns(TextLayout& layout, const std::vector<std::size_t>& left_out) {
  std::vector<std::size_t> kept;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (std::find(left_out.begin(), left_out.end(), c) == left_out.end()) kept.push_back(c);
  keep_columns(layout, kept);
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

namespace {

/// Columns behind the time column that hold the same in every row of the head.
std::vector<std::size_t> same_columns(const TextLayout& layout, std::span<const TextLine> lines,
                                      std::size_t first, std::size_t last) {
  std::span<const std::string_view> cells;
  std::vector<std::size_t> out;
  for (std::size_t c = *layout.time + 1; c < layout.columns.size(); ++c) out.push_back(c);
  for (std::size_t i = first; i <= last && !out.empty(); ++i) {
    cells = lines[i].cells(layout.delimiter);
    if (layout.cells[*layout.time] >= cells.size()) continue;
    const std::string_view time = trimmed(cells[layout.cells[*layout.time]]);
    std::erase_if(out, [&](std::size_t c) {
      return layout.cells[c] < cells.size() && trimmed(cells[layout.cells[c]]) != time;
    });
  }
  return out;
}

}  // namespace

void part_by_times(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                   std::size_t last_row, const ReadSettings& settings, const std::string& file) {
  if (!layout.time || !settings.axis.empty()) return;
  std::vector<std::size_t> times = {*layout.time};
  const bool untitled = std::all_of(layout.columns.begin(), layout.columns.end(),
                                    [](const Channel& c) { return c.name.empty(); });
  if (untitled) {
    const std::vector<std::size_t> same = same_columns(layout, lines, first_row, last_row);
    times.insert(times.end(), same.begin(), same.end());
  }
  for (std::size_t c = *layout.time + 1; c < layout.columns.size() && !untitled; ++c)
    if ((is_axis_column(layout, c) && column_rises(layout, lines, first_row, last_row, c)) ||
        is_time_by_steps(layout, lines, first_row, last_row, c))
      times.push_back(c);
  if (times.size() < 2) return;
  bool equal = true;
  std::span<const std::string_view> cells;
  for (std::size_t i = first_row; i <= last_row && equal; ++i) {
    cells = lines[i].cells(layout.delimiter);
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

std::optional<LineDialect> dialect_of(const std::vector<TextLine>& lines, const ReadSettings& settings,
                                      const std::string& file) {
  std::vector<std::string_view> texts;
  for (const TextLine& line : lines) texts.push_back(line.text);
  const std::size_t last = std::min<std::size_t>(lines.size(), 64);
  auto out = other_dialect_of(texts, settings, file);
  if (out) return out;
  out = LineDialect::found_in({texts.end() - static_cast<std::ptrdiff_t>(last), texts.end()},
                              settings.delimiter);
  if (out && !out->keys.empty()) out->learn_keys(texts);
  if (!out && settings.delimiter == 0) out = LineDialect::whole_in(texts);
  if (out && out->kind == LineDialect::Kind::comma_pairs && settings.decimal == '.') out.reset();
  return out;
}

void name_by_keys(TextLayout& layout) {
  const std::vector<std::string>& keys = layout.dialect->keys;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (layout.cells[c] < keys.size()) layout.columns[c] = channel_from_title(keys[layout.cells[c]]);
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
  const auto column_of = [&](std::size_t cell) {
    const auto at = std::find(layout.cells.begin(), layout.cells.end(), cell);
    return at == layout.cells.end() ? nullptr
                                    : &layout.columns[static_cast<std::size_t>(at - layout.cells.begin())];
  };
  std::size_t number = 0;
  for (const std::size_t cell : layout.complex->real_cells()) {
    Channel *const real = column_of(cell), *const imaginary = column_of(cell + 1);
    const std::string fallback = "channel " + std::to_string(++number);
    if (real == nullptr || imaginary == nullptr) continue;
    // "Magnitude" and "Phase" above one cell are titles of its two parts.
    const TitlePart first = part_of_title(real->name), second = part_of_title(imaginary->name);
    if (real->name != imaginary->name && first.kind != TitlePart::Kind::none &&
        second.kind != TitlePart::Kind::none && first.kind != second.kind && first.base == second.base) {
      const bool polar = first.kind == TitlePart::Kind::magnitude || first.kind == TitlePart::Kind::phase;
      real->name = imaginary->name = !first.base.empty() ? first.base : polar ? "response" : "value";
      imaginary->unit = real->unit, imaginary->quantity = real->quantity;
    }
    for (Channel* const part : {real, imaginary}) {
      if (part->name.empty()) part->name = fallback;
      part->name += part == real ? " re" : " im";
    }
  }
}

LineRewriter TextLayout::rewriter() const {
  if (dialect) return dialect->rewriter();
  if (!complex) return {};
  return [cells = *complex](std::string_view line, std::string& out) { cells.rewrite(line, out); };
}

}  // namespace vprism
