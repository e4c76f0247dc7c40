// text_evidence.cpp: see text_evidence.h.
#include "formats/text/tables/text_evidence.h"

#include <algorithm>
#include <deque>
#include <map>
#include <set>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/titles/preamble_rates.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

namespace {

/// "Time forces(pressure viscous)": a title for each of a group, "forces pressure" and "forces viscous".
std::vector<std::string_view> titles_of_groups(std::string_view text, std::deque<std::string>& kept) {
  std::vector<std::string_view> out;
  std::size_t at = 0;
  while ((at = text.find_first_not_of(" \t", at)) != std::string_view::npos) {
    const std::size_t end = std::min(text.find_first_of(" \t(", at), text.size());
    const std::string_view word = text.substr(at, end - at);
    const std::size_t close =
        end < text.size() && text[end] == '(' ? text.find(')', end) : std::string_view::npos;
    if (close == std::string_view::npos) {
      out.push_back(word);
      at = end + (end == at ? 1 : 0);
      continue;
    }
    std::vector<std::string_view> inner;
    split_cells(text.substr(end + 1, close - end - 1), ' ', inner);
    for (const std::string_view part : inner) {
      kept.push_back(std::string(word) + " " + std::string(part));
      out.push_back(kept.back());
    }
    at = close + 1;
  }
  return out;
}

}  // namespace

void name_vectors(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < first; ++i) {
    std::string_view text = trimmed(lines[i].text);
    if (text.empty() || text[0] != '#' || text.back() != ')') continue;
    text = trimmed(text.substr(1, text.find('(') - 1));
    if (!text.empty()) names.push_back(clean_text(text));
  }
  const std::string_view row = lines[first].text;
  std::size_t vector = 0, part = 0, fields = 0;
  bool inside = false, number = false;
  struct Place {
    std::size_t vector = 0, component = 0, field = 0;  // The vector from 1; 0: a number by itself.
  };
  std::vector<Place> places;
  for (std::size_t i = 0; i <= row.size(); ++i) {
    const char c = i < row.size() ? row[i] : ' ';
    const bool apart = c == ' ' || c == '\t' || c == '(' || c == ')' || c == ',';
    if (!apart && !number) {
      if (!inside || part == 0) ++fields;
      places.push_back({inside ? vector : 0, part, fields - 1});
      if (inside) ++part;
    }
    number = !apart;
    if (c == '(') inside = true, ++vector, part = 0;
    if (c == ')') inside = false;
  }
  // A line above with a word for each number and each vector: "# Time  U".
  std::vector<std::string_view> words, titles;
  std::deque<std::string> kept;
  for (std::size_t i = first; i-- > 0 && words.empty();) {
    std::string_view text = trimmed(lines[i].text);
    while (!text.empty() && text[0] == '#') text = trimmed(text.substr(1));
    split_cells(text, ' ', titles);
    double value = 0;
    if (text.find('(') != std::string_view::npos)
      if (auto grouped = titles_of_groups(text, kept); grouped.size() == fields) titles = std::move(grouped);
    if (titles.size() == fields && std::none_of(titles.begin(), titles.end(), [&](std::string_view word) {
          return parse_any_cell(word, layout.decimal, value);
        }))
      words = titles;
    if (!titles.empty() && titles.size() != fields) break;
  }
  for (std::size_t c = 0; c < layout.cells.size(); ++c) {
    if (layout.cells[c] >= places.size()) continue;
    const auto [v, component, field] = places[layout.cells[c]];
    if (v == 0) {
      if (!words.empty()) layout.columns[c] = channel_from_title(words[field]);
      if (layout.columns[c].name.empty() && c == 0) layout.columns[c].name = "time";
      continue;
    }
    const std::string base = !words.empty() ? channel_from_title(words[field]).name
                             : v <= names.size() && names.size() == vector ? names[v - 1]
                                                                           : "vector " + std::to_string(v);
    if (!words.empty()) layout.columns[c] = channel_from_title(words[field]);
    layout.columns[c].name =
        base + " " + (component < 3 ? std::string(1, "xyz"[component]) : std::to_string(component + 1));
  }
}

namespace {

/// A key as it is meant, whatever its spelling: "Vertical_Units" is "verticalunits".
std::string plain_key(std::string_view key) {
  std::string out;
  for (const char c : lower_case(key))
    if (c != ' ' && c != '_' && c != '-' && c != '.') out += c;
  return out;
}

void take_unit(Channel& channel, std::string_view text) {
  text = trimmed(text);
  if (channel.unit.text() != "1" || text.empty()) return;
  if (const auto unit = Unit::try_parse(text))
    channel.unit = *unit, channel.quantity = quantity_of(*unit);
  else if (text.size() <= 12)
    channel.unit = Unit::opaque(text);
}

}  // namespace

void take_named_units(TextLayout& layout) {
  for (const auto& [key, text] : layout.notes) {
    const std::string name = lower_case(trimmed(key));
    for (const std::string_view tail : {" unit", " units", "_unit", "_units"}) {
      if (name.size() <= tail.size() || name.substr(name.size() - tail.size()) != tail) continue;
      const std::string of = name.substr(0, name.size() - tail.size());
      for (Channel& column : layout.columns)
        if (lower_case(column.name) == of) take_unit(column, trimmed(text));
    }
  }
}

void take_settings(TextLayout& layout) {
  std::vector<std::size_t> channels;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (layout.time != c) channels.push_back(c);
  std::map<std::string, std::size_t> seen;
  for (const auto& [key, text] : layout.notes) {
    const std::string name = plain_key(key);
    const std::string_view value = trimmed(text);
    if (is_worth_of_a_count(value))
      layout.cautions.push_back({"scale-not-applied", Severity::warning, "",
                                 "\"" + clean_text(key, 40) + "\" says what a count is worth, " +
                                     clean_text(value, 30) + ", which is not applied: the numbers are counts",
                                 "apply it with --calibrate"});
    if (name == "fieldunit" || name == "fieldunits") {
      // One for each cell of a row.
      std::vector<std::string_view> units;
      split_cells(value, value.find(',') != std::string_view::npos ? ',' : layout.delimiter, units);
      for (std::size_t c = 0; c < layout.columns.size(); ++c)
        if (layout.time != c && layout.cells[c] < units.size())
          take_unit(layout.columns[c], units[layout.cells[c]]);
      continue;
    }
    if (value.empty() || value.size() > 40) continue;
    static constexpr std::string_view unit_keys[] = {"verticalunits", "verticalunit", "yunit", "yunits",
                                                     "vunit",         "unit",         "units", "einheit",
                                                     "unité",         "unidad",       "unità"};
    // "Vertical Scale,0.2,V": the unit of what is drawn by it.
    static constexpr std::string_view scale_keys[] = {"verticalscale", "verticaloffset", "voltsperdivision",
                                                      "verticalscale(v/div)", "scaleperdivision"};
    static constexpr std::string_view name_keys[] = {
        "source",     "channel", "trace", "channelname", "nameofthechannel",
        "signalname", "name",    "label", "voie",        "canal",
        "canale",     "kanal",   "nom",   "nombre",      "bezeichnung",
        "signal",     "sensor"};
    const auto is_in = [&](const auto& keys) {
      return std::find(std::begin(keys), std::end(keys), name) != std::end(keys);
    };
    const bool unit = is_in(unit_keys), scale = is_in(scale_keys);
    if (!unit && !scale && !is_in(name_keys)) continue;
    // Blocks beside each other each have their own: in the order of the channels.
    const auto all = static_cast<std::size_t>(
        std::count_if(layout.notes.begin(), layout.notes.end(),
                      [&](const auto& note) { return plain_key(note.first) == name; }));
    // One for all of a table that says nothing else.
    if (unit && all == 1 && channels.size() > 1 && Unit::try_parse(value) &&
        std::all_of(channels.begin(), channels.end(),
                    [&](std::size_t c) { return layout.columns[c].unit.text() == "1"; })) {
      for (const std::size_t c : channels) take_unit(layout.columns[c], value);
      layout.cautions.push_back({"unit-of-all", Severity::note, "",
                                 "\"" + clean_text(key, 40) + "\" says one unit, " + clean_text(value, 20) +
                                     ": all channels have it",
                                 "--unit 'CHANNEL: UNIT' names another"});
      continue;
    }
    if (all != channels.size()) continue;
    Channel& channel = layout.columns[channels[seen[name]++]];
    const std::size_t behind = value.find_first_not_of("+-.,0123456789eE ");
    if (unit)
      take_unit(channel, value);
    else if (scale && behind != std::string_view::npos && Unit::try_parse(value.substr(behind)))
      take_unit(channel, value.substr(behind));
    else if (scale)
      continue;
    else if (channel.name.empty())
      channel.name = value.find_first_not_of("0123456789") == std::string_view::npos
                         ? clean_text(key, 40) + " " + std::string(value)
                         : std::string(value);
  }
}

namespace {

/// The first number of a row, or its instant.
std::optional<double> lead_of(std::string_view line, char delimiter, char decimal) {
  std::vector<std::string_view> cells;
  split_cells(line, delimiter, cells);
  double value = 0;
  if (cells.empty()) return {};
  if (parse_cell(cells[0], decimal, value)) return value;
  const auto at = parse_date_time(unquoted_cell(cells[0]));
  return at ? std::optional(static_cast<double>(*at)) : std::nullopt;
}

/// Whether the row behind a line that is none begins anew: at the first number of the table's first row, or
/// before it, and not beyond the last.
bool begins_anew(std::span<const TextLine> lines, std::size_t first, std::size_t title, char delimiter,
                 char decimal) {
  // A head of a few lines: where rows begin with words, there is no end of them.
  constexpr std::size_t most = 20;
  std::size_t behind = title + 1, before = title;
  while (behind < lines.size() && behind < title + most && !lead_of(lines[behind].text, delimiter, decimal))
    ++behind;
  while (before > first && before + most > title && !lead_of(lines[before].text, delimiter, decimal))
    --before;
  if (behind + 2 >= lines.size() || before <= first + 1) return false;
  const auto begun = lead_of(lines[first].text, delimiter, decimal),
             second = lead_of(lines[first + 1].text, delimiter, decimal),
             ended = lead_of(lines[before].text, delimiter, decimal),
             now = lead_of(lines[behind].text, delimiter, decimal),
             next = lead_of(lines[behind + 1].text, delimiter, decimal);
  // Both rise from where they begin.
  return begun && second && ended && now && next && *begun < *second && *second < *ended && *now < *next &&
         *now <= *begun;
}

/// Whether the first number of the next row, behind lines that stand above the first ones as well, is greater
/// than that of the row before the line `title`.
bool goes_on(std::span<const TextLine> lines, std::size_t title, const HeadLines& head, char delimiter,
             char decimal) {
  const auto lead = [&](std::size_t line) { return lead_of(lines[line].text, delimiter, decimal); };
  const auto is_head = [&](std::size_t line) {
    return trimmed(lines[line].text).empty() || head.has(lines[line].text);
  };
  std::size_t before = title, behind = title;
  while (before > 0 && is_head(before)) --before;
  while (behind + 1 < lines.size() && is_head(behind)) ++behind;
  const auto was = lead(before), is = lead(behind);
  return was && is && *is > *was;
}

/// "Channel: inlet", "unit = bar": what stands before the mark; "" where a line is no such setting.
std::string setting_key(std::string_view line) {
  line = without_marks(line);
  const std::size_t mark = line.find_first_of(":=");
  if (mark == std::string_view::npos || mark > 40 || trimmed(line.substr(mark + 1)).empty()) return "";
  const std::string_view key = trimmed(line.substr(0, mark));
  const bool worded =
      !key.empty() && (((key[0] | 32) >= 'a' && (key[0] | 32) <= 'z') || (key[0] & 0x80) != 0);
  return worded ? lower_case(key) : "";
}

}  // namespace

std::string table_name(const std::vector<TextLine>& lines, const std::vector<TableLines>& tables,
                       std::size_t table) {
  static constexpr std::string_view names[] = {"channel", "channel name", "name",   "signal", "signal name",
                                               "title",   "trace",        "sensor", "kanal",  "table"};
  std::set<std::string_view> elsewhere;
  for (std::size_t t = 0; t < tables.size(); ++t)
    for (std::size_t i = tables[t].first; t != table && i < tables[t].data; ++i)
      elsewhere.insert(trimmed(lines[i].text));
  std::string nearest, own;
  for (std::size_t i = tables[table].data; i-- > tables[table].first;) {
    const std::string_view text = without_marks(lines[i].text);
    if (nearest.empty()) nearest = clean_text(text, 40);
    if (own.empty() && elsewhere.count(trimmed(lines[i].text)) == 0) own = clean_text(text, 40);
    const std::size_t mark = text.find_first_of(":=,;\t");
    const std::string key = mark == std::string_view::npos ? "" : lower_case(trimmed(text.substr(0, mark)));
    if (std::find(std::begin(names), std::end(names), key) == std::end(names)) continue;
    if (std::string name = unquoted_cell(text.substr(mark + 1)); !name.empty() && name.size() <= 60)
      return name;
  }
  return own.empty() ? nearest : own;
}

std::vector<TableLines> find_tables(std::span<const TextLine> lines, char delimiter, char decimal) {
  std::vector<TableLines> out;
  std::span<const std::string_view> cells;
  std::size_t after = 0;  // Line behind the last table's rows.
  bool title = false, open = false, blank = false;
  // Where blanks part cells every word is one: only rows that begin anew tell tables from prose.
  const bool anew_only = delimiter == ' ';
  HeadLines head;
  std::set<std::string> keys;  // Of the settings above the first rows.
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.empty()) {
      blank = true;
      continue;
    }
    if (out.empty())
      if (const std::string key = setting_key(text); !key.empty()) keys.insert(key);
    // The first settings again between rows of one number: the block of another channel.
    if (open && out.back().rows > 2 && !keys.empty() && keys.count(setting_key(text)) > 0) {
      cells = lines[out.back().data].cells(delimiter);
      if (cells.size() == 1) {
        title = true, open = false, blank = false;
        continue;
      }
    }
    // A line between rows behind which they begin anew: another run.
    const bool remark = text[0] == '#' || text[0] == '%';
    if (open && out.back().rows > 2 && (remark ? blank : true) &&
        !lead_of(lines[i].text, delimiter, decimal) &&
        begins_anew(lines, out.back().data, i, delimiter, decimal)) {
      title = true, open = false, blank = false;
      continue;
    }
    if (remark || anew_only) {
      if (!remark && lead_of(lines[i].text, delimiter, decimal)) {
        if (!open && (title || out.empty())) out.push_back({after, i + 1, 0, i}), open = true;
        ++out.back().rows, out.back().end = i + 1, after = i + 1;
        title = blank = false;
      }
      continue;
    }
    cells = lines[i].cells(delimiter);
    std::size_t numbers = 0, words = 0;
    double value = 0;
    for (const std::string_view cell : cells) {
      if (trimmed(cell).empty()) continue;
      if (parse_any_cell(cell, decimal, value) || is_missing_word(cell) || is_over_range(cell) ||
          parse_date_time(unquoted_cell(cell)) || parse_date(unquoted_cell(cell)) ||
          parse_time_of_day(unquoted_cell(cell)))
        ++numbers;
      else
        ++words;
    }
    if (numbers > words) {
      if (!open && (title || out.empty())) {
        out.push_back({after, i + 1, 0, i});
        open = true;
      }
      if (!out.empty()) {
        TableLines& table = out.back();
        ++table.rows, table.end = i + 1, after = i + 1;
        const std::string lead = unquoted_cell(cells[0]);
        if (!lead.empty() && !parse_any_cell(lead, decimal, value) && !parse_date_time(lead) &&
            !parse_date(lead) && !parse_time_of_day(lead))
          ++table.labelled;
      }
      title = blank = false;
    } else if (numbers == 0 && words > 1) {
      // The same titles again, and times that go on: a log that was opened anew.
      const bool again = open && head.has(lines[i].text) && goes_on(lines, i, head, delimiter, decimal);
      if (!again) title = true, open = false;
      if (out.empty()) head.add(lines[i].text);
    }
  }
  // Settings of each channel, a word before them, above a table of many more rows: its preamble.
  for (std::size_t t = out.size(), next = out.size(); t-- > 0;) {
    if (next < out.size() && out[t].labelled == out[t].rows && out[next].rows >= 3 * out[t].rows &&
        out[next].labelled == 0)
      out[next].first = out[t].first, out[t].rows = 0;
    else
      next = t;
  }
  std::erase_if(out, [](const TableLines& t) { return t.rows < 3; });
  return out;
}

}  // namespace vprism
