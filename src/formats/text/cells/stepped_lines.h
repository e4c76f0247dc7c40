// stepped_lines.h: ordinates by lines, the abscissa of the first of them in front: "400 0.1 0.2 0.3", as
// JCAMP-DX has them under "(X++(Y..Y))".
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/rows/text_stream.h"

namespace vprism {

/// Source: McDonald and Wilks, JCAMP-DX: a standard form for exchange of infrared spectra in computer
/// readable form, Appl. Spectrosc. 42 (1988), 151; numbers as they stand (AFFN).
struct SteppedLines {
  std::string abscissa, ordinate;  ///< Titles, with units.
  double step = 0;                 ///< From one to the next, as the header says.
  double x_factor = 1, y_factor = 1;
  std::size_t packed_line =
      0;  ///< The first, from 1, whose ordinates are packed: digits as letters; 0: none.
  std::map<std::string, std::string> labels;  ///< "DELTAX": "2".
  static std::optional<SteppedLines> found_in(const std::vector<std::string_view>& lines);
  /// A line for each ordinate; labels between blocks hold for those behind them.
  LineRewriter rewriter() const;

 private:
  void settle();  ///< What the labels say.
};

}  // namespace vprism
