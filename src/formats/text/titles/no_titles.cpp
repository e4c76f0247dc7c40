// no_titles.cpp: see no_titles.h.
#include "formats/text/titles/no_titles.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

bool has_equals(std::string_view text) {
  for (std::size_t at = text.find('='); at != std::string_view::npos; at = text.find('=', at + 1))
    if (at + 1 == text.size() || text[at + 1] != '"') return true;
  return false;
}

bool is_labelled_setting(const TextLayout& layout, std::string_view text) {
  if (layout.delimiter == ' ' || layout.delimiter == '(') return false;
  std::vector<std::string_view> cells;
  split_cells(text, layout.delimiter, cells);
  if (cells.size() != cells_needed(layout) + 1 || cells.size() <= 2 ||
      !is_setting_label(unquoted_cell(cells[0])))
    return false;
  // "Increment,4e-04,s" is one setting with its unit.
  double number = 0;
  return parse_cell(cells.back(), layout.decimal, number) || !parse_cell(cells[1], layout.decimal, number) ||
         !is_axis_setting(layout, text);
}

bool is_lone_word(const TextLayout& layout, std::string_view text) {
  text = without_marks(trimmed(text));
  while (!text.empty() && text.back() == layout.delimiter) text.remove_suffix(1);
  return !text.empty() && text.size() < 24 && text.find(layout.delimiter) == std::string_view::npos &&
         text.find_first_of("0123456789:=,;\t\"(") == std::string_view::npos &&
         std::count(text.begin(), text.end(), ' ') < 2;
}

bool says_unit(std::string_view key, std::string_view unit) {
  std::string low = lower_case(unquoted_cell(key));
  while (!low.empty() && low.back() == ':') low.pop_back();
  const bool called = low == "unit" || low == "units" || low.ends_with(" unit") || low.ends_with(" units") ||
                      low.ends_with("_unit") || low.ends_with("_units");
  const std::string said = unquoted_cell(unit);
  return called && !said.empty() && (Unit::try_parse(without_brackets(said)) || low != "unit");
}

bool is_section_word(const TextLayout& layout, std::string_view text) {
  text = without_marks(trimmed(text));
  while (!text.empty() && (text.back() == layout.delimiter || text.back() == ']' || text.back() == ':'))
    text.remove_suffix(1);
  if (!text.empty() && text.front() == '[') text.remove_prefix(1);
  const std::string low = lower_case(trimmed(text));
  static constexpr std::string_view words[] = {"data",       "waveform data", "measurement data", "raw data",
                                               "trace data", "curve data",    "values",           "begin"};
  return std::find(std::begin(words), std::end(words), low) != std::end(words);
}

bool titles_before_settings(const TextLayout& layout, const TitleLine& line) {
  if (line.away > 0 || !line.has_axis || line.row.size() < 2 || layout.delimiter == ' ') return false;
  return std::none_of(line.row.begin(), line.row.end(), [](const std::string& cell) {
    return cell.empty() || cell.find('=') != std::string::npos;
  });
}

}  // namespace vprism
