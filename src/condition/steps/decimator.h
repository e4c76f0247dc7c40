// decimator.h: fewer samples without folding.
#pragma once

#include <cstddef>
#include <memory>

#include "condition/column.h"

namespace vprism {

/// One sample for each `factor` (>= 2), begun or not, at the time of the first of them; flat over 90% of the
/// new band, at least 100 dB down where it would fold back.
std::unique_ptr<ColumnWorker> make_decimator(std::size_t factor);

}  // namespace vprism
