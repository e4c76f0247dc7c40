// title_cells.cpp: see title_cells.h.
#include "formats/text/titles/title_cells.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

namespace {

/// Words that blanks part, but not those within quotation marks.
std::vector<std::string_view> quoted_words(std::string_view text) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0; at < text.size();) {
    at = text.find_first_not_of(" \t", at);
    if (at == std::string_view::npos) break;
    std::size_t end = text.find_first_of(" \t", at);
    if (text[at] == '"')
      end = text.find('"', at + 1) == std::string_view::npos ? end : text.find('"', at + 1) + 1;
    end = std::min(end, text.size());
    out.push_back(text.substr(at, end - at));
    at = end;
  }
  return out;
}

/// With a tab in place of two blanks or more.
void part_at_gaps(std::string_view bare, std::string& tabbed) {
  tabbed.clear();
  for (std::size_t i = 0; i < bare.size(); ++i) {
    const bool gap = bare[i] == '\t' || (bare[i] == ' ' && i + 1 < bare.size() && bare[i + 1] == ' ');
    if (!gap) {
      tabbed += bare[i];
      continue;
    }
    while (i + 1 < bare.size() && (bare[i + 1] == ' ' || bare[i + 1] == '\t')) ++i;
    tabbed += '\t';
  }
}

}  // namespace

std::string_view without_braces(std::string_view cell) {
  const std::string_view text = trimmed(cell);
  return text.size() > 2 && text.front() == '{' && text.back() == '}' ? text.substr(1, text.size() - 2)
                                                                      : cell;
}

std::string_view behind_label(std::string_view text) {
  const std::size_t mark = text.find_first_of(":=");
  if (mark == std::string_view::npos || mark > 24) return text;
  const std::string word = lower_case(trimmed(text.substr(0, mark)));
  for (const char* known : {"column",        "columns",  "column names",  "fields",       "field names",
                            "names",         "channels", "channel names", "variables",    "header",
                            "units",         "unit",     "field_unit",    "column units", "ch",
                            "channel",       "signals",  "signal names",  "labels",       "titles",
                            "channel units", "einheiten"})
    if (word == known) return trimmed(text.substr(mark + 1));
  return text;
}

std::vector<std::string_view> title_cells(const TextLayout& layout, std::string_view text,
                                          std::string& tabbed) {
  std::vector<std::string_view> cells;
  const bool blanks = layout.delimiter == ' ' || layout.delimiter == '(';
  const std::string_view bare = blanks ? without_marks(text) : trimmed(text);
  split_cells(bare, blanks ? ' ' : layout.delimiter, cells);
  const std::size_t needed = cells_needed(layout);
  // Titles in quotation marks, with blanks inside.
  if (blanks && bare.find('"') != std::string_view::npos) {
    const std::vector<std::string_view> quoted = quoted_words(bare);
    if (quoted.size() == needed) return quoted;
  }
  // Tabs at either end part cells that are empty.
  const std::string_view line = text.substr(0, text.find_last_not_of("\r\n") + 1);
  if (layout.delimiter == '\t' && cells.size() != needed && !line.empty() &&
      (line.front() == '\t' || line.back() == '\t'))
    split_cells(line, '\t', cells);
  // Names lined up by blanks above rows parted by tabs.
  if (layout.delimiter == '\t' && cells.size() == 1 && needed > 1) {
    std::vector<std::string_view> words;
    split_cells(bare, ' ', words);
    if (words.size() == needed) return words;
  }
  // Above rows parted by strokes or commas, two blanks or more: one is as likely between words.
  if (!blanks && cells.size() == 1 && needed > 1) {
    part_at_gaps(bare, tabbed);
    std::vector<std::string_view> words;
    split_cells(tabbed, '\t', words);
    if (words.size() == needed) return words;
  }
  const auto fits = [&] {
    const bool two_cells = blanks && layout.clock && layout.clock->two_cells;
    // Behind the last number there may be words that have titles.
    const std::size_t all = blanks ? std::max(needed, layout.row_cells) : needed;
    if (cells.size() == all || (cells.size() == needed && !(two_cells && cells.size() + 1 == all)))
      return true;
    if (!two_cells || (cells.size() + 1 != needed && cells.size() + 1 != all)) return false;
    cells.insert(cells.begin() + static_cast<std::ptrdiff_t>(layout.clock->cell), cells[layout.clock->cell]);
    return true;
  };
  if (!blanks || fits()) return cells;
  // "time  voltage" above "0.01 s  1.25 V": units have no titles.
  if (cells.size() == layout.cells.size() && cells.size() > 1 && cells.size() < needed) {
    std::vector<std::string_view> spread(needed);
    for (std::size_t c = 0; c < cells.size(); ++c) spread[layout.cells[c]] = cells[c];
    return spread;
  }
  part_at_gaps(bare, tabbed);
  split_cells(tabbed, '\t', cells);
  fits();
  return cells;
}

std::vector<std::string> listed_cells(const TextLayout& layout, std::string_view text) {
  if (layout.delimiter == '\t' && !text.empty() && text.front() == '\t') return {};
  const std::string_view bare = without_marks(text), list = behind_label(bare);
  if (!is_comment(text) && list.size() == bare.size()) return {};
  for (const char mark : {',', ';', '\t', '|', ' '}) {
    if (mark == layout.delimiter && list.size() == bare.size()) continue;
    if (mark == ' ' && list.size() == bare.size()) continue;  // Words of a remark.
    std::vector<std::string_view> cells;
    split_cells(list, mark, cells);
    if (cells.size() < 2 || cells.size() != cells_needed(layout)) continue;
    std::vector<std::string> out;
    for (const std::string_view cell : cells) {
      std::string title = unquoted_cell(cell);
      const std::size_t colon = title.find(':');
      if (colon != std::string::npos && Unit::try_parse(trimmed(std::string_view(title).substr(colon + 1))))
        title = title.substr(0, colon) + " (" +
                std::string(trimmed(std::string_view(title).substr(colon + 1))) + ")";
      out.push_back(std::move(title));
    }
    // "1 time (s), 2 force (N)".
    const auto counted = [&](std::size_t c) { return starts_with(out[c], std::to_string(c + 1) + " "); };
    std::size_t numbered = 0;
    for (std::size_t c = 0; c < out.size(); ++c) numbered += counted(c) ? 1 : 0;
    for (std::size_t c = 0; c < out.size() && numbered == out.size(); ++c)
      out[c] = std::string(trimmed(std::string_view(out[c]).substr(std::to_string(c + 1).size())));
    return out;
  }
  return {};
}

}  // namespace vprism
