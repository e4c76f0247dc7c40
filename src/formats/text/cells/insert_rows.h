// insert_rows.h: tables as databases write them out: a statement for each row, or for several.
#pragma once

#include <memory>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/rows/text_stream.h"

namespace vprism {

/// Of "INSERT INTO scan (t, u) VALUES (0.01, 1.5), (0.02, NULL);" lines: whose rows are read, and the names
/// of their values, from these lines or from "CREATE TABLE scan (t REAL, u REAL);" above. No table: none.
struct InsertRows {
  std::string table;
  std::vector<std::string> names;
  static InsertRows found_in(const std::vector<std::string_view>& lines);
  /// Each group of values as a line, parted by tabs; rows of other tables and all else as blank lines.
  /// Tables met later, and rows that end in another line, are put into `strange`.
  LineRewriter rewriter(std::shared_ptr<std::set<std::string>> strange) const;
  /// Tables of which rows stand among these lines as well.
  std::vector<std::string> other_tables(const std::vector<std::string_view>& lines) const;
};

}  // namespace vprism
