// feed.h: samples in memory handed to an estimator in blocks.
#pragma once

#include <algorithm>
#include <vector>

#include "signal/block.h"

namespace vprism {

/// All channels of a record, all of one length, in blocks of at most `block_size` samples.
template <typename Estimator>
void feed(Estimator& estimator, const std::vector<std::vector<double>>& channels,
          std::size_t block_size = 65536) {
  Block block(channels.size(), block_size);
  for (std::size_t at = 0; at < channels[0].size(); at += block_size) {
    const std::size_t count = std::min(block_size, channels[0].size() - at);
    for (std::size_t c = 0; c < channels.size(); ++c)
      std::copy_n(channels[c].begin() + static_cast<std::ptrdiff_t>(at), count, block.room(c).begin());
    block.set(static_cast<std::int64_t>(at), count);
    estimator.add(block);
  }
}

}  // namespace vprism
