// text_units.cpp: see text_units.h.
#include "formats/text/titles/text_units.h"

#include <algorithm>
#include <map>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// Of one column's cells: which units they name, the first of them first.
struct RowUnits {
  std::vector<std::string> named;
  bool all_units = true;  ///< Nothing else stands in them.
  bool prefixes = false;  ///< Some have a prefix by itself.
  bool bare = false;      ///< Some, not 0, have nothing beside them.
  void add(const std::string& word) {
    if (std::find(named.begin(), named.end(), word) == named.end()) named.push_back(word);
  }
};

bool is_unit_title(const std::string& title) {
  const std::string low = lower_case(title);
  return low.find("unit") != std::string::npos || low.find("einheit") != std::string::npos;
}

/// Cells behind numbers whose titles say that units stand there: "a7" may be the name of a sensor.
std::vector<std::size_t> titled_unit_cells(const TextLayout& layout) {
  std::vector<std::string_view> titles;
  std::vector<std::size_t> out;
  if (layout.delimiter == '(' || layout.dialect) return {};
  // "0.01 s  1.25 V": what stands behind a number there has no title.
  if (layout.delimiter == ' ') {
    split_cells(layout.title_line, ' ', titles);
    // A column of words that has a title is no unit of the one before it: "flag".
    if (titles.size() > layout.cells.size()) return {};
    for (const std::size_t cell : layout.cells)
      if (!std::binary_search(layout.cells.begin(), layout.cells.end(), cell + 1) &&
          !(layout.clock && layout.clock->has(cell + 1)))
        out.push_back(cell);
    // One letter behind the last number alone may be a mark of any kind.
    if (titles.empty() && out.size() == 1 && layout.cells.size() > 1) out.clear();
    return out;
  }
  split_cells(layout.title_line, layout.delimiter, titles);
  for (const std::size_t cell : layout.cells)
    if (cell + 1 < titles.size() && !std::binary_search(layout.cells.begin(), layout.cells.end(), cell + 1) &&
        !(layout.clock && layout.clock->has(cell + 1)) && is_unit_title(unquoted_cell(titles[cell + 1])))
      out.push_back(cell);
  return out;
}

/// What a letter is worth that is a unit as well as a prefix; the others are read with their number.
std::optional<double> prefix_of(std::string_view word) {
  static constexpr std::pair<std::string_view, double> known[] = {{"m", 1e-3}, {"G", 1e9}, {"T", 1e12}};
  for (const auto& [letter, factor] : known)
    if (word == letter) return factor;
  return {};
}

void settle(TextLayout& layout, std::size_t column, const RowUnits& found) {
  Channel& channel = layout.columns[column];
  // "20.5C" of a temperature is in degrees, no charge.
  const std::string& written = found.named.front();
  const bool degrees = found.named.size() == 1 && (written == "C" || written == "F") &&
                       lower_case(channel.name).find("temp") != std::string::npos;
  const auto first = Unit::try_parse(degrees ? "deg" + written : written);
  if (!first) return;
  if (degrees && channel.unit.text() == "1") {
    channel.unit = *first, channel.quantity = quantity_of(*first);
    return;
  }
  const bool titled = channel.unit.text() != "1";
  const Unit wanted = titled ? channel.unit : *first;
  std::string others;
  bool fits = true;
  for (const std::string& word : found.named) {
    const auto unit = Unit::try_parse(word);
    fits = fits && unit && unit->converts_to(wanted);
    if (unit && *unit != wanted) others += (others.empty() ? "" : ", ") + word;
  }
  // "998.8m" beside "730.2u": metres have no neighbours such as these, and are no time.
  // Where the times have prefixes, so have the others.
  const bool prefixes =
      !titled && (found.prefixes || found.bare || is_time_title(channel) || !layout.prefixed.empty());
  if (((titled && !fits) || prefixes) && std::all_of(found.named.begin(), found.named.end(), prefix_of)) {
    layout.prefixed.insert(layout.cells[column]);
    layout.cautions.push_back(
        {"prefixes-applied", Severity::note, channel.name,
         prefixes
             ? "letters behind its numbers (" + found.named.front() + " among them) are taken as prefixes"
             : "letters behind its numbers (" + others + ") are no unit that fits " + wanted.text() +
                   ": taken as prefixes",
         "--unit names the unit"});
    return;
  }
  if (!titled) channel.unit = wanted, channel.quantity = quantity_of(wanted);
  if (fits) layout.unit_of_cell.emplace(layout.cells[column], wanted);
  if (others.empty()) return;
  if (fits)
    layout.cautions.push_back(
        {"units-converted", Severity::note, channel.name,
         "its cells carry different units (" + others + "): all are converted to " + wanted.text(), ""});
  else
    layout.cautions.push_back({"units-mixed", Severity::warning, channel.name,
                               "its cells carry different units, " + others + " beside " + wanted.text() +
                                   ": numbers are taken as they stand",
                               "export it in one unit"});
}

}  // namespace

std::string unit_word(std::string_view cell) {
  std::string out = unquoted_cell(cell);
  while (!out.empty() && (out.back() == ',' || out.back() == ';')) out.pop_back();
  return out;
}

void take_row_units(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last) {
  const std::vector<std::size_t> behind = titled_unit_cells(layout);
  std::map<std::size_t, RowUnits> by_cell;  // Of the number.
  if (layout.loose.empty() && behind.empty()) return;
  std::span<const std::string_view> cells;
  for (std::size_t i = first; i <= last; ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    cells = lines[i].cells(layout.delimiter);
    for (const std::size_t cell : layout.loose)
      if (cell < cells.size())
        if (const auto number = parse_loose(cells[cell], layout.decimal)) {
          if (!number->unit.empty()) by_cell[cell].add(number->unit);
          if (number->prefix != 0) by_cell[cell].prefixes = true;
          if (number->unit.empty() && number->prefix == 0 && number->value != 0) by_cell[cell].bare = true;
        }
    for (const std::size_t cell : behind) {
      const std::string word = cell + 1 < cells.size() ? unit_word(cells[cell + 1]) : "";
      if (word.empty()) continue;
      by_cell[cell].all_units = by_cell[cell].all_units && Unit::try_parse(word);
      by_cell[cell].add(word);
    }
  }
  // Where one column has a prefix that is no unit, "1.5n", so have the others: "15m".
  if (std::any_of(by_cell.begin(), by_cell.end(), [](const auto& cell) { return cell.second.prefixes; }))
    for (auto& [cell, units] : by_cell) units.prefixes = true;
  for (std::size_t c = 0; c < layout.columns.size(); ++c) {
    const auto found = by_cell.find(layout.cells[c]);
    if (found == by_cell.end() || !found->second.all_units || found->second.named.empty()) continue;
    settle(layout, c, found->second);
    if (std::find(behind.begin(), behind.end(), layout.cells[c]) != behind.end())
      layout.unit_behind.insert(layout.cells[c]);
  }
}

bool convert_cell(const TextLayout& layout, std::size_t cell, std::string_view unit, double& value) {
  if (!layout.prefixed.empty() && layout.prefixed.count(cell) > 0) {
    value *= prefix_of(unit).value_or(1);
    return true;
  }
  const auto wanted = layout.unit_of_cell.find(cell);
  if (unit.empty() || wanted == layout.unit_of_cell.end() || wanted->second.text() == unit) return true;
  thread_local std::map<std::string, std::optional<Unit>, std::less<>> known;
  auto at = known.find(unit);
  if (at == known.end()) {
    if (known.size() > 64) known.clear();
    at = known.emplace(std::string(unit), Unit::try_parse(unit)).first;
  }
  if (!at->second || !at->second->converts_to(wanted->second)) return false;
  value = at->second->convert(value, wanted->second);
  return true;
}

}  // namespace vprism
