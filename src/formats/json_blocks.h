// json_blocks.h: documents that send a recording in blocks: in each object the next samples of every channel.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string_view>
#include <vector>

#include "signal/recording.h"

namespace vprism {

struct JsonBlocks {
  std::vector<Caution> cautions;
};

/// [{"t": 0, "fs": 100, "a": [...]}, {"t": 1, "fs": 100, "a": [...]}, ...]: objects of the same arrays, eight
/// numbers or more in each, whose other members are the same in all or rise (times, counts). `document`
/// becomes one object with the arrays joined, and an interval where the blocks' times give one and nothing
/// else does. Nothing, and the document as it was, where it is anything else. `in_lines`: each object had a
/// line of its own, so that nothing need rise.
std::optional<JsonBlocks> join_blocks(nlohmann::ordered_json& document, bool in_lines);

/// Whether the first line is an object with such an array, and another line follows.
bool is_blocks_in_lines(std::string_view text);
/// A value in each line as one list; discarded where a line is none.
nlohmann::ordered_json json_of_lines(std::string_view text);

}  // namespace vprism
