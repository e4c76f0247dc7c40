// join.h: several files that are one recording: one per channel, or one after another.
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

/// Channels of all sources side by side. They must share rate and kind of axis (Error(analysis) otherwise);
/// other starts or lengths are cautions, and the shortest counts. Resolves the sources.
std::unique_ptr<SampleSource> join_channels(std::vector<std::unique_ptr<SampleSource>> sources);

/// One after another in the order of their times, as far as the files tell them, else as given. They must
/// have the same channels and rate. A gap is filled with missing samples, an overlap is a caution, and so is
/// an order that no file confirms. Resolves the sources.
std::unique_ptr<SampleSource> join_time(std::vector<std::unique_ptr<SampleSource>> sources);

}  // namespace vprism
