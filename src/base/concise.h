// concise.h: values with their uncertainty in the shortest usual form.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// (24.299994, 0.000024, "Hz") -> "24.299994(24) Hz": the digits in parentheses are those of the standard
/// uncertainty, at the last places of the value (JCGM 100:2008, 7.2.2). Rounded as format_uncertain does.
std::string format_concise(double value, double uncertainty, std::string_view unit);

}  // namespace vprism
