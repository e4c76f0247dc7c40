// json_plain.h: rarer ways to write arrays in a JSON document, made the usual one.
#pragma once

#include <nlohmann/json_fwd.hpp>

namespace vprism {

/// In place: objects whose keys only count ({"0": 1.5, "1": 1.4, ...}) and texts of many numbers
/// ("0.5,0.25,...") become lists of numbers, and so do lists of texts that are all numbers; "xlabel" and
/// "ylabel" become the keys of the lists "x" and "y" beside or below them.
void make_plain(nlohmann::ordered_json& document);

}  // namespace vprism
