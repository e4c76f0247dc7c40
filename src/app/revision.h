// revision.h: which state of the source this program was built from.
#pragma once

#include <string>

namespace vprism {

/// The version control's name for it, "+" behind it where files were changed; "" where it is not known.
std::string source_revision();

}  // namespace vprism
