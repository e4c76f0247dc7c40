// table_guess.h: where the table is in a text file, and what parts its cells.
//
// A pair of delimiter and decimal mark is right when the last lines of the head split into cells of which the
// same ones are numbers, line after line: those are the data columns. Going up from there, the table starts
// where one of them stops being a number. Cells of table rows that are not data columns hold a preamble
// written beside the data; lines above hold titles (nearest), units and the rest of the preamble.
#pragma once

#include <span>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

struct TableGuess {
  char delimiter, decimal;
  std::size_t first = 0, last = 0;  ///< Lines of the table within the head.
  std::vector<std::size_t> cells;
  double score = 0;
};

/// The best of all pairs, or of those that the settings leave; no cells where no line has numbers.
TableGuess guess_table(std::span<const TextLine> lines, const ReadSettings& settings);

/// Rows below the last one in which some columns have ended: empty there, the first of them goes on.
void extend_over_ended(std::span<const TextLine> lines, TableGuess& best);

/// "2 4000" above the rows: whole numbers, one of which is how many rows follow, are no row.
void pass_over_count(TextLayout& layout, std::vector<TextLine>& lines, TableGuess& best);

}  // namespace vprism
