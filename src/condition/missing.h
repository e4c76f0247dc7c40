// missing.h: samples that are no numbers, counted on the road whatever format they come from.
#pragma once

#include <cstdint>
#include <vector>

#include "signal/block.h"
#include "signal/recording.h"

namespace vprism {

/// Fourth powers of larger values (kurtosis, scatter of levels), added up over a record, leave what a double
/// can hold.
inline constexpr double greatest_sample = 1e60;

/// Counts what passes. NaN and infinity are missing, and so is what is larger than `greatest_sample`, which
/// is put to NaN. A block that holds any is marked by `set_gaps`.
class MissingCount {
 public:
  /// A pass begins. What an earlier pass that went farther has counted stays.
  void begin(std::size_t channels);
  void look(Block& block, bool keep_large);
  void end();
  /// One caution for each channel with any: how many, and the first place. `known`: cautions of the reader,
  /// which are not said again. `where`: "after the chain" or "".
  std::vector<Caution> cautions(const Recording& recording, const std::vector<Caution>& known,
                                const std::string& where) const;

 private:
  struct Channel {
    std::int64_t missing = 0, large = 0, first = -1;
    double first_stamp = 0;
  };
  struct Count {
    std::int64_t samples = 0;
    bool stamped = false;
    std::vector<Channel> channels;
  };
  Count now_, most_;
};

}  // namespace vprism
