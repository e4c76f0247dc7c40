// noise_course.h: noise of which a record holds more at some times than at others, over all frequencies.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// Samples first .. end - 1, in which noise holds one level.
struct NoiseStretch {
  std::size_t first = 0, end = 0;
  double gain = 1;  ///< Of its density over that of the quietest stretch,
  double gain_std = 0;
  bool louder = false;
};

struct NoiseCourse {
  std::vector<NoiseStretch> stretches;  ///< The whole record, in order.
  double excess_rms = 0;                ///< What the louder ones hold beyond the quietest, over the record.
  /// The samples with the noise of all stretches brought to one density.
  std::vector<double> evened(std::span<const double> samples) const;
};

/// Stretches of noise of different level. The record is parted into 32 to 256 pieces; the gain of a piece is
/// the median over frequency of its spectrum over the median of all pieces there, which lines, what rings and
/// slow wander leave alone. Levels are parted by likelihood with a price for each change. Nothing where
/// all is one level (within 50% of power), where stretches of fewer than three pieces are all that differs
/// (clicks), where the noise explains less than half of what is louder, or where that comes in pulses
/// (kurtosis above 6).
std::optional<NoiseCourse> find_noise_course(std::span<const double> samples);

}  // namespace vprism
