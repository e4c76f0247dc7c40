// title_names.cpp: see title_names.h.
#include "formats/text/titles/title_names.h"

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "formats/text/clock/serial_values.h"
#include "formats/text/titles/channel_notes.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

bool is_comment(std::string_view text) {
  text = trimmed(text);
  // "; made by ...": but a line of cells that semicolons part has more of them.
  if (starts_with(text, "; ") && text.find(';', 1) == std::string_view::npos) return true;
  return !text.empty() && (starts_with(text, "* ") || text.front() == '#' || text.front() == '%' ||
                           text.front() == '!' || starts_with(text, "//"));
}

std::string_view without_marks(std::string_view text) {
  text = trimmed(text);
  while (is_comment(text)) text = trimmed(text.substr(text.front() == '/' ? 2 : 1));
  return text;
}

std::size_t cells_needed(const TextLayout& layout) {
  std::size_t out = layout.cells.back() + 1;
  if (layout.clock) out = std::max(out, layout.clock->cell + (layout.clock->two_cells ? 2 : 1));
  return out;
}

namespace {

/// Units that are no words: "Druck hPa", "Temperatur °C".
bool is_plain_unit(std::string_view word) {
  static constexpr std::string_view known[] = {
      "hPa", "kPa", "MPa", "Pa",  "bar", "mbar", "mV", "kV", "mA", "kA", "kN",  "mm",  "cm",   "um",
      "kg",  "rpm", "Hz",  "kHz", "MHz", "dB",   "kW", "MW", "ms", "Nm", "psi", "GHz", "degC", "kWh"};
  if (word.empty() || word.front() == '(' || word.front() == '[') return false;
  const bool marked = word.find_first_of("/%") != std::string_view::npos ||
                      std::any_of(word.begin(), word.end(), [](char c) { return (c & 0x80) != 0; });
  return std::find(std::begin(known), std::end(known), word) != std::end(known) ||
         (marked && Unit::try_parse(word));
}

bool is_clock_title(const std::string& cell) {
  const std::string low = lower_case(cell);
  return is_time_title(channel_from_title(cell)) || low.find("dat") != std::string::npos || low == "tag";
}

}  // namespace

bool underscored_units(std::vector<std::string>& cells) {
  static constexpr std::pair<std::string_view, std::string_view> spelled[] = {
      {"mps", "m/s"},     {"mps2", "m/s^2"}, {"ms2", "m/s^2"}, {"mmps", "mm/s"}, {"degps", "deg/s"},
      {"radps", "rad/s"}, {"Nm", "N m"},     {"kmh", "km/h"},  {"lpm", "l/min"}, {"pct", "%"}};
  std::vector<std::string> out;
  bool timed = false;
  for (const std::string& cell : cells) {
    const std::size_t mark = cell.find_last_of('_');
    if (mark == std::string::npos || mark == 0 || mark + 1 == cell.size()) return false;
    std::string unit = cell.substr(mark + 1);
    for (const auto& [word, meant] : spelled)
      if (unit == word) unit = meant;
    if (is_digit(unit[0])) return false;
    std::string with_unit = cell.substr(0, mark) + " (" + unit + ")";
    const Channel meant = channel_from_title(with_unit);
    if (!meant.unit.known() || meant.unit.text() == "1") return false;
    out.push_back(std::move(with_unit));
    timed =
        timed || ((is_time_title(channel_from_title(cell.substr(0, mark))) || cell.substr(0, mark) == "dt") &&
                  meant.unit.converts_to(Unit::parse("s")));
  }
  if (!timed || out.size() < 2) return false;
  cells = std::move(out);
  return true;
}

namespace {

/// "time:s,speed:rpm": where one is a time in a unit of time, what stands behind each colon is a unit.
bool colon_units(std::vector<std::string>& cells) {
  std::vector<std::string> out;
  bool timed = false;
  for (const std::string& cell : cells) {
    const std::size_t mark = cell.find_last_of(':');
    if (mark == std::string::npos || mark == 0 || mark + 1 == cell.size()) return false;
    const auto unit = is_digit(cell[mark + 1]) ? std::nullopt : Unit::try_parse(cell.substr(mark + 1));
    if (!unit) return false;
    out.push_back(std::string(trimmed(cell.substr(0, mark))) + " (" +
                  std::string(trimmed(cell.substr(mark + 1))) + ")");
    timed = timed ||
            (is_time_title(channel_from_title(cell.substr(0, mark))) && unit->converts_to(Unit::parse("s")));
  }
  if (!timed || out.size() < 2) return false;
  cells = std::move(out);
  return true;
}

bool is_number(const std::string& text) {
  double value = 0;
  return parse_any_cell(text, '.', value) || parse_any_cell(text, ',', value);
}

/// "Position mm;Kraft N;Zeit s": where one is a time in a unit of time, the last word of each is its unit.
bool blank_units(std::vector<std::string>& cells) {
  std::vector<std::string> out;
  bool timed = false;
  for (const std::string& cell : cells) {
    const std::size_t mark = cell.find_last_of(' ');
    if (mark == std::string::npos || mark == 0 || mark + 1 == cell.size()) return false;
    const auto unit = is_digit(cell[mark + 1]) ? std::nullopt : Unit::try_parse(cell.substr(mark + 1));
    // "31.5 Hz" is the name of a band.
    if (!unit || cell.back() == ')' || cell.back() == ']' || is_number(cell.substr(0, mark))) return false;
    std::string name = cell.substr(0, mark);
    for (const std::string_view between : {" in", " en"})
      if (name.ends_with(between)) name.erase(name.size() - between.size());
    while (!name.empty() && (name.back() == ',' || name.back() == ' ')) name.pop_back();
    out.push_back(name + " (" + cell.substr(mark + 1) + ")");
    timed = timed || (is_time_title(channel_from_title(name)) && unit->converts_to(Unit::parse("s")));
  }
  if (!timed || out.size() < 2) return false;
  cells = std::move(out);
  return true;
}

/// "Zeit in Sekunden", "time in seconds": with the unit's symbol in brackets; "" for anything else.
std::string with_spoken_unit(const std::string& cell) {
  static constexpr std::pair<std::string_view, std::string_view> words[] = {
      {"sekunden", "s"},  {"millisekunden", "ms"}, {"mikrosekunden", "us"}, {"minuten", "min"},
      {"stunden", "h"},   {"seconds", "s"},        {"milliseconds", "ms"},  {"microseconds", "us"},
      {"minutes", "min"}, {"hours", "h"},          {"secondes", "s"},       {"segundos", "s"},
      {"secondi", "s"},   {"seconden", "s"},       {"days", "day"}};
  for (const std::string_view between : {" in ", " en "}) {
    const std::size_t at = cell.rfind(between);
    if (at == std::string::npos || at == 0) continue;
    const std::string unit = lower_case(trimmed(std::string_view(cell).substr(at + between.size())));
    for (const auto& [word, symbol] : words)
      if (unit == word) return cell.substr(0, at) + " (" + std::string(symbol) + ")";
  }
  return "";
}

}  // namespace

void set_units_apart(std::vector<std::string>& cells) {
  if (underscored_units(cells) || blank_units(cells) || colon_units(cells)) return;
  std::vector<std::string> out;
  bool all = true;
  for (const std::string& cell : cells) {
    const std::string spoken = with_spoken_unit(cell);
    const std::size_t in = cell.rfind(" in "), blank = cell.find_last_of(' ');
    const std::size_t close = !cell.empty() && cell.front() == '[' ? cell.find(']') : std::string::npos;
    if (cell.empty()) {
      out.push_back(cell);
    } else if (cell.size() > 3 && cell.starts_with("in ") && Unit::try_parse(cell.substr(3)) &&
               Unit::parse(cell.substr(3)).converts_to(Unit::parse("s"))) {
      out.push_back("time (" + cell.substr(3) + ")");
    } else if (!spoken.empty()) {
      out.push_back(spoken);
    } else if (in != std::string::npos && in > 0 && Unit::try_parse(cell.substr(in + 4))) {
      out.push_back(cell.substr(0, in) + " (" + cell.substr(in + 4) + ")");
    } else if (close != std::string::npos && close + 1 < cell.size() && close < 16) {
      const std::string name(trimmed(std::string_view(cell).substr(close + 1)));
      out.push_back(name + " [" + cell.substr(1, close - 1) + "]");
    } else if (is_clock_title(cell) || cell.back() == ')' || cell.back() == ']') {
      out.push_back(cell);
    } else if (blank != std::string::npos && blank > 0 && is_plain_unit(cell.substr(blank + 1)) &&
               !is_number(cell.substr(0, blank))) {
      std::string name = cell.substr(0, blank);
      while (!name.empty() && (name.back() == ',' || name.back() == ' ')) name.pop_back();
      out.push_back(name + " (" + cell.substr(blank + 1) + ")");
    } else {
      all = false;
      out.push_back(cell);
    }
  }
  // "T1 °C", "Wind m/s": no word has such a sign, whatever the others have.
  for (std::size_t c = 0; c < cells.size(); ++c) {
    const std::size_t blank = cells[c].find_last_of(' ');
    const std::string last = blank == std::string::npos ? "" : cells[c].substr(blank + 1);
    const bool decibels = last == "dB" || last == "dBA" || last == "dBm" || last == "dBV" || last == "dBu";
    if (all || decibels ||
        (blank != std::string::npos &&
         cells[c].find_first_of("/%\xC2\xCE\xCF\xE2", blank) != std::string::npos))
      cells[c] = std::move(out[c]);
  }
}

namespace {

/// Words in quotation marks above the table, as many as it has columns: VARIABLES = "Time [s]", "Lift [N]",
/// over several lines if need be.
std::optional<TitleRow> quoted_list(const TextLayout& layout, const std::vector<TextLine>& lines,
                                    std::size_t first) {
  for (std::size_t from = 0; from < first; ++from) {
    if (lower_case(trimmed(lines[from].text).substr(0, 9)) != "variables") continue;
    TitleRow found;
    for (std::size_t i = from; i < first; ++i) {
      const std::string_view text = lines[i].text;
      if (i > from && trimmed(text).substr(0, 1) != "\"") break;
      for (std::size_t at = text.find('"'); at != std::string_view::npos;) {
        const std::size_t end = text.find('"', at + 1);
        if (end == std::string_view::npos) break;
        found.push_back(clean_text(trimmed(utf8_from_any(text.substr(at + 1, end - at - 1)))));
        at = text.find('"', end + 1);
      }
    }
    if (found.size() != cells_needed(layout)) continue;
    TitleRow out;
    for (const std::size_t i : layout.cells) out.push_back(found[i]);
    return out;
  }
  return {};
}

/// Comments that each give a column's place: "# Probe 0 (0.35 0.02 0)", as many as there are columns behind
/// the first.
std::optional<TitleRow> placed_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                     std::size_t first) {
  TitleRow out = {"Time"};
  for (std::size_t i = 0; i < first; ++i) {
    const std::string_view text = trimmed(lines[i].text), bare = without_marks(text);
    if (!is_comment(text) || bare.empty() || bare.back() != ')' || bare.find('(') == std::string_view::npos)
      continue;
    const std::size_t open = bare.find('(');
    const std::string name(trimmed(bare.substr(0, open)));
    // A place is numbers: "gain: 10 mV/(m/s^2)" has none.
    if (numbers_in_line(bare.substr(open + 1, bare.size() - open - 2)).empty()) continue;
    if (!name.empty()) out.push_back(clean_text(name));
  }
  if (out.size() < 2 || out.size() != layout.cells.size() || cells_needed(layout) != out.size()) return {};
  return out;
}

/// "x = [" right above the numbers, as programs write matrices: the name of its columns.
std::optional<TitleRow> assigned_name(const TextLayout& layout, const std::vector<TextLine>& lines,
                                      std::size_t first) {
  if (first == 0) return {};
  std::string_view text = trimmed(lines[first - 1].text);
  if (text.size() < 4 || text.back() != '[') return {};
  text = trimmed(text.substr(0, text.size() - 1));
  if (text.empty() || text.back() != '=') return {};
  const std::string name = clean_text(trimmed(text.substr(0, text.size() - 1)), 60);
  if (name.empty() || name.find_first_of(" ,;\"") != std::string::npos) return {};
  TitleRow out;
  for (std::size_t c = 0; c < layout.cells.size(); ++c)
    out.push_back(layout.cells.size() == 1 ? name : name + " " + std::to_string(c + 1));
  return out;
}

/// "@attribute u numeric", one line for each column of the rows, in their order.
std::optional<TitleRow> declared_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                       std::size_t first) {
  TitleRow found;
  for (std::size_t i = 0; i < first; ++i) {
    std::string_view text = trimmed(lines[i].text);
    constexpr std::string_view word = "@attribute";
    if (lower_case(text.substr(0, word.size())) != word) continue;
    text = trimmed(text.substr(word.size()));
    const char quote = !text.empty() && (text[0] == '"' || text[0] == '\'') ? text[0] : ' ';
    const std::size_t begin = quote == ' ' ? 0 : 1;
    const std::size_t end =
        std::min(quote == ' ' ? text.find_first_of(" \t") : text.find(quote, 1), text.size());
    found.push_back(clean_text(text.substr(begin, end - begin)));
  }
  if (found.empty() || found.size() != layout.row_cells) return {};
  TitleRow out;
  for (const std::size_t i : layout.cells) out.push_back(found[i]);
  return out;
}

}  // namespace

std::optional<TitleRow> listed_names(const TextLayout& layout, const std::vector<TextLine>& lines,
                                     std::size_t first, bool titled) {
  if (auto quoted = quoted_list(layout, lines, first)) return quoted;
  if (auto declared = declared_names(layout, lines, first)) return declared;
  if (titled) return {};
  for (const auto find : {placed_names, noted_names, assigned_name})
    if (auto found = find(layout, lines, first)) return found;
  return {};
}

void join_groups(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t names_line,
                 TitleRow& names) {
  // A time, or an abscissa, may stand in each group.
  const auto without_times = [](const TitleRow& row) {
    TitleRow out;
    for (const std::string& name : row)
      if (!is_time_title(channel_from_title(name))) out.push_back(name);
    return out;
  };
  const auto all_differ = [](const TitleRow& row) {
    return std::set<std::string>(row.begin(), row.end()).size() == row.size();
  };
  if (layout.delimiter == ' ' || layout.delimiter == '(' || names_line == 0 ||
      all_differ(without_times(names)))
    return;
  std::span<const std::string_view> cells;
  cells = lines[names_line - 1].cells(layout.delimiter);
  std::vector<std::string> above;
  std::string group;
  std::size_t words = 0;
  double value = 0;
  for (const std::string_view cell : cells) {
    const std::string text = unquoted_cell(cell);
    if (parse_any_cell(text, layout.decimal, value)) return;
    if (!text.empty()) group = text, ++words;
    above.push_back(group);
  }
  TitleRow joined;
  for (std::size_t c = 0; c < names.size(); ++c) {
    const std::string& word = layout.cells[c] < above.size() ? above[layout.cells[c]] : group;
    joined.push_back(word.empty() || is_time_title(channel_from_title(names[c])) ? names[c]
                                                                                 : word + " " + names[c]);
  }
  if (words > 1 && all_differ(without_times(joined))) names = std::move(joined);
}

void take_corner_apart(TitleRow& names, char decimal) {
  if (names.size() < 4) return;
  double value = 0;
  for (std::size_t c = 1; c < names.size(); ++c)
    if (!parse_any_cell(names[c], decimal, value)) return;
  const std::size_t mark = names[0].find_first_of("/\\|");
  if (mark == std::string::npos || mark == 0 || mark + 1 == names[0].size()) return;
  const std::string behind(trimmed(std::string_view(names[0]).substr(mark + 1)));
  // "time/s" has a unit.
  if (names[0][mark] != '\\' && (Unit::try_parse(behind) || behind.size() < 3)) return;
  names[0] = std::string(trimmed(std::string_view(names[0]).substr(0, mark)));
}

}  // namespace vprism
