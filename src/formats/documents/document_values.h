// document_values.h: texts of a document as numbers, where they are.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string_view>

namespace vprism {

/// A whole number to the last digit, a number, nothing for "nan" and the like, else the text.
nlohmann::ordered_json document_value(std::string_view text);

/// "1 2 3", "1, 2, 3", "1,5; 2,5": two numbers and more; what is none among them, one in ten at most, is
/// missing. Null for anything else.
nlohmann::ordered_json document_numbers(std::string_view text);

}  // namespace vprism
