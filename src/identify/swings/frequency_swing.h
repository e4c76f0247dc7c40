// frequency_swing.h: carriers whose frequency swings so far that no line of the spectrum is the carrier's.
#pragma once

#include <span>
#include <vector>

#include "identify/swings/modulation.h"

namespace vprism {

struct FrequencySwing {
  Modulation
      course;  ///< Carrier, drift, swings and jumps of its frequency; swings of an amplitude that has any.
  double band_low_hz = 0, band_high_hz = 0;  ///< Its sidebands lie between these.
  double rms = 0;                            ///< Over the record.
  /// Of its amplitude beside its swings: standard deviation over mean; 0.52 for noise.
  double fluctuation = 0;
  double greatest_line = 0;  ///< Share of its power that the strongest line of the spectrum holds.
};

struct FrequencySwings {
  std::vector<FrequencySwing> carriers;
  std::vector<double> rest;  ///< The samples without them; of noise within their bands half is left.
};

/// The analytic signal of the band that holds nearly all that stands above the noise: where its amplitude
/// stays (fluctuation under 0.2, once at most two periodic swings are taken off that leave a seventh of it)
/// though no line holds 45% of the power, it is one carrier; the course of its frequency is then that of
/// modulation.h. Where it is none, so are the parts that wide gaps leave, if they swing periodically. Nothing
/// for records under 2,048 samples, of a narrow band, or of one that reaches 0 or half the rate.
FrequencySwings find_frequency_swings(std::span<const double> x, double rate_hz);

}  // namespace vprism
