// row_channels.h: text tables that hold a channel in each row, turned over so that each column does.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "formats/files/input_file.h"
#include "formats/format.h"

namespace vprism {

/// A table with rows and columns exchanged, or with its last row first (backward_rows.h). Lines that were no
/// rows of it stand above, as they were.
struct TurnedTable {
  enum class Kind { as_it_stands, turned, backwards };
  Kind kind = Kind::as_it_stands;
  std::string text;
  char delimiter = ',';
  std::size_t channels = 0, longest = 0;
  std::vector<std::int64_t>
      lines;              ///< Line in the file of each column, from 1; of others the first and the last.
  std::size_t above = 0;  ///< Lines above the rows of numbers, and
  std::size_t named = 0;  ///< cells before the numbers in the file's rows.
  bool asked = false;     ///< By --rows: else found.
  bool cut = false;       ///< Fewer characters than the head of its block says (block_text.h).
  /// Titles of numbers before the samples that are not the same in all rows: left out.
  std::vector<std::string> differing = {};
  /// What was done, and what is left out.
  std::vector<Caution> cautions() const;
  /// The text in a file without a name, in memory; `text` is empty then. `name` is for messages.
  InputFile unnamed_file(const std::string& name);
};

/// Turned over where --rows asks for it, or where there are few long rows: more than four times as many cells
/// in each as there are rows, that begin with a name; or so long that they can be nothing else. Throws
/// Error(input) for a file over a gigabyte, Error(usage) for --rows on a file without a table.
std::optional<TurnedTable> turned_over(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
