// notes_below.cpp: see notes_below.h.
#include "formats/text/titles/notes_below.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_cells.h"
#include "formats/text/titles/title_names.h"
#include "formats/text/titles/title_roles.h"

namespace vprism {

namespace {

constexpr std::size_t most_lines = 40;

/// "# units: s,V,A": of columns that have none.
void take_units_below(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t last) {
  for (std::size_t i = last + 1; i < std::min(lines.size(), last + 1 + most_lines); ++i) {
    const std::string_view bare = without_marks(lines[i].text);
    const std::string key = lower_case(trimmed(bare.substr(0, bare.find_first_of(":="))));
    if (key.find("unit") == std::string::npos && key.find("einheit") == std::string::npos) continue;
    const std::vector<std::string> units = listed_cells(layout, lines[i].text);
    for (std::size_t c = 0; c < layout.columns.size() && !units.empty(); ++c) {
      const auto unit = Unit::try_parse(without_brackets(units[layout.cells[c]]));
      if (!unit || layout.columns[c].unit.text() != "1") continue;
      layout.columns[c].unit = *unit, layout.columns[c].quantity = quantity_of(*unit);
    }
  }
}

}  // namespace

void take_titles_below(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t last) {
  if (layout.delimiter == '(' || layout.dialect || layout.cells.size() < 2 ||
      std::any_of(layout.columns.begin(), layout.columns.end(),
                  [](const Channel& column) { return !column.name.empty(); }))
    return;
  double number = 0;
  for (std::size_t i = last + 1; i < std::min(lines.size(), last + 1 + most_lines); ++i) {
    std::vector<std::string_view> split;
    split_cells(without_marks(lines[i].text), layout.delimiter, split);
    if (split.size() != cells_needed(layout)) continue;
    std::vector<std::string> cells;
    for (const std::string_view cell : split) cells.push_back(unquoted_cell(cell));
    if (std::any_of(cells.begin(), cells.end(), [&](const std::string& cell) {
          return cell.empty() || cell.find_first_of("=:") != std::string::npos || is_missing_word(cell) ||
                 parse_any_cell(cell, layout.decimal, number);
        }))
      continue;
    set_units_apart(cells);
    for (std::size_t c = 0; c < layout.columns.size(); ++c)
      layout.columns[c] = channel_from_title(cells[layout.cells[c]]);
    layout.title_line = lines[i].text;
    layout.cautions.push_back({"titles-below", Severity::note, "",
                               "the names of the columns stand below the rows, in line " +
                                   std::to_string(layout.first_line + i + 1),
                               ""});
    return;
  }
}

void take_settings_below(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t last) {
  take_units_below(layout, lines, last);
  const bool timed = layout.clock || (layout.time && !is_count_title(layout.columns[*layout.time]) &&
                                      !layout.columns[*layout.time].name.empty());
  if (timed || layout.dialect) return;
  double number = 0;
  for (std::size_t i = last + 1; i < std::min(lines.size(), last + 1 + most_lines); ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.empty()) continue;
    const std::string_view bare = without_marks(text);
    const std::size_t mark = bare.find_first_of(":=");
    const bool keyed = mark != std::string_view::npos && mark < 40 && mark > 0 &&
                       !parse_any_cell(bare.substr(0, mark), layout.decimal, number);
    if (is_comment(text) || keyed) read_preamble_line(layout, text);
  }
}

}  // namespace vprism
