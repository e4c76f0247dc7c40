// text_preamble.cpp: keys and values as lines above a table, or cells beside it, have them.
#include "formats/text/titles/text_preamble.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/text/axis/axis_words.h"
#include "formats/text/clock/clock.h"
#include "formats/text/titles/preamble_rates.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

std::string unquoted_cell(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() > 2 && cell[0] == '=' && cell[1] == '"') cell.remove_prefix(1);
  if (cell.size() > 3 && starts_with(cell, "\"'") && runs_in_spreadsheet(cell.substr(2, cell.size() - 3)))
    return unquoted_cell('"' + std::string(cell.substr(2)));  // As csv_cell writes it.
  if (cell.size() < 2 || cell.front() != '"' || cell.back() != '"')
    return clean_text(trimmed(utf8_from_any(cell)));
  std::string text;
  for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
    text += cell[i];
    if (cell[i] == '"' && cell[i + 1] == '"' && i + 2 < cell.size()) ++i;  // A doubled quote is one.
  }
  return clean_text(trimmed(utf8_from_any(text)));
}

namespace {

/// {"fs": 2000, "unit": "g"} in a line of its own. False where it is none.
bool read_object(TextLayout& layout, std::string_view text) {
  if (text.front() != '{' || text.back() != '}') return false;
  const auto object = nlohmann::ordered_json::parse(text, nullptr, false);
  if (!object.is_object()) return false;
  for (const auto& [key, value] : object.items())
    if (value.is_string() || value.is_number())
      take_note(layout, clean_text(key),
                clean_text(value.is_string() ? value.get<std::string>() : value.dump()));
  return true;
}

/// <SampleRate>200</SampleRate> in a line of its own. False where it is none.
bool read_element(TextLayout& layout, std::string_view text) {
  const std::size_t open = text.find('>'), close = text.rfind("</");
  if (text.front() != '<' || text.back() != '>' || close == std::string_view::npos || close <= open)
    return false;
  const std::string_view tag = text.substr(1, open - 1), key = tag.substr(0, tag.find(' '));
  const std::string_view value = trimmed(text.substr(open + 1, close - open - 1));
  if (key.empty() || value.empty() || text.substr(close + 2, text.size() - close - 3) != key) return false;
  const std::size_t unit = tag.find("unit=\"");
  std::string said = clean_text(value);
  if (unit != std::string_view::npos)
    said += " " + clean_text(tag.substr(unit + 6, tag.find('"', unit + 6) - unit - 6));
  take_note(layout, clean_text(key), said);
  return true;
}

/// "Record 7, dt = 0.005 s, units g": one setting with a number in a sentence, behind a comma.
bool read_pair_within(TextLayout& layout, std::string_view text, std::size_t mark) {
  const std::size_t before = text.substr(0, mark).find_last_of(",;");
  if (before == std::string_view::npos) return false;
  const std::string_view key = trimmed(text.substr(before + 1, mark - before - 1));
  std::size_t end = text.find_first_of(",;", mark);
  // A decimal comma parts nothing.
  while (end != std::string_view::npos && end + 1 < text.size() && text[end] == ',' &&
         is_digit(text[end - 1]) && is_digit(text[end + 1]))
    end = text.find_first_of(",;", end + 1);
  const std::string_view value =
      trimmed(text.substr(mark + 1, end == std::string_view::npos ? end : end - mark - 1));
  const bool worded = !key.empty() && key.size() <= 24 && (key[0] | 32) >= 'a' && (key[0] | 32) <= 'z';
  if (!worded || value.empty() || std::string_view("0123456789.+-").find(value[0]) == std::string_view::npos)
    return false;
  take_note(layout, clean_text(key), clean_text(value));
  return true;
}

/// Several "KEY= value" in one line: "NPTS=   25, DT=   .0050 SEC". False where there are fewer than two.
bool read_pairs(TextLayout& layout, std::string_view text) {
  std::vector<std::size_t> marks;
  for (std::size_t i = 1; i < text.size(); ++i)
    if (text[i] == '=' && text[i - 1] != '=' && text.find('"') == std::string_view::npos) marks.push_back(i);
  if (marks.size() == 1) return read_pair_within(layout, text, marks[0]);
  if (marks.empty()) return false;
  std::vector<std::pair<std::string, std::string>> pairs;
  std::size_t from = 0;
  for (std::size_t m = 0; m < marks.size(); ++m) {
    std::size_t next = text.size();
    if (m + 1 < marks.size()) {
      // The next key is the word before the next mark.
      next = marks[m + 1];
      while (next > marks[m] && text[next - 1] == ' ') --next;
      while (next > marks[m] + 1 && std::string_view(" ,;\t").find(text[next - 1]) == std::string_view::npos)
        --next;
    }
    std::string value(trimmed(text.substr(marks[m] + 1, next - marks[m] - 1)));
    while (!value.empty() && (value.back() == ',' || value.back() == ';')) value.pop_back();
    std::string_view key = trimmed(text.substr(from, marks[m] - from));
    // "Record 7, NPTS = 25, ...": words before the first one.
    if (const std::size_t comma = key.find_last_of(",;"); m == 0 && comma != std::string_view::npos)
      key = trimmed(key.substr(comma + 1));
    if (key.empty() || value.empty()) return false;
    pairs.emplace_back(clean_text(key), clean_text(trimmed(value)));
    from = next;
  }
  for (const auto& [key, value] : pairs) take_note(layout, key, value);
  return true;
}

/// Several settings in one line that two blanks or semicolons part: "name: vib1  unit: mm/s". False where
/// there are fewer than two, or a part is none.
bool read_parted(TextLayout& layout, std::string_view text) {
  std::vector<std::pair<std::string, std::string>> pairs;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t end = std::min(text.find("  ", at), text.find(';', at));
    if (end == std::string_view::npos) end = text.size();
    const std::string_view part = trimmed(text.substr(at, end - at));
    at = text.find_first_not_of(" ;", end);
    const std::size_t mark = part.find_first_of(":=");
    const std::string_view key = trimmed(part.substr(0, mark));
    const bool worded = !key.empty() && key.size() <= 30 && (key[0] | 32) >= 'a' && (key[0] | 32) <= 'z';
    if (mark == std::string_view::npos || !worded || trimmed(part.substr(mark + 1)).empty()) return false;
    pairs.emplace_back(unquoted_cell(key), unquoted_cell(part.substr(mark + 1)));
  }
  if (pairs.size() < 2) return false;
  for (const auto& [key, value] : pairs) take_note(layout, key, value);
  return true;
}

}  // namespace

bool read_titled_values(TextLayout& layout, std::string_view titles, std::string_view values) {
  if (layout.delimiter == ' ' || layout.delimiter == '(') return false;
  std::vector<std::string_view> keys, cells;
  split_cells(titles, layout.delimiter, keys);
  split_cells(values, layout.delimiter, cells);
  double number = 0;
  bool any = false;
  if (keys.size() < 2 || cells.size() < keys.size()) return false;
  for (std::size_t k = 0; k < keys.size(); ++k) {
    const std::string key = unquoted_cell(keys[k]), value = unquoted_cell(cells[k]);
    if (parse_any_cell(key, layout.decimal, number) || key.find_first_of(":=") != std::string::npos)
      return false;
    const bool is_number = parse_any_cell(value, layout.decimal, number);
    if (k == 0 && !is_number) return false;  // Else a key with its value beside it.
    any = any || (!key.empty() && is_number);
  }
  if (!any) return false;
  for (std::size_t k = 0; k < keys.size(); ++k)
    if (const std::string key = unquoted_cell(keys[k]); !key.empty())
      take_note(layout, key, unquoted_cell(cells[k]));
  return true;
}

void read_settings_beside(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                          std::size_t last) {
  if (layout.delimiter == ' ' || layout.delimiter == '(') return;
  // What is filled in nearly all of many rows is a column of words, not a setting.
  std::span<const std::string_view> cells;
  std::vector<std::size_t> filled;
  for (std::size_t i = first; i <= last; ++i) {
    cells = lines[i].cells(layout.delimiter);
    filled.resize(std::max(filled.size(), cells.size()), 0);
    for (std::size_t c = 0; c < cells.size(); ++c) filled[c] += trimmed(cells[c]).empty() ? 0 : 1;
  }
  const std::size_t rows = last - first + 1;
  for (std::size_t i = first; i <= last; ++i) {
    std::vector<std::string_view> few = lines[i].cells(layout.delimiter);
    if (few.size() <= layout.cells.size()) continue;
    for (std::size_t c = 0; c < few.size(); ++c)
      if (rows >= 20 && 10 * filled[c] > 9 * rows) few[c] = {};
    read_beside_preamble(layout, few);
  }
}

void read_beside_preamble(TextLayout& layout, std::span<const std::string_view> cells) {
  std::vector<std::string> run;
  const auto end_run = [&] {
    if (run.size() >= 2) {
      std::string value = run[1];
      for (std::size_t i = 2; i < run.size(); ++i) value += " " + run[i];
      take_note(layout, run[0], value);
    } else if (run.size() == 1) {
      layout.notes.emplace_back(run[0], "");
    }
    run.clear();
  };
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const bool clock = layout.clock && layout.clock->has(i);
    const bool data = clock || std::binary_search(layout.cells.begin(), layout.cells.end(), i);
    const std::string text = data ? "" : unquoted_cell(cells[i]);
    if (text.empty())
      end_run();
    else
      run.push_back(text);
  }
  end_run();
}

void read_preamble_line(TextLayout& layout, std::string_view text) {
  text = trimmed(text);
  const bool comment = is_comment(text);
  text = without_marks(text);
  if (text.empty()) return;
  if (read_object(layout, text) || read_element(layout, text) || read_parted(layout, text) ||
      read_pairs(layout, text))
    return;
  std::vector<std::string_view> cells;
  split_cells(text, layout.delimiter == ' ' ? '\t' : layout.delimiter, cells);
  // In a comment, what stands behind "key: " is one value; and so it is where its mark of a decimal parts the
  // line: "interval = 0,5 ms".
  const std::size_t colon = text.find(": ");
  std::size_t mark_at = text.find_first_of(":=");
  // That of a time of day is none.
  const auto digit = [&](std::size_t i) { return i < text.size() && text[i] >= '0' && text[i] <= '9'; };
  while (mark_at != std::string_view::npos && mark_at > 0 && text[mark_at] == ':' && digit(mark_at - 1) &&
         digit(mark_at + 1))
    mark_at = text.find_first_of(":=", mark_at + 1);
  const auto number_behind = [&](std::size_t mark) {
    return digit(mark == std::string_view::npos ? mark : text.find_first_not_of(" :=", mark));
  };
  const bool within = colon != std::string_view::npos && colon < cells[0].size();
  const bool keyed = (within && (comment || number_behind(colon))) ||
                     (cells.size() == 2 && mark_at < cells[0].size() && number_behind(mark_at));
  if (cells.size() < 2 || keyed) {
    std::size_t mark = mark_at;
    // Parted otherwise than the rows: "samples per second;2000".
    if (mark == std::string_view::npos)
      if (const std::size_t other = text.find_first_of(";\t,|");
          number_behind(text.find_first_not_of(" ;\t,|", other)))
        mark = other;
    const std::size_t blank = text.find_last_of(" \t");
    double number = 0;
    if (const std::string rate = mark == std::string_view::npos ? rate_among_words(text) : "";
        !rate.empty()) {
      take_note(layout, "sampling rate", rate);
      return;
    }
    // "Sampling Freq(Hz) 100Hz", "FS 50": a value behind the last blank, where its unit, or that the key is
    // one word or has its unit, says that it is one; "version of day 3" is none.
    const std::string_view key = blank == std::string_view::npos ? text : trimmed(text.substr(0, blank));
    if (mark == std::string_view::npos && blank != std::string_view::npos && text[blank + 1] >= '0' &&
        text[blank + 1] <= '9' && parse_any_cell(text.substr(blank + 1), '.', number) &&
        (!parse_cell(text.substr(blank + 1), '.', number) || key.find(' ') == std::string_view::npos ||
         key.back() == ')' || key.back() == ']')) {
      take_note(layout, unquoted_cell(key), unquoted_cell(text.substr(blank + 1)));
      return;
    }
    // "Logging interval 00:00:01".
    if (mark == std::string_view::npos && blank != std::string_view::npos &&
        parse_time_of_day(text.substr(blank + 1)) && axis_word(key, AxisUnit::time) == AxisWord::interval)
      return take_note(layout, unquoted_cell(key), unquoted_cell(text.substr(blank + 1)));
    // "Sample interval 5 ms": a number and its unit behind the last but one.
    const std::size_t before = blank == std::string_view::npos || blank == 0
                                   ? std::string_view::npos
                                   : text.find_last_of(" \t", blank - 1);
    if (mark == std::string_view::npos && before != std::string_view::npos && before > 0 &&
        parse_cell(text.substr(before + 1, blank - before - 1), '.', number) &&
        (Unit::try_parse(text.substr(blank + 1)) ||
         samples_per_second(std::string(text.substr(blank + 1))) > 0)) {
      take_note(layout, unquoted_cell(text.substr(0, before)), unquoted_cell(text.substr(before + 1)));
      return;
    }
    // In columns: two blanks and more between key and value.
    const std::size_t gap = text.find("  ");
    if (mark == std::string_view::npos && gap != std::string_view::npos &&
        (layout.delimiter == ' ' || layout.delimiter == '\t')) {
      take_note(layout, unquoted_cell(text.substr(0, gap)), unquoted_cell(text.substr(gap)));
      return;
    }
    if (mark == std::string_view::npos) {
      layout.notes.emplace_back(unquoted_cell(text), "");
      return;
    }
    cells = {text.substr(0, mark), text.substr(mark + 1)};
  }
  std::vector<std::string> parts;
  for (const std::string_view cell : cells)
    if (const std::string part = unquoted_cell(cell); !part.empty()) parts.push_back(part);
  if (parts.empty()) return;
  // A day, or an instant, by itself.
  if (parts.size() == 1 && take_date(layout, "date", parts[0]))
    return layout.notes.emplace_back(parts[0], ""), void();
  if (parts[0].back() == ':' || parts[0].back() == '=') parts[0].pop_back();
  std::string value;
  // The same for each channel is said once.
  const bool one = parts.size() > 2 && std::all_of(parts.begin() + 2, parts.end(),
                                                   [&](const std::string& part) { return part == parts[1]; });
  for (std::size_t i = 1; i < (one ? 2 : parts.size()); ++i) value += (i > 1 ? " " : "") + parts[i];
  take_note(layout, parts[0], value);
}

bool is_axis_setting(const TextLayout& layout, std::string_view text) {
  if (text.size() > 100 || text.find('@') != std::string_view::npos ||
      text.find_first_of("0123456789") == std::string_view::npos)
    return false;
  TextLayout alone;
  alone.delimiter = layout.delimiter, alone.decimal = layout.decimal;
  read_preamble_line(alone, text);
  return alone.interval_s > 0 && alone.notes.size() == 1;
}

bool read_below_titles(TextLayout& layout, std::span<const std::string_view> titles,
                       std::span<const std::string_view> values) {
  bool any = false;
  double number = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::binary_search(layout.cells.begin(), layout.cells.end(), i)) continue;
    if (!parse_cell(values[i], layout.decimal, number)) continue;
    if (titles.empty()) return true;
    if (i >= titles.size()) continue;
    const std::string key = unquoted_cell(titles[i]);
    if (key.empty() || parse_cell(key, layout.decimal, number)) continue;
    take_note(layout, key, unquoted_cell(values[i]));
    any = true;
  }
  return any;
}

}  // namespace vprism
