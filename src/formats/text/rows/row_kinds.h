// row_kinds.h: logs in which rows of several kinds take turns, each with cells of its own: "IMU,100,0.1,0.2"
// beside "BARO,130,1013.2".
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/rows/text_stream.h"

namespace vprism {

/// Rows of as many cells under each name are parted elsewhere (text_parts.cpp).
struct RowKinds {
  struct Kind {
    std::string name;
    std::size_t rows = 0, cells = 0, numbers = 0;  ///< `rows`: among the lines looked at.
  };
  char delimiter = ',';
  std::vector<Kind> kinds;  ///< In the order of their appearance.
  std::size_t fullest = 0;  ///< The kind that holds most numbers.
  /// Nearly all lines begin with a word; two words or more come again, not all with as many cells.
  static std::optional<RowKinds> found_in(const std::vector<std::string_view>& lines, char delimiter);
  /// Rows of one kind without their first cell; all others as blank lines. Kinds that are none of these are
  /// put into `strange`.
  LineRewriter rewriter(std::size_t kind, std::shared_ptr<std::set<std::string>> strange) const;
};

}  // namespace vprism
