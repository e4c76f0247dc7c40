// common_grid.h: recordings of other rates, or with uneven steps, made ready to stand side by side.
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

/// All at the rate of the fastest of them. Of those with even steps, the others are resampled, which adds
/// nothing above half their own rate; uneven ones are put on a grid that meets the samples of the latest to
/// begin. What was done is a caution of each. Those that need nothing, and all where the axes are no times or
/// have no rate, are handed on as they are. What is made is held (memory that spills). Resolves the sources.
std::vector<std::unique_ptr<SampleSource>> on_common_grid(std::vector<std::unique_ptr<SampleSource>> sources);

}  // namespace vprism
