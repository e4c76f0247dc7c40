// channel_groups.h: channels side by side; going through a record once for each group of its channels, where
// all at once would hold too much.
#pragma once

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <numeric>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/input.h"

namespace vprism {

/// Runs the road with blocks of these channels alone.
template <typename Add>
void run_channels(Input& input, const std::vector<std::size_t>& which, const Progress& progress,
                  const Add& add) {
  Block some;
  input.road().run(
      [&](Block& block) {
        if (some.capacity() < block.size())
          some = Block(which.size(), block.size(), block.stamped(), block.complex());
        some.take_channels(block, which);
        add(static_cast<const Block&>(some));
      },
      progress);
}
/// With blocks of `count` channels from `from` on.
template <typename Add>
void run_channels(Input& input, std::size_t from, std::size_t count, const Progress& progress,
                  const Add& add) {
  if (count >= input.road().recording().channels.size())
    return input.road().run([&](Block& block) { add(static_cast<const Block&>(block)); }, progress);
  std::vector<std::size_t> which(count);
  std::iota(which.begin(), which.end(), from);
  run_channels(input, which, progress, add);
}

/// `work(from, count)` for groups of `at_once` channels in order.
template <typename Work>
void for_channel_groups(std::size_t channels, std::size_t at_once, const Work& work) {
  for (std::size_t from = 0; from < channels; from += at_once) work(from, std::min(at_once, channels - from));
}

/// `work(c)` for each channel, on all threads. Of what they throw the first channel's is thrown, with the
/// file and the channel's name before it.
template <typename Work>
void for_each_channel(const Recording& recording, const Work& work) {
  const std::size_t count = recording.channels.size();
  std::vector<std::optional<Error>> failed(count);
  oneapi::tbb::parallel_for(std::size_t{0}, count, [&](std::size_t c) {
    try {
      work(c);
    } catch (const Error& error) {
      failed[c] = error;
    }
  });
  for (std::size_t c = 0; c < count; ++c)
    if (failed[c])
      throw Error(failed[c]->status(), recording.file + ": channel \"" +
                                           clean_text(recording.channels[c].name) +
                                           "\": " + failed[c]->what());
}

}  // namespace vprism
