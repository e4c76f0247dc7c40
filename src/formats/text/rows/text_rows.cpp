// text_rows.cpp: most rows are plain numbers between delimiters, and those are parsed in one sweep over the
// line. Whatever is unusual (quotes, missing cells, comments, dates) falls back to splitting the line.
#include "formats/text/rows/text_rows.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/text.h"
#include "formats/text/cells/loose_cell.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/legacy_text.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/text_units.h"

namespace vprism {

namespace {

/// Value of one step of the last digit written: "1.250e-3" -> 1e-6.
double printed_step(std::string_view cell, char decimal) {
  cell = trimmed(cell);
  const std::size_t e = cell.find_first_of("eE");
  const std::size_t point = cell.substr(0, e).find(decimal);
  const std::size_t digits = point == std::string_view::npos ? 0 : std::min(e, cell.size()) - point - 1;
  int exponent = 0;
  if (e != std::string_view::npos) exponent = std::atoi(std::string(cell.substr(e + 1)).c_str());
  return std::pow(10.0, exponent - static_cast<int>(digits));
}

bool blank(char c) { return c == ' ' || c == '\t'; }

/// Eight digits at once, or false (after Lemire, "Quickly parsing eight digits", 2018).
bool eight_digits(const char* at, std::uint64_t& value) {
  std::uint64_t v = 0;
  std::memcpy(&v, at, 8);
  if ((((v & 0xF0F0F0F0F0F0F0F0u) | (((v + 0x0606060606060606u) & 0xF0F0F0F0F0F0F0F0u) >> 4)) !=
       0x3333333333333333u))
    return false;
  v = (v & 0x0F0F0F0F0F0F0F0Fu) * 2561 >> 8;
  v = (v & 0x00FF00FF00FF00FFu) * 6553601 >> 16;
  value = (v & 0x0000FFFF0000FFFFu) * 42949672960001u >> 32;
  return true;
}

/// A number at `at`; where it ends, or nullptr when none is there. Up to 18 digits that make a whole number
/// below 2^53 and a power of ten to 22 are exact in double, so that one division or multiplication rounds
/// correctly (Clinger 1990); all else is left to fast_float. A byte that is no digit must stand at `end`.
const char* parse_number(const char* const from, const char* const end, char decimal, double& value) {
  static constexpr double tens[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                                    1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
  const auto digit = [](char c) { return static_cast<unsigned char>(c - '0') < 10; };
  const char* at = from;
  const bool negative = *at == '-';
  if (negative) ++at;
  std::uint64_t mantissa = 0;
  const char* const first = at;
  while (digit(*at)) mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at++ - '0');
  std::ptrdiff_t digits = at - first;
  int exponent = 0;
  if (*at == decimal) {
    const char* const fraction = ++at;
    std::uint64_t eight = 0;
    while (end - at >= 8 && eight_digits(at, eight)) mantissa = mantissa * 100000000 + eight, at += 8;
    while (digit(*at)) mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at++ - '0');
    exponent = -static_cast<int>(std::min<std::ptrdiff_t>(at - fraction, 1000));
    digits += at - fraction;
  }
  if (digits > 0 && (*at == 'e' || *at == 'E')) {
    const char* mark = at + 1;
    const bool down = *mark == '-';
    if (*mark == '-' || *mark == '+') ++mark;
    if (digit(*mark)) {
      int power = 0;
      while (digit(*mark) && power < 10000) power = power * 10 + (*mark++ - '0');
      while (digit(*mark)) ++mark;
      exponent += down ? -power : power;
      at = mark;
    }
  }
  if (digits > 0 && digits <= 18 && mantissa <= (std::uint64_t{1} << 53) && exponent >= -22 &&
      exponent <= 22) {
    const auto whole = static_cast<double>(mantissa);
    const double size = exponent < 0 ? whole / tens[-exponent] : whole * tens[exponent];
    value = negative ? -size : size;
    return at;
  }
  const auto [after, code] = fast_float::from_chars_advanced(
      from, end, value, fast_float::parse_options{fast_float::chars_format::general, decimal});
  return code == std::errc() && std::isfinite(value) ? after : nullptr;
}

struct RowParser {
  const TextLayout& layout;
  bool missing_allowed;
  TextPiece& piece;
  std::size_t time_column;
  std::vector<double> row;
  std::vector<std::string_view> cells;
  std::vector<std::string_view>
      words;  ///< Of the row, for each column: what stands there in place of a number.
  std::string_view time_cell;
  bool gap = false;      ///< Whether the last line had a cell without a number.
  bool skipped = false;  ///< Whether it has nothing for these columns.

  /// Numbers that instruments send for more than they can measure.
  void look_for_over_range() {
    for (std::size_t w = 0; w < layout.cells.size(); ++w)
      if (std::abs(row[w]) > 9e37 && w != time_column && is_over_range(row[w]))
        row[w] = std::nan(""), gap = true, ++piece.over[w];
  }

  /// Plain numbers, delimiters as the layout says. Where the next line begins, nullptr for anything else.
  template <bool blanks>
  const char* fast(const char* at, const char* const end) {
    const char delimiter = layout.delimiter, decimal = layout.decimal;
    const std::size_t* const wanted = layout.cells.data();
    const std::size_t count = layout.cells.size();
    std::size_t cell = 0;
    const auto skip_blanks = [&] {
      while (*at == ' ' || (blanks && *at == '\t')) ++at;
    };
    for (std::size_t w = 0; w < count; ++w) {
      for (; cell < wanted[w]; ++cell) {
        skip_blanks();
        if (*at == '"') return nullptr;
        while (*at != '\n' && *at != '\0' && !(blanks ? blank(*at) : *at == delimiter)) ++at;
        if (*at == '\n' || *at == '\0') return nullptr;
        ++at;
      }
      skip_blanks();
      if (*at == '+') ++at;
      const char* const after = parse_number(at, end, decimal, row[w]);
      if (after == nullptr) return nullptr;
      if (w == time_column) time_cell = {at, static_cast<std::size_t>(after - at)};
      at = after;
      if constexpr (!blanks) skip_blanks();
      if (blanks ? blank(*at) : *at == delimiter) {
        ++at;
        ++cell;
        continue;
      }
      const bool ends = *at == '\n' || at == end || (*at == '\r' && (at + 1 == end || at[1] == '\n'));
      if (!ends || w + 1 < count) return nullptr;
    }
    if (at < end && *at == '\n') return at + 1;
    const void* stop = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
    return stop == nullptr ? end : static_cast<const char*>(stop) + 1;
  }

  /// How finely a clock is printed: the last digit of its seconds.
  double clock_step() const {
    const ClockColumn& clock = *layout.clock;
    if (clock.milliseconds) return 1e-3;
    const std::size_t mark = time_cell.find_last_of(".,");
    std::size_t digits = 0;
    if (mark != std::string_view::npos)
      while (mark + 1 + digits < time_cell.size() && time_cell[mark + 1 + digits] >= '0' &&
             time_cell[mark + 1 + digits] <= '9')
        ++digits;
    return std::pow(10.0, -static_cast<double>(digits)) *
           (clock.unit_ns > 0 ? static_cast<double>(clock.unit_ns) / 1e9 : 1);
  }

  bool clock_time(double& seconds) {
    const ClockColumn& clock = *layout.clock;
    const auto ns = clock_of_row(layout, cells);
    if (!ns) return false;
    time_cell = trimmed(cells[clock.milliseconds.value_or(clock.cell + (clock.two_cells ? 1 : 0))]);
    seconds = seconds_between(clock.first_ns, *ns);
    return true;
  }

  void note_bad(std::size_t cell, bool is_missing) {
    if (piece.bad_rows > 0) return;
    const std::string found(cell < cells.size() ? trimmed(cells[cell]) : std::string_view());
    piece.bad = {piece.lines, cell + 1, found, is_missing};
  }

  /// Any line. False for a bad row.
  bool slow(std::string_view line) {
    split_cells(line, layout.delimiter, cells);
    std::size_t numbers = 0;
    gap = false;
    skipped = false;
    std::fill(words.begin(), words.end(), std::string_view());
    if (layout.tag_cell) {
      const LegacyCodingOf file(layout.legacy);
      const std::string tag = *layout.tag_cell < cells.size() ? unquoted_cell(cells[*layout.tag_cell]) : "";
      skipped = tag != layout.tag;
      if (skipped && std::none_of(layout.parts.begin(), layout.parts.end(),
                                  [&](const Part& part) { return part.name == tag; }))
        ++piece.unnamed;
      if (skipped) return true;
    }
    if (layout.clock && !clock_time(row[layout.cells.size()])) {
      note_bad(layout.clock->cell, false);
      return false;
    }
    if (layout.every > 1 && std::none_of(layout.cells.begin(), layout.cells.end(), [&](std::size_t cell) {
          const bool is_time = layout.time && cell == layout.cells[*layout.time];
          return !is_time && cell < cells.size() && !is_missing_word(cells[cell]);
        })) {
      skipped = true, ++piece.passed_over;
      return true;
    }
    for (std::size_t w = 0; w < layout.cells.size(); ++w) {
      const std::size_t cell = layout.cells[w];
      if (!layout.hex.empty() && cell < cells.size() &&
          std::binary_search(layout.hex.begin(), layout.hex.end(), cell)) {
        if (const std::string word = unquoted_cell(cells[cell]); is_hex_word(word)) {
          row[w] = hex_value(word), ++numbers;
          continue;
        }
      } else if (cell < cells.size() && parse_cell(cells[cell], layout.decimal, row[w]) &&
                 (layout.unit_behind.count(cell) == 0 || cell + 1 >= cells.size() ||
                  convert_cell(layout, cell, unit_word(cells[cell + 1]), row[w]))) {
        ++numbers;
        if (w == time_column) time_cell = cells[cell];
        continue;
      }
      const auto is_in = [&](const std::vector<std::size_t>& list) {
        return std::binary_search(list.begin(), list.end(), cell);
      };
      if (cell < cells.size() && is_in(layout.loose))
        if (const auto loose = parse_loose(cells[cell], layout.decimal);
            loose && convert_cell(layout, cell, loose->unit, row[w] = loose->value)) {
          if (is_in(layout.debits) && is_in_parentheses(cells[cell])) row[w] = -row[w];
          ++numbers;
          continue;
        }
      if (cell < cells.size() && is_in(layout.truths))
        if (const auto truth = parse_truth(cells[cell])) {
          row[w] = *truth, ++numbers;
          continue;
        }
      const bool over = w != time_column && cell < cells.size() && is_over_range(cells[cell]);
      const bool is_missing = cell >= cells.size() || is_missing_word(cells[cell]);
      // A column of words for on and off may hold others further down: they are gaps.
      const bool passes = w != time_column &&
                          (missing_allowed || (is_in(layout.sparse) && is_missing) || is_in(layout.truths));
      if (over || passes) {
        row[w] = std::nan("");
        words[w] = over || is_missing ? std::string_view() : trimmed(cells[cell]);
        gap = true;
        piece.over[w] += over ? 1 : 0;
        continue;
      }
      note_bad(cell, is_missing || (w != time_column && cells.size() > 1));
      return false;
    }
    if (numbers > 0 || layout.clock) return true;
    note_bad(layout.cells.front(), true);
    return false;
  }

  void keep() {
    const std::size_t at = piece.rows++;
    if (at == piece.columns.front().size())
      for (auto& column : piece.columns) column.resize(at + at / 2 + 64);
    for (std::size_t c = 0; c < row.size(); ++c) piece.columns[c][at] = row[c];
  }

  void count_missing() {
    for (std::size_t w = 0; w < layout.cells.size(); ++w) {
      if (!std::isnan(row[w])) continue;
      if (piece.missing[w]++ == 0) piece.first_missing[w] = piece.lines;
      if (piece.word[w].empty()) piece.word[w] = words[w];
      words[w] = {};
    }
  }
};

}  // namespace

bool TextPiece::any_missing() const {
  return std::any_of(missing.begin(), missing.end(), [](std::int64_t n) { return n > 0; });
}

void parse_text_piece(std::string_view text, const TextLayout& layout, bool missing_allowed,
                      TextPiece& piece) {
  // Columns keep their room from the piece before.
  std::vector<std::vector<double>> columns = std::move(piece.columns);
  piece = {};
  piece.columns = std::move(columns);
  const std::size_t wanted = layout.cells.size(), count = wanted + (layout.clock ? 1 : 0);
  piece.columns.resize(count);
  piece.missing.assign(wanted, 0);
  piece.first_missing.assign(wanted, 0);
  piece.word.assign(wanted, {});
  const std::size_t expected = text.size() / (8 * wanted) + 16;
  for (auto& column : piece.columns)
    if (column.size() < expected || column.size() != piece.columns.front().size())
      column.resize(std::max(expected, piece.columns.front().size()));
  piece.over.assign(wanted, 0);
  RowParser parser{layout,
                   missing_allowed,
                   piece,
                   layout.time.value_or(std::size_t(-1)),
                   std::vector<double>(count),
                   {},
                   std::vector<std::string_view>(wanted),
                   {}};
  const bool blanks = layout.delimiter == ' ';
  const double factor = layout.time_factor;
  // Lines of nothing but plain numbers have a quick way.
  const bool plain = !layout.clock && !layout.tag_cell && layout.unit_behind.empty() && layout.hex.empty();
  const char* at = text.data();
  const char* const end = at + text.size();
  while (at < end) {
    ++piece.lines;
    const char* next = !plain ? nullptr : blanks ? parser.fast<true>(at, end) : parser.fast<false>(at, end);
    bool good = next != nullptr;
    parser.gap = false;
    if (!good) {
      const char* stop = static_cast<const char*>(std::memchr(at, '\n', static_cast<std::size_t>(end - at)));
      if (stop == nullptr) stop = end;
      next = stop == end ? end : stop + 1;
      const char* line_end = stop > at && stop[-1] == '\r' ? stop - 1 : stop;
      const std::string_view line(at, static_cast<std::size_t>(line_end - at));
      // Titles come again where a log was opened anew, and heads of pages with them.
      const bool blank = line.empty() || line.front() == '#' || line.front() == '%' ||
                         line.find_first_not_of(" \t\f\v") == std::string_view::npos;
      if (blank || layout.head_lines.has(line)) {
        piece.repeated += blank ? 0 : 1;
        at = next;
        continue;
      }
      good = parser.slow(line);
    }
    at = next;
    if (parser.skipped) {
      parser.skipped = false;
      continue;
    }
    if (!good) {
      ++piece.bad_rows;
    } else if (piece.bad_rows > 0) {
      ++piece.good_after_bad;
    } else {
      if (layout.time) {
        // Trailing zeros may have been left off, so one stamp alone does not tell how finely they are
        // printed.
        if (piece.rows < 64 || piece.rows % 64 == 0) {
          const double step = printed_step(parser.time_cell, layout.decimal);
          piece.printed_step = piece.printed_step == 0 ? step : std::min(piece.printed_step, step);
        }
        parser.row[*layout.time] *= factor;
      }
      if (layout.clock && (piece.rows < 64 || piece.rows % 64 == 0)) {
        const double step = parser.clock_step();
        piece.printed_step = piece.printed_step == 0 ? step : std::min(piece.printed_step, step);
      }
      parser.look_for_over_range();
      if (parser.gap) parser.count_missing();
      parser.keep();
    }
  }
}

}  // namespace vprism
