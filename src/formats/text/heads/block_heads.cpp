// block_heads.cpp: see block_heads.h.
#include "formats/text/heads/block_heads.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/heads/plain_heads.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_roles.h"

namespace vprism {

namespace {

constexpr std::size_t longest_block_head = 200;

/// Cells of a line, without empty ones at its end.
std::vector<std::string> filled_cells(std::string_view line, char mark) {
  std::vector<std::string> out;
  std::vector<std::string_view> cells;
  split_cells(line, mark, cells);
  for (const std::string_view cell : cells) out.push_back(unquoted_cell(cell));
  while (!out.empty() && out.back().empty()) out.pop_back();
  return out;
}

bool is_numeric(const std::string& cell) {
  double value = 0;
  return parse_cell(cell, '.', value) || parse_cell(cell, ',', value);
}

/// The first line of which all of these cells are numbers, at least so many.
std::size_t first_row_of(const std::vector<TextLine>& lines, char mark, std::size_t fewest) {
  std::size_t i = 0;
  for (; i < std::min(lines.size(), longest_block_head); ++i) {
    const std::vector<std::string> cells = filled_cells(lines[i].text, mark);
    if (cells.size() >= fewest && std::all_of(cells.begin(), cells.end(), is_numeric)) break;
  }
  return i;
}

char mark_of(std::string_view line) {
  for (const char mark : {'\t', ';', ','})
    if (line.find(mark) != std::string_view::npos) return mark;
  return ' ';
}

/// The word that stands before each value of a line, "Name,speed,Name,torque"; "" where it is no such line.
std::string repeated_key(const std::vector<std::string>& cells, std::size_t columns) {
  if (cells.empty() || cells.size() > columns || columns < 4 || columns % 2 != 0 || cells[0].empty() ||
      is_numeric(cells[0]))
    return "";
  for (std::size_t c = 0; c < columns; c += 2)
    if (c >= cells.size() || cells[c] != cells[0]) return "";
  return cells[0];
}

/// "Range: 10", or of blocks that differ "Range: 10 and 20"; "" where none of them has one.
std::string setting_of(const std::string& key, const std::vector<std::string>& cells) {
  std::string out;
  bool any = false, differ = false;
  for (std::size_t c = 1; c < cells.size(); c += 2) {
    any = any || !cells[c].empty(), differ = differ || cells[c] != cells[1];
    out += (c > 1 ? " and " : "") + (cells[c].empty() ? "none" : cells[c]);
  }
  return any ? key + ": " + (differ ? out : cells[1]) : "";
}

}  // namespace

void write_blocks_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  std::size_t probe = 0;
  while (probe < std::min(lines.size(), longest_block_head) && mark_of(lines[probe].text) == ' ') ++probe;
  if (probe >= std::min(lines.size(), longest_block_head)) return;
  for (const char mark : {'\t', ';', ','}) {
    const std::size_t first = first_row_of(lines, mark, 4);
    if (first == 0 || first >= std::min(lines.size(), longest_block_head)) continue;
    const std::size_t columns = filled_cells(lines[first].text, mark).size();
    std::vector<std::string> titles, units;
    std::vector<std::pair<std::size_t, std::string>> settings;
    for (std::size_t i = 0; i < first; ++i) {
      const std::vector<std::string> cells = filled_cells(lines[i].text, mark);
      const std::string key = repeated_key(cells, columns);
      if (key.empty()) continue;
      const auto value = [&](std::size_t c) { return c < cells.size() ? cells[c] : std::string(); };
      const std::string low = lower_case(key);
      if (titles.empty() && (is_name_label(key) || low == "channel" || low == "variable")) {
        for (std::size_t c = 0; c < columns; c += 2) titles.push_back("time"), titles.push_back(value(c + 1));
        settings.insert(settings.begin(), {i, ""});
      } else if (is_unit_label(key)) {
        for (std::size_t c = 1; c < columns; c += 2) units.push_back(value(c));
        settings.emplace_back(i, "");
      } else {
        settings.emplace_back(i, setting_of(key, cells));
      }
    }
    if (titles.empty() ||
        std::any_of(titles.begin(), titles.end(), [](const std::string& title) { return title.empty(); }))
      continue;
    for (std::size_t u = 0; u < std::min(units.size(), titles.size() / 2); ++u)
      if (!units[u].empty()) titles[2 * u + 1] += " [" + without_brackets(units[u]) + "]";
    const std::size_t named = settings.front().first;
    for (const auto& [line, text] : settings) {
      kept.push_back(text);
      lines[line].text = kept.back();
    }
    // The titles stand nearest to the rows, and what stood there in their place.
    if (named != first - 1) lines[named].text = lines[first - 1].text;
    kept.push_back(title_row(titles));
    lines[first - 1].text = kept.back();
    return;
  }
}

void write_frames_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  for (std::size_t i = 1; i + 2 < lines.size(); ++i) {
    double rate = 0;
    std::string_view text = trimmed(lines[i].text);
    while (!text.empty() && text.back() == ',') text.remove_suffix(1);
    if (text.size() > 12 || !parse_cell(text, '.', rate) || !(rate > 0)) continue;
    bool frames = false;
    for (std::size_t k = i + 1; k < std::min(lines.size(), i + 5) && !frames; ++k)
      frames = lower_case(lines[k].text).starts_with("frame,sub frame");
    const std::string_view above = trimmed(lines[i - 1].text);
    if (!frames || above.empty() || is_digit(above[0])) continue;
    kept.push_back("sampling rate: " + std::string(text) + " Hz");
    lines[i].text = kept.back();
  }
}

void write_levels_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  const std::size_t first = first_row_of(lines, ',', 2);
  if (first < 2 || first >= std::min(lines.size(), longest_block_head)) return;
  const std::size_t columns = filled_cells(lines[first].text, ',').size();
  const std::vector<std::string> index = filled_cells(lines[first - 1].text, ',');
  std::vector<std::string_view> all;
  split_cells(lines[first - 1].text, ',', all);
  // "time,,," right above the rows, and above it rows of as many words as there are columns.
  if (index.size() != 1 || all.size() != columns || is_numeric(index[0])) return;
  std::vector<std::string> names(columns);
  std::size_t level = first - 1;
  for (; level > 0; --level) {
    const std::vector<std::string> cells = filled_cells(lines[level - 1].text, ',');
    if (cells.size() != columns || std::any_of(cells.begin() + 1, cells.end(), [](const std::string& cell) {
          return cell.empty() || is_numeric(cell);
        }))
      break;
    for (std::size_t c = 1; c < columns; ++c)
      names[c] = names[c].empty() ? cells[c] : cells[c] + " " + names[c];
  }
  if (level == first - 1) return;
  names[0] = index[0];
  for (std::size_t i = level; i + 1 < first; ++i) lines[i].text = {};
  kept.push_back(title_row(names));
  lines[first - 1].text = kept.back();
}

}  // namespace vprism
