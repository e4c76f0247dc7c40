// text_gaps.h: what becomes of cells without a number: counted, left as gaps, or filled between neighbours.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "formats/text/rows/text_rows.h"

namespace vprism {

class TextGaps {
 public:
  /// `axis`: index of the column of times among a piece's columns, SIZE_MAX for none.
  TextGaps(std::size_t columns, std::size_t axis, ReadSettings::Missing policy);
  /// Notes the missing cells of a piece whose first line is `line` + 1 of the file.
  void count(const TextPiece& piece, std::int64_t line);
  /// Fills what can be filled by now: linearly in time between the neighbours that are there; at the
  /// record's ends with the nearest. Only with the policy to interpolate.
  void mend(std::deque<TextPiece>& pieces, bool ended);
  /// Whether the first piece is ready to be handed on.
  bool whole(const std::deque<TextPiece>& pieces) const;
  /// One caution per channel with missing cells.
  void report(Recording& recording, const TextLayout& layout) const;

 private:
  std::size_t axis_;
  ReadSettings::Missing policy_;
  std::vector<std::int64_t> missing_, first_, over_;
  std::vector<std::string> word_;
};

}  // namespace vprism
