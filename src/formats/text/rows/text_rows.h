// text_rows.h: rows of a text table as numbers: the hot loop of the delimited reader.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_layout.h"

namespace vprism {

struct BadCell {
  std::int64_t line = 0;  ///< Within the piece, later within the file.
  std::size_t cell = 0;   ///< From 1.
  std::string text;
  bool missing = false;  ///< One that --missing would let pass.
};

/// What one piece of text held. Rows after the first bad one are counted, not kept.
struct TextPiece {
  std::vector<std::vector<double>> columns;  ///< Data columns, then the clock's; `rows` of each are in use.
  std::size_t rows = 0;
  std::int64_t lines = 0;
  std::int64_t bad_rows = 0;
  std::int64_t good_after_bad = 0;
  BadCell bad;
  std::vector<std::int64_t> missing;        ///< Per data column: cells left as NaN.
  std::vector<std::int64_t> over;           ///< Of these, how many were over the instrument's range.
  std::vector<std::int64_t> first_missing;  ///< Line of the first, from 1 within the piece.
  std::vector<std::string> word;            ///< Of these the first that is no usual word for missing.
  std::int64_t passed_over = 0;  ///< Rows without a number in these columns (TextLayout::every), and
  std::int64_t repeated = 0;     ///< Lines of words that stand above the rows, too; and
  std::int64_t unnamed = 0;      ///< rows that name no channel of the head (TextLayout::tag_cell).
  double printed_step = 0;       ///< Least step of the last digit among stamps looked at, as printed.

  bool any_missing() const;
};

/// Parses whole lines. Blank lines and lines that begin with '#' or '%' are passed over. A cell without a
/// number makes its row bad, or is NaN where `missing_allowed` and it is a data cell of a row with numbers.
/// The axis column is multiplied with the layout's factor; the clock's times are seconds since its first row.
/// Behind the text must stand a byte that can be read and is no digit (a string's closing NUL will do).
void parse_text_piece(std::string_view text, const TextLayout& layout, bool missing_allowed,
                      TextPiece& piece);

}  // namespace vprism
