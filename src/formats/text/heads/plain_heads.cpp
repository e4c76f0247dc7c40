// plain_heads.cpp: see plain_heads.h: graphs and lists in parentheses.
#include "formats/text/heads/plain_heads.h"

#include <algorithm>

#include "base/text.h"
#include "formats/text/clock/serial_values.h"
#include "formats/text/heads/block_heads.h"
#include "formats/text/heads/stated_heads.h"

namespace vprism {

std::vector<std::string> words_in_quotes(std::string_view text, bool* only) {
  std::vector<std::string> out;
  std::size_t from = 0;
  bool others = false;
  const auto look = [&](std::string_view between) {
    others = others || between.find_first_not_of(" \t\r()") != std::string_view::npos;
  };
  for (std::size_t at = text.find('"'); at != std::string_view::npos; at = text.find('"', from)) {
    const std::size_t end = text.find('"', at + 1);
    if (end == std::string_view::npos) break;
    look(text.substr(from, at - from));
    out.push_back(clean_text(trimmed(utf8_from_any(text.substr(at + 1, end - at - 1))), 100));
    from = end + 1;
  }
  look(text.substr(from));
  if (only != nullptr) *only = !others;
  return out;
}

std::string title_row(const std::vector<std::string>& names) {
  std::string out;
  for (std::string name : names) {
    std::replace(name.begin(), name.end(), '"', '\'');
    out += (out.empty() ? "\"" : "\t\"") + name + '"';
  }
  return out;
}

namespace {

constexpr std::size_t longest_graph_head = 400;

/// The first line that is nothing but numbers; the count of lines where there is none.
std::size_t first_row(const std::vector<TextLine>& lines) {
  std::size_t i = 0;
  while (i < lines.size() && (i < longest_graph_head ? numbers_in_line(lines[i].text).empty() : true)) ++i;
  return i;
}

/// Units of labels such as "(kJ/mol), (K)": one for each of `count`, or one for all; else none.
std::vector<std::string> units_of_label(const std::string& label, std::size_t count) {
  std::vector<std::string_view> cells;
  std::vector<std::string> out;
  split_cells(label, ',', cells);
  for (const std::string_view cell : cells) {
    const std::size_t open = cell.find_first_of("(["), close = cell.find_last_of(")]");
    const std::string_view inside =
        open != std::string_view::npos && close != std::string_view::npos && close > open
            ? cell.substr(open + 1, close - open - 1)
            : std::string_view();
    out.emplace_back(trimmed(inside));
  }
  if (out.size() == 1) out.resize(count, out[0]);
  return out.size() == count ? out : std::vector<std::string>(count);
}

/// "@ xaxis label "Time (ps)"", "@ s0 legend "Potential"": a graph's labels and the legends of its curves.
void write_legends(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  const std::size_t first = first_row(lines);
  if (first == 0 || first >= lines.size()) return;
  std::string along, up, title;
  std::vector<std::string> curves;
  std::size_t stated = 0;
  for (std::size_t i = 0; i < first; ++i) {
    std::string_view text = trimmed(lines[i].text);
    if (text.empty() || text.front() != '@') continue;
    const std::string low = lower_case(trimmed(text.substr(1)));
    const std::vector<std::string> said = words_in_quotes(text);
    ++stated;
    if (said.size() != 1) continue;
    if (low.starts_with("xaxis") && low.find("label") != std::string::npos) along = said[0];
    if (low.starts_with("yaxis") && low.find("label") != std::string::npos) up = said[0];
    if (low.starts_with("title")) title = said[0];
    const std::size_t number = low.find_first_not_of("0123456789", 1);
    const bool curve = low.size() > 3 && low[0] == 's' && number > 1 && number != std::string::npos;
    if ((curve && low.find("legend") != std::string::npos) || low.starts_with("legend string"))
      curves.push_back(said[0]);
  }
  const std::size_t columns = numbers_in_line(lines[first].text).size();
  if (stated == 0 || columns < 2) return;
  if (curves.empty() && columns == 2 && !up.empty()) {
    const std::vector<std::string> unit = units_of_label(up, 1);
    const std::string name(trimmed(std::string_view(up).substr(0, up.find_first_of("(["))));
    curves.push_back(unit[0].empty() || !name.empty() ? up
                     : title.empty()                  ? up
                                                      : title + " (" + unit[0] + ")");
    up.clear();
  }
  if (curves.size() + 1 != columns) return;
  const std::vector<std::string> units = units_of_label(up, curves.size());
  std::vector<std::string> names = {along.empty() ? "x" : along};
  for (std::size_t c = 0; c < curves.size(); ++c)
    names.push_back(units[c].empty() ? curves[c] : curves[c] + " (" + units[c] + ")");
  for (std::size_t i = 0; i < first; ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.substr(0, 1) != "@") continue;
    const std::vector<std::string> said = words_in_quotes(text);
    kept.push_back(said.size() == 1 && text.find("title") != std::string_view::npos ? "title: " + said[0]
                                                                                    : "");
    lines[i].text = kept.back();
  }
  kept.push_back(title_row(names));
  lines[first - 1].text = kept.back();
}

/// ("Time Step" "drag" "flow-time") above as many columns; (labels "Position" "Pressure") and, above each
/// curve, ((xy/key/label "wall").
void write_names_in_parentheses(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  std::vector<std::string> labels;
  std::size_t columns = 0;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.size() < 4 || text.front() != '(') continue;
    bool only = false;
    const std::vector<std::string> said = words_in_quotes(text, &only);
    if (said.empty()) continue;
    const std::string low = lower_case(text.substr(0, text.find('"')));
    if (low.find("title") != std::string::npos) {
      kept.push_back("title: " + said[0]);
      lines[i].text = kept.back();
      continue;
    }
    if (low.find("labels") != std::string::npos) {
      labels = said;
      lines[i].text = {};
      continue;
    }
    const bool key = text.substr(0, 2) == "((" && said.size() == 1 && low.find("label") != std::string::npos;
    if (!key && (!only || text.back() != ')')) continue;
    columns = i + 1 < lines.size() ? numbers_in_line(lines[i + 1].text).size() : 0;
    if (key && columns == 2)
      kept.push_back(title_row({labels.empty() ? "x" : labels[0], said[0]}));
    else if (!key && columns == said.size())
      kept.push_back(title_row(said));
    else
      continue;
    lines[i].text = kept.back();
  }
}

}  // namespace

void write_heads_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept,
                         std::vector<Caution>& cautions) {
  write_legends(lines, kept);
  write_names_in_parentheses(lines, kept);
  write_waves(lines, kept);
  write_start_and_rate(lines, kept, cautions);
  write_names_by_turns(lines, kept);
  write_start_and_step(lines, kept);
  write_blocks_plainly(lines, kept);
  write_frames_plainly(lines, kept);
  write_levels_plainly(lines, kept);
}

}  // namespace vprism
