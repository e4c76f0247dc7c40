// join.h: several files that are one recording: one per channel, or one after another.
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

/// Channels of all sources side by side. They must share rate and kind of axis (Error(analysis) otherwise).
/// Where they began at different times, by absolute clocks or from one time 0, what lies before the latest
/// start is left out, with a caution; other lengths are one too, and the shortest counts. Resolves the
/// sources.
std::unique_ptr<SampleSource> join_channels(std::vector<std::unique_ptr<SampleSource>> sources);

/// One after another in the order of their times, as far as the files say them, else as given. Channels are
/// matched by their names, or by place (a caution) where none agree; units are converted to the first file's,
/// or Error(analysis). A gap is filled with missing samples, of an overlap the later file's part is left out,
/// and both are cautions, as are channels that not all files have and an order that no file confirms. Files
/// with uneven steps become one with stamps. Resolves the sources.
std::unique_ptr<SampleSource> join_time(std::vector<std::unique_ptr<SampleSource>> sources);

}  // namespace vprism
