// text_layout.h: what a delimited text file is made of: delimiter, decimal mark, preamble, titles, data
// columns.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "formats/clock.h"
#include "formats/complex_cells.h"
#include "formats/format.h"
#include "formats/text_stream.h"

namespace vprism {

/// Cells of one line. Delimiter ' ' stands for runs of blanks and tabs; others may be quoted with '"'.
void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells);

/// A finite number filling the whole cell (blanks and quotes around it aside), with the given decimal mark.
bool parse_cell(std::string_view cell, char decimal, double& value);

/// A plain number, or one with something beside it (loose_cell.h).
bool parse_any_cell(std::string_view cell, char decimal, double& value);

/// A cell that stands for a number that is not there: empty, "--", "NaN", "OVLD", ...
bool is_missing_word(std::string_view cell);

/// A column of dates and times, in one cell or a date and a time of day in two neighbouring ones.
struct ClockColumn {
  std::size_t cell = 0;
  bool two_cells = false;
  DayOrder order = DayOrder::day_first;
  std::int64_t first_ns = 0;  ///< Of the first row; times are counted from there.
};

struct TextLayout {
  TextCoding coding = TextCoding::utf8;
  std::optional<ComplexCells> complex;  ///< Where cells are complex numbers: lines are rewritten first.
  char delimiter = ',';
  char decimal = '.';
  std::size_t data_offset = 0;       ///< Byte offset of the first row of numbers, in UTF-8, as rewritten.
  std::int64_t data_line = 1;        ///< Its line, from 1.
  std::size_t first_line = 0;        ///< Of the table within the file, its titles with it; from 0.
  std::size_t data_end = 0;          ///< Where another table begins; 0: nowhere.
  std::vector<std::size_t> cells;    ///< Which cell of a line each data column is, ascending.
  std::vector<std::size_t> loose;    ///< Of these cells, those whose numbers have something beside them.
  std::vector<std::size_t> sparse;   ///< Those that are empty in many rows: gaps, whatever --missing says.
  std::vector<Channel> columns;      ///< Title and unit of each data column.
  std::optional<std::size_t> time;   ///< Index into `columns` of the axis: times, frequencies or positions.
  std::optional<ClockColumn> clock;  ///< Instead of `time`.
  Axis axis;                         ///< Domain, name and unit of the axis.
  double time_factor = 1;            ///< Axis units (seconds, hertz) per unit of its column.
  std::vector<Part> parts;           ///< Where columns have axes of their own.
  std::size_t part = 0;
  std::vector<std::pair<std::string, std::string>> notes;  ///< The preamble: key and value (with unit).
  double interval_s = 0;                                   ///< From the preamble; 0: it says nothing.
  std::string interval_source;                             ///< The key it was found under.
  double total_s = 0, start_s = 0;                         ///< Total time and start, from the preamble.
  std::int64_t declared = -1;                              ///< Number of samples the preamble promises.
  std::vector<Caution> cautions;
  std::vector<std::pair<std::string, std::string>>
      lines;  ///< What each line was taken for: "3" or "5..12", what.

  /// How lines are rewritten; nothing where they are taken as they stand.
  LineRewriter rewriter() const;
  bool has_axis() const { return time || clock; }
};

/// Finds the layout from the head of a file. Throws Error(input) when it holds no rows of numbers,
/// Error(usage) when the settings name a column that is not there.
TextLayout find_text_layout(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
