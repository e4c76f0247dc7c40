// revision.cpp: see revision.h. Compiled by itself: what it includes is made anew for every revision.
#include "app/revision.h"

#include "vprism_revision.h"

namespace vprism {

std::string source_revision() { return VPRISM_REVISION; }

}  // namespace vprism
