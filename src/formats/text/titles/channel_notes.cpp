// channel_notes.cpp: see channel_notes.h.
#include "formats/text/titles/channel_notes.h"

#include <algorithm>
#include <map>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// What is said of each channel, by its number as the file counts them.
struct Noted {
  std::map<std::size_t, std::string> names, plain, units;  ///< Plain: behind the number alone.
};

enum class Said { nothing, plain, name, unit };

bool is_letter(char c) { return ((c | 32) >= 'a' && (c | 32) <= 'z') || (c & 0x80) != 0; }

bool is_one_of(const std::string& word, const std::vector<std::string_view>& words) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

bool is_channel_word(const std::string& word) {
  static const std::vector<std::string_view> words = {"channel", "chan",   "ch",    "signal", "sensor",
                                                      "column",  "col",    "kanal", "input",  "trace",
                                                      "probe",   "spalte", "field", "analog", "ai"};
  return is_one_of(word, words);
}
bool is_name_word(const std::string& word) {
  static const std::vector<std::string_view> words = {"name",        "label", "title",
                                                      "description", "names", "bezeichnung"};
  return is_one_of(word, words);
}
bool is_unit_word(const std::string& word) {
  static const std::vector<std::string_view> words = {"unit", "units", "einheit", "eu", "dimension"};
  return is_one_of(word, words);
}

/// "X", "y axis", "Y2 label": the axes of a graph, x before the first channel. False for any other word.
bool is_axis_letter(const std::string& word, std::size_t& number) {
  if (word == "x" || word == "xaxis" || word == "xlabel" || word == "abscissa")
    number = 0;
  else if (word == "y" || word == "yaxis" || word == "ylabel" || word == "ordinate")
    number = 1;
  else
    return false;
  return true;
}

/// "CH2_NAME", "Unit 2", "Channel[2].Name", "X axis": what is said, and of which channel.
Said said_by(std::string_view key, std::size_t& number) {
  Said out = Said::nothing;
  bool numbered = false, worded = false, axis = false;
  for (std::size_t i = 0; i < key.size();) {
    if (is_digit(key[i])) {
      if (numbered && (!axis || number != 1)) return Said::nothing;
      std::size_t digits = 0;
      for (number = 0; i < key.size() && is_digit(key[i]); ++i, ++digits)
        number = 10 * number + static_cast<std::size_t>(key[i] - '0');
      if (digits > 4) return Said::nothing;
      numbered = true;
    } else if (is_letter(key[i])) {
      std::string word;
      while (i < key.size() && is_letter(key[i])) word += key[i++];
      word = lower_case(word);
      const Said said = is_name_word(word) ? Said::name : is_unit_word(word) ? Said::unit : Said::plain;
      if (said == Said::plain && !axis && is_axis_letter(word, number)) {
        axis = numbered = worded = true, out = std::max(out, Said::plain);
        continue;
      }
      if (said == Said::plain && !is_channel_word(word) && !(axis && word == "axis")) return Said::nothing;
      out = std::max(out, said), worded = true;
    } else if (std::string_view(" _.-#[]()").find(key[i]) != std::string_view::npos) {
      ++i;
    } else {
      return Said::nothing;
    }
  }
  return numbered && worded ? out : Said::nothing;
}

void add(Noted& noted, Said said, std::size_t number, std::string value, char decimal) {
  double number_seen = 0;
  if (value.empty() || value.size() >= 100) return;
  if (said == Said::unit) {
    if (value.size() <= 24) noted.units.emplace(number, value);
  } else if (!parse_any_cell(value, decimal, number_seen) && (said == Said::name || !is_digit(value[0]))) {
    (said == Said::name ? noted.names : noted.plain).emplace(number, value);
  }
}

/// "0: time [s]": a comment's key that is a number alone. False where it is none.
bool read_numbered(Noted& noted, std::string_view text, char decimal) {
  const std::size_t mark = text.find_first_of(":=");
  const std::string_view key = trimmed(text.substr(0, std::min(mark, text.size())));
  if (mark == std::string_view::npos || key.empty() || key.size() > 3 ||
      !std::all_of(key.begin(), key.end(), is_digit))
    return false;
  // Times of day and ratios have a number behind as well.
  const std::string value = unquoted_cell(text.substr(mark + 1));
  if (value.empty() || is_digit(value[0])) return false;
  add(noted, Said::plain, std::stoul(std::string(key)), value, decimal);
  return true;
}

/// One statement: a key of that kind, a mark, and its value. False where it is none.
bool read_statement(Noted& noted, std::string_view text, char decimal) {
  const std::size_t mark = text.find_first_of(":=;,|\t");
  std::size_t number = 0;
  std::string_view key = text.substr(0, mark);
  Said said = mark == std::string_view::npos ? Said::nothing : said_by(trimmed(key), number);
  std::string_view value = mark == std::string_view::npos ? std::string_view() : text.substr(mark + 1);
  if (said == Said::nothing) {
    // "Channel 2 - Pump outlet".
    const std::size_t dash = text.find(" - ");
    if (dash == std::string_view::npos) return false;
    said = said_by(trimmed(text.substr(0, dash)), number), value = text.substr(dash + 3);
  }
  // Lines may end in the mark that parts their cells.
  value = trimmed(value);
  while (!value.empty() && std::string_view(";,\t ").find(value.back()) != std::string_view::npos)
    value.remove_suffix(1);
  if (said == Said::nothing || value.empty()) return false;
  // One for each channel.
  if (said == Said::unit && value.find('\t') != std::string_view::npos) return false;
  // "Y Axis,Volts": an axis of a graph is named by its unit as well.
  const std::string low = lower_case(key.substr(0, 24));
  if (said == Said::plain && low.find("axis") != std::string::npos && value.size() > 1 &&
      Unit::try_parse(unquoted_cell(value)))
    said = Said::unit;
  add(noted, said, number, unquoted_cell(value), decimal);
  return true;
}

/// "1=time [s] 2=u [m/s]", "1: time 2: u": counted from 1 on. False where it is none.
bool read_counted(Noted& noted, std::string_view text, char decimal) {
  if (text.size() < 5 || text[0] != '1' || (text[1] != '=' && text[1] != ':')) return false;
  Noted found = noted;
  std::size_t number = 1;
  for (std::string_view rest = text.substr(2); !rest.empty(); ++number) {
    const std::string next = " " + std::to_string(number + 1) + text[1];
    const std::size_t end = std::min(rest.find(next), rest.size());
    std::string_view name = trimmed(rest.substr(0, end));
    while (!name.empty() && (name.back() == ',' || name.back() == ';')) name.remove_suffix(1);
    add(found, Said::name, number, unquoted_cell(name), decimal);
    rest = end < rest.size() ? rest.substr(end + next.size()) : std::string_view();
  }
  if (number < 3 || found.names.size() + 1 != number) return false;
  noted = std::move(found);
  return true;
}

/// The value of an attribute of an XML tag; "" where it has none.
std::string attribute(std::string_view tag, const std::vector<std::string_view>& names) {
  for (const std::string_view name : names) {
    const std::string wanted = std::string(name) + "=";
    const std::size_t at = lower_case(tag).find(wanted);
    if (at == std::string::npos || at == 0 || is_letter(tag[at - 1])) continue;
    const std::size_t open = at + wanted.size();
    if (open >= tag.size() || (tag[open] != '"' && tag[open] != '\'')) continue;
    const std::size_t close = tag.find(tag[open], open + 1);
    if (close != std::string_view::npos) return clean_text(trimmed(tag.substr(open + 1, close - open - 1)));
  }
  return "";
}

/// <Channel name="accel" unit="g"/>: in the order of the tags.
bool read_tag(Noted& noted, std::string_view text, std::size_t& tags, char decimal) {
  if (text.size() < 4 || text.front() != '<' || text.back() != '>') return false;
  std::size_t letters = 1;
  while (letters < text.size() && is_letter(text[letters])) ++letters;
  if (!is_channel_word(lower_case(text.substr(1, letters - 1)))) return false;
  const std::string name = attribute(text, {"name", "label", "title"}),
                    unit = attribute(text, {"unit", "units"});
  if (name.empty()) return false;
  ++tags;
  add(noted, Said::name, tags, name, decimal);
  if (!unit.empty()) add(noted, Said::unit, tags, unit, decimal);
  return true;
}

/// "X_Delta", "x increment": the axis x is in no column, so y is that of the first.
bool says_step_of_x(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  for (std::size_t i = 0; i < first; ++i) {
    const std::string key = lower_case(without_marks(lines[i].text).substr(0, 24));
    if (key.size() < 3) continue;
    const bool behind = key.starts_with("delta x") && (key.size() == 7 || !is_letter(key[7]));
    if (!behind && (key[0] != 'x' || is_letter(key[1]))) continue;
    double value = 0;
    for (const char* word : {"delta", "incr", "interval", "step", "resolution"})
      if (key.find(word) != std::string::npos) {
        const std::string_view text = without_marks(lines[i].text);
        const std::size_t mark = text.find_first_of(std::string(":=;,\t") + layout.delimiter);
        if (mark != std::string_view::npos &&
            parse_any_cell(trimmed(text.substr(mark + 1)), layout.decimal, value))
          return true;
      }
  }
  return false;
}

void leave_out_x(std::map<std::size_t, std::string>& noted) {
  // By its letter x is 0.
  if (noted.erase(0) > 0) return;
  std::map<std::size_t, std::string> rest;
  for (auto& [number, text] : noted)
    if (number > 1) rest.emplace(number - 1, std::move(text));
  noted = std::move(rest);
}

/// "No  Name  Unit" over rows that count: the line behind the table, or `from` where there is none.
std::size_t read_small_table(Noted& noted, const TextLayout& layout, const std::vector<TextLine>& lines,
                             std::size_t from, std::size_t first) {
  std::vector<std::string_view> titles, cells;
  for (const char mark : {layout.delimiter == '(' ? ' ' : layout.delimiter, '\t', ';', ',', '|', ' '}) {
    split_cells(without_marks(lines[from].text), mark, titles);
    std::size_t name = titles.size(), unit = titles.size();
    for (std::size_t c = 0; c < titles.size(); ++c) {
      const std::string word = lower_case(unquoted_cell(titles[c]));
      const bool named = is_name_word(word) || word == "signal name" || word == "channel name";
      if (named && name == titles.size()) name = c;
      if (is_unit_word(word)) unit = c;
    }
    if (titles.size() < 2 || name == 0 || name == titles.size()) continue;
    Noted found;
    std::size_t line = from + 1;
    double number = 0;
    for (; line < first; ++line) {
      split_cells(without_marks(lines[line].text), mark, cells);
      const std::size_t row = line - from;
      // "1", or "CH1".
      std::size_t said = 0;
      const bool counts =
          !cells.empty() && parse_cell(cells[0], '.', number)
              ? number == static_cast<double>(row)
              : !cells.empty() && said_by(unquoted_cell(cells[0]), said) == Said::plain && said == row;
      // One title may stand above several cells.
      if ((said > 0 ? cells.size() < titles.size() : cells.size() != titles.size()) || !counts) break;
      add(found, Said::name, row, unquoted_cell(cells[name]), layout.decimal);
      if (unit < cells.size()) add(found, Said::unit, row, unquoted_cell(cells[unit]), layout.decimal);
    }
    if (line == from + 1) continue;
    noted.names.insert(found.names.begin(), found.names.end());
    noted.units.insert(found.units.begin(), found.units.end());
    return line;
  }
  return from;
}

Noted noted_above(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  Noted out;
  std::size_t tags = 0;
  for (std::size_t i = 0; i < first; ++i) {
    const std::string_view text = without_marks(lines[i].text);
    if (text.empty() || text.size() > 2000 || read_tag(out, text, tags, layout.decimal) ||
        read_counted(out, text, layout.decimal))
      continue;
    if (const std::size_t behind = read_small_table(out, layout, lines, i, first); behind > i) {
      i = behind - 1;
      continue;
    }
    if (is_comment(lines[i].text) && read_numbered(out, text, layout.decimal)) continue;
    // Several in one line: "Name2 = accel; Unit2 = g".
    if (const std::size_t apart = text.find_first_of(";,");
        apart != std::string_view::npos && std::count(text.begin(), text.end(), '=') > 1) {
      std::vector<std::string_view> statements;
      split_cells(text, text[apart], statements);
      for (const std::string_view statement : statements)
        read_statement(out, trimmed(statement), layout.decimal);
      continue;
    }
    // "ch1: current [A], ch2: voltage [kV]": where each of them is one.
    if (std::count(text.begin(), text.end(), ':') > 1) {
      Noted found = out;
      std::vector<std::string_view> statements;
      bool all = true;
      for (const char mark : {';', ','}) {
        found = out;
        split_cells(text, mark, statements);
        all = statements.size() > 1 &&
              std::all_of(statements.begin(), statements.end(), [&](std::string_view statement) {
                return read_statement(found, trimmed(statement), layout.decimal);
              });
        if (all) break;
      }
      if (all) {
        out = std::move(found);
        continue;
      }
    }
    read_statement(out, text, layout.decimal);
  }
  if (says_step_of_x(layout, lines, first)) {
    leave_out_x(out.names), leave_out_x(out.plain), leave_out_x(out.units);
  }
  if (out.names.empty()) out.names = std::move(out.plain);
  return out;
}

/// Whether numbers from 0 or 1 on, without a gap, belong to as many columns, or to all but the first, which
/// is then the time: the column of the first number, nothing where they don't.
std::optional<std::size_t> first_column(const TextLayout& layout,
                                        const std::map<std::size_t, std::string>& noted) {
  const std::size_t columns = layout.cells.size();
  if (noted.empty() || noted.begin()->first > 1 ||
      noted.rbegin()->first - noted.begin()->first + 1 != noted.size())
    return {};
  if (noted.size() == columns) return 0;
  if (noted.size() + 1 == columns && !layout.clock && noted.begin()->first == 1) return 1;
  return {};
}

/// Whether the first column counts the rows.
bool first_counts(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::span<const std::string_view> cells;
  double before = 0, now = 0;
  for (std::size_t i = first; i < std::min(lines.size(), first + 8); ++i) {
    cells = lines[i].cells(layout.delimiter);
    if (layout.cells[0] >= cells.size() || !parse_cell(cells[layout.cells[0]], layout.decimal, now) ||
        (i > first && now != before + 1))
      return false;
    before = now;
  }
  return true;
}

}  // namespace

bool notes_a_channel(std::string_view line) {
  const std::string_view text = without_marks(line);
  const std::size_t mark = text.find_first_of(":=");
  std::size_t number = 0;
  return mark != std::string_view::npos && said_by(trimmed(text.substr(0, mark)), number) != Said::nothing;
}

std::optional<TitleRow> noted_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                    std::size_t first) {
  const Noted noted = noted_above(layout, lines, first);
  const auto begin = first_column(layout, noted.names);
  if (!begin) return {};
  TitleRow names, out;
  for (const auto& [number, name] : noted.names) {
    names.push_back(name);
    if (const auto unit = noted.units.find(number); unit != noted.units.end())
      names.back() += " [" + unit->second + "]";
  }
  set_units_apart(names);
  if (*begin == 1) out.push_back(first_counts(layout, lines, first) ? "Sample" : "Time");
  out.insert(out.end(), names.begin(), names.end());
  return out;
}

void name_by_table(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first,
                   TitleRow& names) {
  const auto number_of = [](const std::string& title) {
    std::size_t number = 0;
    const std::size_t end = title.find_first_of("([");
    return said_by(trimmed(std::string_view(title).substr(0, end)), number) == Said::plain
               ? std::optional(number)
               : std::nullopt;
  };
  if (std::none_of(names.begin(), names.end(), [&](const auto& name) { return number_of(name).has_value(); }))
    return;
  Noted noted;
  for (std::size_t i = 0; i < first; ++i)
    if (const std::size_t behind = read_small_table(noted, layout, lines, i, first); behind > i)
      i = behind - 1;
  for (std::string& name : names) {
    const auto number = number_of(name);
    const auto said = number ? noted.names.find(*number) : noted.names.end();
    if (said == noted.names.end()) continue;
    const std::size_t unit = name.find_first_of("([");
    const bool has_own = said->second.find_first_of("([") != std::string::npos;
    name = said->second + (unit == std::string::npos || has_own ? "" : " " + name.substr(unit));
  }
}

void take_noted_units(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  const Noted noted = noted_above(layout, lines, first);
  const auto begin = first_column(layout, noted.units);
  if (!begin) return;
  std::size_t column = *begin;
  for (const auto& [number, text] : noted.units) {
    Channel& channel = layout.columns[column++];
    if (channel.unit.text() != "1") continue;
    channel.unit = Unit::try_parse(text).value_or(Unit::opaque(text));
    channel.quantity = quantity_of(channel.unit);
  }
}

}  // namespace vprism
