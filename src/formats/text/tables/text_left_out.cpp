// text_left_out.cpp: what stands in the rows of a text table and is no channel; see text_evidence.h.
#include <algorithm>

#include "base/text.h"
#include "formats/text/tables/text_evidence.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

namespace {

/// Settings beside the rows have been taken.
bool is_noted(const TextLayout& layout, const std::string& cell) {
  return std::any_of(layout.notes.begin(), layout.notes.end(),
                     [&](const auto& note) { return note.first == cell || starts_with(note.second, cell); });
}

/// Cells without a title above that are left out although digits stand in them.
void report_nameless_left_out(TextLayout& layout, std::span<const std::string_view> row) {
  std::vector<std::string> places;
  std::string first;
  for (std::size_t c = 0; c < row.size(); ++c) {
    const std::string cell = unquoted_cell(row[c]);
    if ((layout.clock && layout.clock->has(c)) || (c > 0 && layout.unit_behind.count(c - 1) > 0) ||
        std::binary_search(layout.cells.begin(), layout.cells.end(), c) ||
        cell.find_first_of("0123456789") == std::string::npos || is_noted(layout, cell))
      continue;
    if (places.empty()) first = cell;
    places.push_back(std::to_string(c + 1));
  }
  if (places.empty() || (layout.dialect && !layout.dialect->keys.empty())) return;
  layout.cautions.push_back({"column-left-out", Severity::note, "",
                             "what stands in cell " + quoted_names(places, 4) +
                                 " of the rows is no number (first: \"" + clean_text(first, 40) +
                                 "\") and is left out",
                             "export it as numbers if it is a channel"});
}

}  // namespace

void report_left_out(TextLayout& layout, std::span<const TextLine> lines, std::size_t first) {
  if (layout.delimiter == '(') return;
  std::vector<std::string_view> row, titles;
  split_cells(lines[first].text, layout.delimiter, row);
  std::size_t above = first;
  while (above > 0 && trimmed(lines[above - 1].text).empty()) --above;
  const bool blanks = layout.delimiter == ' ';
  if (above > 0) {
    const std::string_view names = layout.title_line.empty() ? lines[above - 1].text : layout.title_line;
    split_cells(blanks ? without_marks(names) : names, layout.delimiter, titles);
  }
  // One title for a date and its time.
  if (blanks && layout.clock && layout.clock->two_cells && titles.size() + 1 == row.size())
    titles.insert(titles.begin() + static_cast<std::ptrdiff_t>(std::min(layout.clock->cell, titles.size())),
                  std::string_view{});
  // Blanks part the words of a remark as well.
  if (titles.size() < row.size() || (blanks && titles.size() != row.size()))
    return report_nameless_left_out(layout, row);
  for (std::size_t c = 0; c < row.size(); ++c) {
    const bool clock = layout.clock && layout.clock->has(c);
    const std::string cell = unquoted_cell(row[c]), title = unquoted_cell(titles[c]);
    double value = 0;
    if (clock || (c > 0 && layout.unit_behind.count(c - 1) > 0) || cell.empty() || title.empty() ||
        parse_any_cell(title, layout.decimal, value) ||
        std::binary_search(layout.cells.begin(), layout.cells.end(), c))
      continue;
    if (is_noted(layout, cell)) continue;
    layout.cautions.push_back({"column-left-out", Severity::note, "",
                               "the column \"" + title + "\" holds no numbers (first: \"" +
                                   clean_text(cell, 40) + "\") and is left out",
                               "export it as numbers if it is a channel"});
  }
}

}  // namespace vprism
