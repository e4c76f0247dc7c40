// labelled_arrays.h: arrays below lines of remarks that say their name and kind: "# name: u", "# type:
// matrix".
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// Two arrays or settings at least, each with its name and its type.
bool has_labelled_arrays(std::string_view text);
/// Each under its name: lists, lists of rows, numbers and texts. Kinds that hold neither go to `left_out`.
nlohmann::ordered_json labelled_arrays(std::string_view text, std::vector<std::string>& left_out);

}  // namespace vprism
