// text_layout.cpp: see text_layout.h: the table, its titles, units and settings, from the bottom up.
#include "formats/text/tables/text_layout.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "base/error.h"
#include "base/text.h"
#include "formats/documents/ini_sections.h"
#include "formats/text/axis/elapsed_columns.h"
#include "formats/text/axis/frequency_axis.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/axis/text_intervals.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/clock/clock.h"
#include "formats/text/clock/serial_values.h"
#include "formats/text/clock/text_clock.h"
#include "formats/text/heads/plain_heads.h"
#include "formats/text/tables/far_tables.h"
#include "formats/text/tables/legacy_text.h"
#include "formats/text/tables/table_guess.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/tables/text_evidence.h"
#include "formats/text/titles/labelled_rows.h"
#include "formats/text/titles/notes_below.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/text_titles.h"
#include "formats/text/titles/text_units.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

namespace {

/// Whether a cell that begins with a quote is still open at the end of the line; `open`: before it.
bool leaves_quote_open(std::string_view line, bool open) {
  constexpr std::string_view marks = ",;\t|";
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] != '"') continue;
    if (!open) {
      open = i == 0 || marks.find(line[i - 1]) != std::string_view::npos;
    } else if (i + 1 < line.size() && line[i + 1] == '"') {
      ++i;
    } else {
      open = i + 1 < line.size() && marks.find(line[i + 1]) == std::string_view::npos;
    }
  }
  return open;
}

/// A quoted title may go on in the next lines: the first has it whole then, and the others are empty.
void join_quoted(std::string_view text, std::vector<TextLine>& lines) {
  constexpr std::size_t most_lines = 200, most_rows = 6, longest = 4000;
  for (std::size_t i = 0; i < std::min(lines.size(), most_lines); ++i) {
    if (lines[i].text.find('"') == std::string_view::npos || !leaves_quote_open(lines[i].text, false))
      continue;
    bool open = true;
    std::size_t end = i + 1;
    for (; open && end < std::min(lines.size(), i + most_rows); ++end)
      open = leaves_quote_open(lines[end].text, true);
    if (open) continue;
    const std::size_t size = lines[end - 1].offset + lines[end - 1].text.size() - lines[i].offset;
    if (size > longest) continue;
    lines[i].text = text.substr(lines[i].offset, size);
    for (std::size_t k = i + 1; k < end; ++k) lines[k].text = {};
  }
}

std::vector<TextLine> lines_of(std::string_view text) {
  std::vector<TextLine> lines;
  const std::size_t mark = starts_with(text, "\xEF\xBB\xBF") ? 3 : 0;
  for (std::size_t at = mark; at < text.size();) {
    const std::size_t end = text.find('\n', at);
    std::string_view line = text.substr(at, end == std::string_view::npos ? end : end - at);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    lines.push_back({line, at});
    if (end == std::string_view::npos) break;
    at = end + 1;
  }
  join_quoted(text, lines);
  return lines;
}

}  // namespace

void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells) {
  cells.clear();
  std::size_t at = 0;
  if (delimiter == ' ' || delimiter == '(') {
    const bool vectors = delimiter == '(';
    const auto blank = [vectors](char c) {
      return c == ' ' || c == '\t' || (vectors && (c == '(' || c == ')' || c == ','));
    };
    while (at < line.size()) {
      while (at < line.size() && blank(line[at])) ++at;
      const std::size_t from = at;
      while (at < line.size() && !blank(line[at])) ++at;
      if (at > from) cells.push_back(line.substr(from, at - from));
    }
    return;
  }
  for (;;) {
    std::size_t from = at;
    while (from < line.size() && line[from] == ' ') ++from;
    std::size_t end = at;
    // As spreadsheets keep a text from being changed: ="0.10".
    if (from + 1 < line.size() && line[from] == '=' && line[from + 1] == '"') ++from;
    if (from < line.size() && line[from] == '"') {
      end = line.find('"', from + 1);
      if (end == std::string_view::npos) end = at;  // A lone quote quotes nothing.
    }
    end = line.find(delimiter, end);
    cells.push_back(line.substr(at, end == std::string_view::npos ? end : end - at));
    if (end == std::string_view::npos) return;
    at = end + 1;
  }
}

bool parse_cell(std::string_view cell, char decimal, double& value) {
  while (!cell.empty() && (cell.front() == ' ' || cell.front() == '\t' || cell.front() == '"'))
    cell.remove_prefix(1);
  while (!cell.empty() &&
         (cell.back() == ' ' || cell.back() == '\t' || cell.back() == '"' || cell.back() == '\r'))
    cell.remove_suffix(1);
  if (cell.size() > 1 && cell[0] == '=' && cell[1] == '"') cell.remove_prefix(2);
  if (!cell.empty() && cell.front() == '+') cell.remove_prefix(1);
  if (cell.empty()) return false;
  const auto [end, code] =
      fast_float::from_chars_advanced(cell.data(), cell.data() + cell.size(), value,
                                      fast_float::parse_options{fast_float::chars_format::general, decimal});
  return code == std::errc() && end == cell.data() + cell.size() && std::isfinite(value);
}

bool parse_any_cell(std::string_view cell, char decimal, double& value) {
  if (parse_cell(cell, decimal, value)) return true;
  const auto loose = parse_loose(cell, decimal);
  if (loose) value = loose->value;
  return loose.has_value();
}

bool is_missing_word(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"')
    cell = trimmed(cell.substr(1, cell.size() - 2));
  if (cell.empty()) return true;
  if (cell.size() > 12) return false;
  static constexpr std::string_view words[] = {
      "-",       "--",      "---", ".",    "nan", "-nan", "+nan",  "na",    "n/a",   "#n/a", "null",
      "none",    "ol",      "ovl", "ovld", "ovr", "over", "err",   "error", "inf",   "-inf", "+inf",
      "invalid", "missing", "bad", "?",    "*",   "nd",   "#num!", "-ovld", "+ovld", "-ol",  "+ol"};
  // What did not fit its field.
  if (cell.size() > 2 && cell.find_first_not_of('*') == std::string_view::npos) return true;
  const std::string low = lower_case(cell);
  // As some libraries print what is no number: "-1.#IND", "1.#QNAN00".
  if (low.find(".#in") != std::string::npos || low.find(".#qnan") != std::string::npos ||
      low.find(".#snan") != std::string::npos)
    return true;
  return std::find(std::begin(words), std::end(words), low) != std::end(words);
}

bool recognises_delimited(const FileHead& head) {
  if (coding_of(head.bytes) != TextCoding::utf8) return true;
  // Text of any 8-bit coding: no NUL, but as padding at the end, and next to no other control characters.
  std::string_view text = head.bytes;
  text = text.substr(0, text.find_last_not_of(std::string_view("\0\x1A", 2)) + 1);
  const auto control = static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) {
    const auto u = static_cast<unsigned char>(c);
    return u < 0x20 && u != '\n' && u != '\r' && u != '\t' && u != '\f' && u != 0x1B;
  }));
  return !text.empty() && text.find('\0') == std::string_view::npos && control * 1000 <= text.size();
}

namespace {

/// Each of several tables is a part; the longest is the first choice. Leaves its lines.
void take_table(TextLayout& layout, std::vector<TextLine>& lines, const std::vector<TableLines>& tables,
                const ReadSettings& settings, const std::string& file) {
  std::size_t longest = 0;
  for (std::size_t t = 0; t < tables.size(); ++t) {
    layout.parts.push_back(table_part(table_name(lines, tables, t), t, tables[t].rows, tables[t].data + 1));
    if (tables[t].rows > tables[longest].rows) longest = t;
  }
  layout.part = choose_part(file, layout.parts, settings, longest);
  const TableLines& chosen = tables[layout.part];
  if (settings.part.empty()) layout.cautions.push_back(tables_caution(tables.size(), chosen.data + 1));
  layout.first_line = chosen.first;
  if (chosen.end < lines.size()) layout.data_end = lines[chosen.end].offset;
  lines = std::vector<TextLine>(lines.begin() + static_cast<std::ptrdiff_t>(chosen.first),
                                lines.begin() + static_cast<std::ptrdiff_t>(chosen.end));
}

/// One or two rows among dozens of lines that are none are no table: each line may have a number in it.
void refuse_stray_row(const std::vector<TextLine>& lines, const TableGuess& best, const std::string& file) {
  constexpr std::size_t most_rows = 2, least_others = 40;
  if (best.last - best.first + 1 > most_rows) return;
  std::size_t others = 0;
  for (std::size_t i = 0; i < lines.size(); ++i)
    others += (i < best.first || i > best.last) && !trimmed(lines[i].text).empty() ? 1 : 0;
  if (others < least_others) return;
  const std::size_t rows = best.last - best.first + 1;
  throw Error(Status::input, file + ":" + std::to_string(best.first + 1) + ": of " +
                                 std::to_string(others + rows) + " lines only " + std::to_string(rows) +
                                 (rows == 1 ? " looks like a row" : " look like rows") +
                                 " of numbers; is this the right file? --header-rows " +
                                 std::to_string(best.first) + " reads the table from there");
}

}  // namespace

TextLayout find_text_layout(const FileHead& whole_head, const ReadSettings& asked, const TablePlace* place) {
  TextLayout layout;
  ReadSettings settings = asked;
  const FileHead& head = place != nullptr ? place->head : whole_head;
  if (place != nullptr)
    layout.parts = place->parts, layout.part = place->part, layout.cautions = place->cautions,
    layout.first_line = place->lines_above;
  layout.coding = coding_of(head.bytes);
  std::string decoded;
  std::string_view text = head.bytes;
  if (layout.coding != TextCoding::utf8) {
    std::size_t used = 0;
    decoded = utf8_from_utf16(text, layout.coding == TextCoding::utf16_big, used);
    text = decoded;
  }
  const bool whole = head.size <= head.bytes.size();
  constexpr std::size_t enough_for_coding = 1 << 16;
  const std::string_view sample = text.substr(0, enough_for_coding);
  std::optional<LegacyCodingOf> legacy;
  if (layout.coding == TextCoding::utf8 && utf8_from_any(sample) != sample)
    layout.legacy = legacy.emplace(sample).coding();
  layout.bare_returns = has_bare_returns(text);
  if (layout.bare_returns) {
    decoded = std::string(text);
    std::replace(decoded.begin(), decoded.end(), '\r', '\n');
    text = decoded;
  }
  // The last line may be cut by the end of the head; then it says nothing. Of one that is as long as the head
  // itself what stands before its last comma does.
  const std::size_t ended = whole ? text.size() : text.rfind('\n') + 1;
  const bool one_line = ended < text.size() / 2;
  const std::size_t comma = text.rfind(',');
  const std::string_view seen = text.substr(0, !one_line                         ? ended
                                               : comma == std::string_view::npos ? text.size()
                                                                                 : comma + 1);
  std::vector<TextLine> lines = lines_of(seen);
  if (settings.complex != "off") layout.complex = complex_cells_of(lines, settings);
  if (layout.complex) {
    settings.delimiter = layout.complex->delimiter();
    std::string other = rewritten_lines(seen, layout.rewriter());
    decoded = std::move(other);
    lines = lines_of(decoded);
  }
  if (!layout.complex) layout.dialect = serial_values(lines, head.size, whole, settings);
  if (!layout.complex && !layout.dialect) layout.dialect = dialect_of(lines, settings, head.path);
  if (layout.dialect) {
    settings.delimiter = layout.dialect->delimiter;
    for (const Caution& caution : layout.dialect->cautions) layout.cautions.push_back(caution);
    if (layout.parts.empty()) layout.parts = layout.dialect->parts, layout.part = layout.dialect->part;
    if (layout.dialect->kind == LineDialect::Kind::comma_pairs)
      layout.cautions.push_back({"decimal-commas", Severity::warning, "",
                                 "two cells stand below each title: their commas are taken for decimal ones",
                                 "--decimal . takes each cell as a number of its own"});
    std::string other = rewritten_lines(seen, layout.rewriter());
    decoded = std::move(other);
    lines = lines_of(decoded);
  }
  std::deque<std::string> renamed;
  if (!layout.complex && !settings.header_rows) write_heads_plainly(lines, renamed, layout.cautions);
  const std::size_t above = settings.header_rows.value_or(0);
  if (above > 0 && above >= lines.size())
    throw Error(Status::usage, "--header-rows " + std::to_string(above) + ": " + head.path + " has " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   " in its head; give fewer");
  TableGuess best = guess_table(std::span(lines).subspan(above), settings);
  best.first += above, best.last += above;
  if (whole && place == nullptr && layout.parts.empty() && above == 0 && !best.cells.empty() &&
      settings.axis.empty() && best.delimiter != '(') {
    const std::vector<TableLines> tables = find_tables(lines, best.delimiter, best.decimal);
    if (tables.size() > 1) {
      take_table(layout, lines, tables, settings, head.path);
      best = guess_table(lines, settings);
    }
  }
  if (best.cells.empty())
    throw Error(Status::input, head.path + ": no row of numbers in its first " +
                                   std::to_string(lines.size()) + (lines.size() == 1 ? " line" : " lines") +
                                   "; is this the right file?");
  if (!settings.header_rows && place == nullptr) refuse_stray_row(lines, best, head.path);
  if (settings.header_rows) best.first = above;
  if (!settings.header_rows && whole) pass_over_count(layout, lines, best);
  for (std::size_t i = best.first - std::min<std::size_t>(best.first, 400); i < best.first; ++i)
    layout.head_lines.add(lines[i].text);
  name_by_sections(lines, best.first, renamed);
  if (whole) extend_over_ended(lines, best);
  layout.delimiter = best.delimiter;
  layout.decimal = best.decimal;
  layout.cells = best.cells;
  layout.row_cells = lines[best.first].cells(best.delimiter).size();
  layout.data_offset = lines[best.first].offset;
  layout.data_line = static_cast<std::int64_t>(layout.first_line + best.first) + 1;
  find_further_cells(layout, lines, best.first, best.last);
  if (settings.axis.empty()) find_clock(layout, lines, best.first, best.last);
  read_titles(layout, lines, best.first);
  if (layout.dialect && !layout.dialect->keys.empty()) name_by_keys(layout);
  if (layout.delimiter == '(') name_vectors(layout, lines, best.first);
  if (whole) take_titles_below(layout, lines, best.last);
  take_row_units(layout, lines, best.first, best.last);
  read_settings_beside(layout, lines, best.first, best.last);
  take_named_units(layout);
  layout.lines.emplace_back(std::to_string(layout.first_line + best.first + 1) + "..", "data");
  if (settings.axis.empty()) find_counted_clock(layout, lines, best.first, best.last);
  if (!layout.clock) find_axis_column(layout, lines, best.first, best.last, head.path, settings.axis);
  if (whole) take_settings_below(layout, lines, best.last);
  if (layout.complex) name_complex_parts(layout);
  report_left_out(layout, lines, best.first);
  if (settings.axis.empty() && settings.columns.empty())
    leave_out_times_of_response(layout, lines, best.first, best.last);
  if (settings.axis.empty() && settings.columns.empty()) leave_out_ends(layout, lines, best.first, best.last);
  if (whole && settings.columns.empty()) leave_out_stated_rate(layout, lines, best.first, best.last);
  if (settings.axis.empty() && settings.columns.empty())
    leave_out_elapsed(layout, lines, best.first, best.last),
        leave_out_same_axis(layout, lines, best.first, best.last);
  if (layout.parts.empty()) part_by_times(layout, lines, best.first, best.last, settings, head.path);
  if (layout.parts.empty()) part_by_tags(layout, lines, best.first, best.last, settings, head.path);
  TableRows rows{best.first, best.last};
  if (layout.parts.empty()) part_by_runs(layout, lines, rows, settings, head.path, whole);
  if (layout.parts.empty()) part_by_filling(layout, lines, best.first, best.last, settings, head.path);
  take_settings(layout);
  doubt_counts(layout, lines, best.first, best.last);
  const bool no_rate_given = !settings.rate_hz && !settings.interval_s && !settings.duration_s;
  if (no_rate_given && !settings.axis_scaled) scale_by_interval(layout, lines, best.first, best.last);
  if (no_rate_given && layout.interval_s == 0) doubt_seconds(layout, lines, best.first, best.last);
  if (settings.axis.empty() && no_rate_given) take_counted_steps(layout, lines, best.first, best.last);
  if (settings.axis.empty() && no_rate_given && layout.interval_s == 0)
    take_steps_or_rates(layout, lines, best.first, best.last, whole);
  if (settings.axis.empty() && no_rate_given) assume_even_axis(layout, lines, best.first, best.last);
  choose_columns(layout, settings, head.path);
  // There is no other, but for runs that begin behind the head: the reader finds them.
  if (layout.parts.empty() && !whole && (layout.time || layout.clock) && settings.axis.empty() &&
      run_asked_for(settings))
    layout.one_run = true, layout.runs_before = *run_asked_for(settings);
  else if (layout.parts.empty())
    choose_part(head.path, {{"1", ""}}, settings, 0);
  if (settings.columns.empty()) leave_out_counts(layout, lines, best.first, best.last);
  layout.backwards = runs_backwards(layout, lines, best.first, best.last);
  if (place != nullptr) {
    const auto begins = static_cast<std::size_t>(place->offset);
    layout.data_offset += begins;
    layout.data_end = layout.data_end > 0 ? layout.data_end + begins : static_cast<std::size_t>(place->end);
  }
  return layout;
}

}  // namespace vprism
