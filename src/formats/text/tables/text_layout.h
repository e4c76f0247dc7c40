// text_layout.h: what a delimited text file is made of: delimiter, decimal mark, preamble, titles, data
// columns.
#pragma once

#include <algorithm>
#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "formats/format.h"
#include "formats/text/cells/complex_cells.h"
#include "formats/text/cells/line_dialect.h"
#include "formats/text/clock/clock.h"
#include "formats/text/rows/text_stream.h"
#include "formats/text/titles/head_lines.h"

namespace vprism {

/// Cells of one line. Delimiter ' ' stands for runs of blanks and tabs; others may be quoted with '"'.
void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells);

/// A finite number filling the whole cell (blanks and quotes around it aside), with the given decimal mark.
bool parse_cell(std::string_view cell, char decimal, double& value);

/// A plain number, or one with something beside it (loose_cell.h).
bool parse_any_cell(std::string_view cell, char decimal, double& value);

/// A cell that stands for a number that is not there: empty, "--", "NaN", "OVLD", ...
bool is_missing_word(std::string_view cell);

/// One of several columns that together give an instant: a date, or year, month, day, ...; seconds and their
/// billionths.
struct ClockPiece {
  enum class Kind {
    date,
    year,
    month,
    day,
    day_of_year,
    hour_and_minute,
    time_in_digits,  ///< "140322.25": 14:03:22.25.
    week_since_1980,
    count
  };
  Kind kind = Kind::count;
  std::size_t cell = 0;
  std::int64_t unit_ns = 0;  ///< Of counts: hours, minutes, seconds, ...
};

/// A column of dates and times, in one cell or a date and a time of day in two neighbouring ones.
struct ClockColumn {
  std::size_t cell = 0;
  bool two_cells = false;
  DayOrder order = DayOrder::day_first;
  std::int64_t first_ns = 0;                ///< Of the first row; times are counted from there.
  bool no_date = false;                     ///< Times of day, which begin anew at midnight.
  std::optional<std::size_t> milliseconds;  ///< The cell that holds them by themselves.
  /// A count since an epoch in place of a date: nanoseconds of its unit, 0 for dates, and twice what it is at
  /// the beginning of 1970.
  std::int64_t unit_ns = 0, twice_at_1970 = 0;
  bool compact_days = false;       ///< "20251103".
  bool minutes_first = false;      ///< "75:30" is minutes and seconds, not hours and minutes.
  std::vector<ClockPiece> pieces;  ///< In place of all others.
  /// Rather than times since some begin, which have hours and minutes as well.
  bool counts_from_midnight() const {
    return pieces.empty() || pieces.front().kind == ClockPiece::Kind::time_in_digits;
  }
  /// Whether a cell of the row is one of its.
  bool has(std::size_t c) const {
    if (!pieces.empty())
      return std::any_of(pieces.begin(), pieces.end(), [c](const ClockPiece& p) { return p.cell == c; });
    return c == cell || (two_cells && c == cell + 1) || (milliseconds && c == *milliseconds);
  }
};

struct TextLayout {
  TextCoding coding = TextCoding::utf8;
  std::optional<ComplexCells> complex;  ///< Where cells are complex numbers: lines are rewritten first.
  std::optional<LineDialect> dialect;   ///< Where lines are written in another way: as well.
  const char* legacy = nullptr;  ///< The coding of what is no UTF-8, where the whole head speaks for one.
  bool bare_returns = false;     ///< Lines end in a carriage return alone.
  char delimiter = ',';
  char decimal = '.';
  std::size_t data_offset = 0;      ///< Byte offset of the first row of numbers, in UTF-8, as rewritten.
  std::int64_t data_line = 1;       ///< Its line, from 1.
  std::size_t first_line = 0;       ///< Of the table within the file, its titles with it; from 0.
  std::size_t data_end = 0;         ///< Where another table begins; 0: nowhere.
  std::vector<std::size_t> cells;   ///< Which cell of a line each data column is, ascending.
  std::size_t row_cells = 0;        ///< So many the first row has.
  std::vector<std::size_t> hex;     ///< Of these cells, those that hold hexadecimal digits alone.
  std::vector<std::size_t> truths;  ///< Of these cells, those that hold words for 1 and 0.
  std::vector<std::size_t> debits;  ///< Of these cells, those whose negative numbers stand in parentheses.
  std::vector<std::size_t> loose;   ///< Of these cells, those whose numbers have something beside them.
  std::vector<std::size_t> sparse;  ///< Those that are empty in many rows: gaps, whatever --missing says.
  std::map<std::size_t, Unit>
      unit_of_cell;                   ///< Cells beside whose numbers units stand: what is converted to.
  std::set<std::size_t> unit_behind;  ///< Of these, those whose unit stands in the cell behind.
  std::set<std::size_t> prefixed;     ///< Cells in which what looks like a unit is a prefix: "5m" under "s".
  std::vector<Channel> columns;       ///< Title and unit of each data column.
  std::optional<std::size_t> time;    ///< Index into `columns` of the axis: times, frequencies or positions.
  std::optional<ClockColumn> clock;   ///< Instead of `time`.
  Axis axis;                          ///< Domain, name and unit of the axis.
  double time_factor = 1;             ///< Axis units (seconds, hertz) per unit of its column.
  std::size_t every = 1;  ///< Only each n-th row has numbers in these columns; the others are passed over.
  std::size_t skipped_first = 0;  ///< So many rows stand before the first of them.
  bool backwards = false;         ///< The times fall from row to row.
  std::vector<Part> parts;        ///< Where columns have axes of their own.
  std::size_t part = 0;
  std::vector<std::pair<std::string, std::string>> notes;  ///< The preamble: key and value (with unit).
  bool steps = false;               ///< The time column holds the times from row to row, to be added up.
  double interval_s = 0;            ///< From the preamble; 0: it says nothing.
  std::string interval_source;      ///< The key it was found under.
  double total_s = 0, start_s = 0;  ///< Total time and start, from the preamble.
  std::optional<std::int64_t> began_ns, began_day_ns, began_time_ns;  ///< When, as the preamble says.
  std::string title_line;                                             ///< The names, as they are written.
  HeadLines head_lines;                                               ///< Lines above the data.
  std::optional<std::size_t>
      tag_cell;                 ///< Rows of several channels one below the other: the cell that names them,
  std::string tag;              ///< and the one that is read.
  bool one_run = false;         ///< The rows end where their times fall, and another run begins,
  std::size_t runs_before = 0;  ///< of which so many are passed over first.
  std::int64_t declared = -1;   ///< Number of samples the preamble promises.
  std::vector<Caution> cautions;
  std::vector<std::pair<std::string, std::string>>
      lines;  ///< What each line was taken for: "3" or "5..12", what.

  /// How lines are rewritten; nothing where they are taken as they stand.
  LineRewriter rewriter() const;
  bool has_axis() const { return time || clock; }
};

struct TablePlace;

/// Finds the layout from the head of a file, or of one of its tables, `place`. Throws Error(input) when it
/// holds no rows of numbers, Error(usage) when the settings name a column that is not there.
TextLayout find_text_layout(const FileHead& head, const ReadSettings& settings,
                            const TablePlace* place = nullptr);

}  // namespace vprism
