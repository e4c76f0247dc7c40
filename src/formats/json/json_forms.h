// json_forms.h: what services write as JSON, turned into arrays under names.
#pragma once

#include <nlohmann/json_fwd.hpp>

namespace vprism {

/// Units in an object beside ("hourly_units"), fields that a schema names, a series that labels name, rows
/// whose columns a list names, fields of a feed that its channel names.
void take_known_forms(nlohmann::ordered_json& object);

/// Rows as objects whose numbers stand in quotation marks, a fraction among them.
void take_numbers_of_rows(nlohmann::ordered_json& list);

}  // namespace vprism
