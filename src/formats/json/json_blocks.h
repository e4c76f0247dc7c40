// json_blocks.h: documents that send a recording in blocks: in each object the next samples of every channel.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string_view>
#include <vector>

#include "signal/recording.h"

namespace vprism {

/// [{"t": 0, "fs": 100, "a": [...]}, {"t": 1, "fs": 100, "a": [...]}, ...]: objects of the same arrays, eight
/// numbers or more in the first. Their times rise, or a count of them does and all else is the same; texts
/// are the same, or instants. `document` becomes one object with the arrays joined and, from their times, a
/// start, and an interval unless they or what stands `beside` the list (an object, or null) say one; the
/// cautions are returned. Nothing, and the document as it was, where it is anything else, among it captures
/// that lie apart and blocks with an axis of their own. `in_lines`: each object had a line, and nothing need
/// count them.
std::optional<std::vector<Caution>> join_blocks(nlohmann::ordered_json& document,
                                                const nlohmann::ordered_json& beside, bool in_lines);

/// Whether the first line is an object with such an array, and another line follows.
bool is_blocks_in_lines(std::string_view text);
/// A value in each line as one list; discarded where a line is none.
nlohmann::ordered_json json_of_lines(std::string_view text);

}  // namespace vprism
