// frequency_swing.h: one carrier whose frequency swings so far that no line of the spectrum is the carrier's.
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// A sine in the course of the frequency.
struct SwingPart {
  double rate_hz = 0, rate_std_hz = 0;
  double deviation_hz = 0, deviation_std_hz = 0;  ///< Peak.
};

struct FrequencySwing {
  double frequency_hz = 0, frequency_std_hz = 0;  ///< The middle, about which it swings.
  double low_hz = 0, high_hz = 0;                 ///< Between these it is for 98% of the time.
  double band_low_hz = 0, band_high_hz = 0;       ///< Its sidebands lie between these.
  double rms = 0;                                 ///< Over the record.
  double fluctuation = 0;        ///< Of its amplitude: standard deviation over mean; 0.52 for noise.
  double greatest_line = 0;      ///< Share of the mean square that the strongest line of the spectrum holds.
  std::vector<SwingPart> parts;  ///< The greatest first; multiples of one are left to it.
  double explained = 0;      ///< Share of the variance of its frequency that these and their multiples make.
  std::vector<double> rest;  ///< The samples without it; of noise within its band half is left.
};

/// The analytic signal of the band that holds nearly all that stands above the noise: where its amplitude
/// stays (fluctuation under 0.2) though no line holds 45% of the power, it is one carrier; its frequency is
/// the derivative of its phase (Boashash, Proc. IEEE 80, 1992). Nothing for records under 2,048 samples, of a
/// narrow band, or of one that reaches 0 or half the rate.
std::optional<FrequencySwing> find_frequency_swing(std::span<const double> x, double rate_hz);

}  // namespace vprism
