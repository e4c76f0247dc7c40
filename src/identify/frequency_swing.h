// frequency_swing.h: one carrier whose frequency swings so far that no line of the spectrum is the carrier's.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "identify/modulation.h"

namespace vprism {

struct FrequencySwing {
  Modulation course;                         ///< Carrier, drift, swings and jumps of its frequency.
  double band_low_hz = 0, band_high_hz = 0;  ///< Its sidebands lie between these.
  double rms = 0;                            ///< Over the record.
  double fluctuation = 0;    ///< Of its amplitude: standard deviation over mean; 0.52 for noise.
  double greatest_line = 0;  ///< Share of the mean square that the strongest line of the spectrum holds.
  std::vector<double> rest;  ///< The samples without it; of noise within its band half is left.
};

/// The analytic signal of the band that holds nearly all that stands above the noise: where its amplitude
/// stays (fluctuation under 0.2) though no line holds 45% of the power, it is one carrier; the course
/// of its frequency is then that of modulation.h. Nothing for records under 2,048 samples, of a
/// narrow band, or of one that reaches 0 or half the rate.
std::optional<FrequencySwing> find_frequency_swing(std::span<const double> x, double rate_hz);

}  // namespace vprism
