// ring_down.h: where in a recording of many points the free motion begins, where noise has it, and frames
// that are ruined.
#pragma once

#include <cstddef>
#include <vector>

namespace vprism {

struct RingDown {
  bool decays = false;
  std::size_t from = 0, to = 0;     ///< Frames of the free decay; all of them where nothing decays.
  double left = 0;                  ///< RMS of their last tenth over that of their first.
  std::vector<std::size_t> ruined;  ///< Frames with eight times the power of all near them.
};

/// From the mean square over all points, frame by frame. A decay begins where the level was last near its
/// greatest; where it begins with the record, at frame 0. It ends where the level has come down to what the
/// end of the record shows.
RingDown judge_ring_down(const std::vector<double>& level);

}  // namespace vprism
