// json_parse.h: a JSON document as a value, in time that grows with its length.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

namespace vprism {

/// Discarded where the text is damaged; of members of one name the last counts. The library's own reader
/// looks through an object's members for each further one. Throws Error(input) for more than 64 levels, in
/// the name of `path`.
nlohmann::ordered_json parse_json(std::string_view text, const std::string& path);

}  // namespace vprism
