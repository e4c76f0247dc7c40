// unit_words.h: units as the trade writes them.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// A unit with its words (runs of letters) replaced by what UDUNITS-2 calls them: "Nm" by "(N.m)", "RPM" by
/// "rpm"; what is said of a level beside its unit ("V rms") is left off. What is not known stays.
std::string unit_for_library(std::string_view text);

}  // namespace vprism
