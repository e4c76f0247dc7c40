// channel_as_axis.h: times that lie among the channels of an array.
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

/// For arrays, whose columns have no names or need not: the channel that `--axis` names becomes the axis.
/// Where neither the file nor the user gives times or a rate, a first channel that rises by even steps, and
/// not by one, does, with a caution. Throws Error(usage) for a channel that is not there.
std::unique_ptr<SampleSource> with_axis_channel(std::unique_ptr<SampleSource> source,
                                                const ReadSettings& settings);

}  // namespace vprism
