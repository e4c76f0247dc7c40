// text_columns.h: the columns of a text table: titles, numbers, which of them are taken, and which belong
// together.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "formats/text/tables/text_layout.h"

namespace vprism {

/// A line of the head, without its end, and where it begins.
struct TextLine {
  TextLine(std::string_view line, std::size_t at) : text(line), offset(at) {}
  /// Split once, however many rules look at them, column by column; they point into `text`.
  const std::vector<std::string_view>& cells(char delimiter) const;

  std::string_view text;
  std::size_t offset;

 private:
  mutable std::vector<std::string_view> cells_;
  mutable std::string_view split_;
  mutable char delimiter_ = '\0';
};

/// Its title, or "column 3".
std::string column_name(const TextLayout& layout, std::size_t column);
/// The unit that a title in small letters says by itself: "hours", "ms since start"; null for none.
const char* spoken_time_unit(std::string_view name);
bool is_time_title(const Channel& column);
/// "index", "sample", "no.", ...
bool is_count_title(const Channel& column);
/// A column of such a title that rises; or one whose title may mean that, and whose numbers count.
bool is_count_column(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                     std::size_t last, std::size_t column);
/// A title or a unit of time.
bool is_axis_column(const TextLayout& layout, std::size_t column);
/// Whole numbers, each one more than the last; three at least.
bool counts_by_one(const std::vector<double>& numbers);
/// The numbers of a column within the head, cells without one left out.
std::vector<double> numbers_of_column(const TextLayout& layout, std::span<const TextLine> lines,
                                      std::size_t first, std::size_t last, std::size_t column);
/// Whether the numbers of a column rise from row to row: save for a few, or, of a column that is called a
/// time, three times in four.
bool column_rises(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                  std::size_t last, std::size_t column);

/// Leaves only the columns with these indices; the axis follows.
void keep_columns(TextLayout& layout, const std::vector<std::size_t>& kept);
/// All others stay.
void leave_out_columns(TextLayout& layout, const std::vector<std::size_t>& left_out);

/// `--columns 2,4..6,Force`: these, and the axis. Throws Error(usage) for a column that is not there.
void choose_columns(TextLayout& layout, const ReadSettings& settings, const std::string& file);

/// Several time columns: when they agree over the head, the first serves all; when they do not, each with the
/// columns up to the next is a part. Throws Error(usage) for a part that is not there.
void part_by_times(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                   std::size_t last_row, const ReadSettings& settings, const std::string& file);

/// A column that only counts the samples is no channel, and no time.
void leave_out_counts(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                      std::size_t last);

/// Columns that are filled in each n-th row only, the same rows, are a part of their own rate, unless
/// --missing says what to do with the others.
void part_by_filling(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                     std::size_t last_row, const ReadSettings& settings, const std::string& file);

/// What the clock shows in a row's cells, in nanoseconds since 1970; nothing where it is not readable.
std::optional<std::int64_t> clock_of_row(const TextLayout& layout, std::span<const std::string_view> cells);

/// Several channels one below the other, each row with the name of its own: each is a part.
void part_by_tags(TextLayout& layout, std::span<const TextLine> lines, std::size_t first_row,
                  std::size_t last_row, const ReadSettings& settings, const std::string& file);

/// The first and the last line of a table's rows.
struct TableRows {
  std::size_t &first, &last;
};

/// Runs one below the other, times that begin anew, wherever another column counts on ("shot", "cycle") or
/// without one: each is a part. `rows` become those of the run that is taken.
void part_by_runs(TextLayout& layout, std::span<const TextLine> lines, TableRows& rows,
                  const ReadSettings& settings, const std::string& file, bool whole);

/// The run that --part names by its number, counted from 0.
std::optional<std::size_t> run_asked_for(const ReadSettings& settings);

/// Whether the times of all rows in the head fall.
bool runs_backwards(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                    std::size_t last);

/// How lines are to be rewritten where they are written in another way than as cells with plain numbers.
std::optional<LineDialect> dialect_of(const std::vector<TextLine>& lines, const ReadSettings& settings,
                                      const std::string& file);
/// Each row names its numbers: columns are called so.
void name_by_keys(TextLayout& layout);

/// How lines are to be rewritten where their cells are complex numbers, by the last of these.
std::optional<ComplexCells> complex_cells_of(const std::vector<TextLine>& lines,
                                             const ReadSettings& settings);
/// The two columns of a complex one have one title: the parts are named after it.
void name_complex_parts(TextLayout& layout);

}  // namespace vprism
