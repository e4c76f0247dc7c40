// skew.h: channels that were sampled a little later than the first one, brought to its times.
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

/// Sample n of channel c was taken `skew_s[c]` after the time of sample n: what comes out is at that time, by
/// a windowed sinc of 65 points (flat to 80% of half the rate within 1e-4), ends continued by odd reflection.
/// For even real recordings of known rate whose channels' skews are below 4096 intervals; others are handed
/// on with a caution.
std::unique_ptr<SampleSource> make_deskewed(std::unique_ptr<SampleSource> source, std::vector<double> skew_s);

}  // namespace vprism
