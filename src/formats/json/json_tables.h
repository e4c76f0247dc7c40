// json_tables.h: JSON documents that hold arrays of numbers: what of them is a channel, and which belong
// together.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "formats/text/tables/table_source.h"

namespace vprism {

/// Arrays of one length that stand in one object, in a list of objects, or in the columns of a list of rows.
struct JsonTable : TableInMemory {
  std::string name;  ///< Where it stands: "run.channels"; "" at the top.
};

/// All that a document holds, the largest first, and notes: members of a single number or text. `left_out`
/// gets the places of arrays that are no numbers. `axis`: the member that is the axis, "none", or "" to find
/// it.
std::vector<JsonTable> json_tables(const nlohmann::ordered_json& document, const std::string& axis,
                                   std::vector<std::pair<std::string, std::string>>& notes,
                                   std::vector<std::string>& left_out);

}  // namespace vprism
