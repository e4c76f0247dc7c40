// held.h: channels held in memory, for what looks at all samples at once.
#pragma once

#include <vector>

#include "commands/shared/input.h"

namespace vprism {

struct Held {
  Recording recording;                       ///< `samples`: as many as are held.
  std::vector<std::vector<double>> columns;  ///< One for each channel.
  InputFacts facts;                          ///< With a caution where the record was cut.
};

/// The first `most` samples of each channel at most. Throws Error(analysis) for complex channels, gaps, and
/// axes that are not even.
Held hold_samples(Input& input, const Progress& progress, std::int64_t most = std::int64_t{1} << 24);

/// For who can't do with missing samples: Error(analysis) with the longest stretch in which no channel misses
/// any, as a gate. Goes through the record once more.
[[noreturn]] void refuse_gaps(Input& input);

}  // namespace vprism
