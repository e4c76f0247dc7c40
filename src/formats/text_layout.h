// text_layout.h: what a delimited text file is made of: delimiter, decimal mark, preamble, titles, data
// columns.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "formats/format.h"

namespace vprism {

/// Cells of one line. Delimiter ' ' stands for runs of blanks and tabs; others may be quoted with '"'.
void split_cells(std::string_view line, char delimiter, std::vector<std::string_view>& cells);

/// A finite number filling the whole cell (blanks and quotes around it aside), with the given decimal mark.
bool parse_cell(std::string_view cell, char decimal, double& value);

struct TextLayout {
  char delimiter = ',';
  char decimal = '.';
  std::size_t data_offset = 0;      ///< Byte offset of the first row of numbers.
  std::int64_t data_line = 1;       ///< Its line, from 1.
  std::vector<std::size_t> cells;   ///< Which cell of a line each data column is, ascending.
  std::vector<Channel> columns;     ///< Title and unit of each data column.
  std::optional<std::size_t> time;  ///< Index into `columns`.
  double time_factor = 1;           ///< Seconds per unit of the time column.
  std::vector<std::pair<std::string, std::string>> notes;  ///< The preamble: key and value (with unit).
  double interval_s = 0;                                   ///< From the preamble; 0: it says nothing.
  std::string interval_source;                             ///< The key it was found under.
  std::int64_t declared = -1;                              ///< Number of samples the preamble promises.
  std::vector<Caution> cautions;
};

/// Finds the layout from the head of a file. Throws Error(input) when it holds no rows of numbers,
/// Error(usage) when `settings.axis` names no column.
TextLayout find_text_layout(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
