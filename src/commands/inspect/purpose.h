// purpose.h: what a recording is for, and which commands take it.
#pragma once

#include <string>
#include <vector>

#include "signal/recording.h"

namespace vprism {

struct Purpose {
  std::string what;               ///< "a recording in time", "responses over frequency", ...
  std::vector<std::string> next;  ///< Lines to type, the most likely first.
  bool field = false;
};

/// By axis, channels and units; a file of many points by its data sets. `typed`: options of the input as the
/// user gave them (" --rate '2 kHz'"), which the lines need as well.
Purpose purpose_of(const Recording& recording, const std::string& typed = "");

/// "  what it is: ...; for example\n    vprism ...\n".
std::string purpose_text(const Purpose& purpose);

}  // namespace vprism
