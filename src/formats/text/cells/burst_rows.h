// burst_rows.h: several samples of one channel in each row, behind the time of the first: "ts,v0,v1,v2,v3".
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/rows/text_stream.h"

namespace vprism {

/// Told from as many channels by the samples themselves: from the last of a row to the first of the next they
/// change as within a row, and much less than from row to row.
struct BurstRows {
  char delimiter = ',';
  std::string time, name;   ///< Titles.
  std::size_t samples = 0;  ///< In each row.
  double step = 0;          ///< From sample to sample, in the unit of the times.
  /// Titles above plain rows of a time that rises evenly and four samples or more, whose titles count on.
  static std::optional<BurstRows> found_in(const std::vector<std::string_view>& lines, char delimiter);
  /// A line for each sample; the titles as two.
  LineRewriter rewriter() const;
};

}  // namespace vprism
