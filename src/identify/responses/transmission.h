// transmission.h: one recording over another, each with times of its own: what a sample does to a pulse or to
// a scan that was recorded without it.
#pragma once

#include <cmath>
#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "identify/responses/transfer.h"

namespace vprism {

/// Even samples from `start_s` on.
struct TimedSamples {
  std::vector<double> x;
  double start_s = 0, rate_hz = 1;
  double end_s() const { return start_s + static_cast<double>(x.size()) / rate_hz; }
};

struct Transmission {
  std::vector<double> hz;                        ///< Every 1 / length of the shorter one.
  std::vector<std::complex<double>> ratio;       ///< Sample over reference, both about their means.
  std::vector<double> error;                     ///< Of its magnitude, relative; of its phase in radians too.
  std::vector<double> sample, reference;         ///< Magnitudes of the transforms, unit times seconds.
  double sample_noise = 0, reference_noise = 0;  ///< The same of what stands at the top of the band.
  /// Where both stand at least 10 dB above their noise, around the reference's strongest frequency: places in
  /// `hz`, the end excluded; equal where there are none.
  std::size_t from = 0, to = 0;
  /// Degrees, going on from the strongest frequency, and such that a straight line through the usable band
  /// meets a multiple of whole turns, taken off, at 0 Hz. Within the usable band.
  std::vector<double> phase_deg;
  double delay_s = 0, delay_std_s = 0;  ///< Of the group, by the slope of the phase, the clear bins the most.
  /// Turns by which the straight line misses whole ones at 0 Hz, and how sure that is: beyond a quarter the
  /// phase, and what is made of it, may be off by whole turns.
  double anchor_turns = 0, anchor_std_turns = 0;
  bool anchored() const { return std::abs(anchor_turns) + 2 * anchor_std_turns < 0.25; }
  bool tapered = false;  ///< An end of a recording does not come down to its mean.
  struct Echo {
    double after_s = 0, share = 0;  ///< Later than the first arrival, and its amplitude over that.
  };
  std::optional<Echo> echo;
  double rbw_hz = 0;
};

/// Throws Error(analysis) for recordings of fewer than 16 samples or without any signal.
Transmission transmission_of(const TimedSamples& sample, const TimedSamples& reference);

/// Of a slab in air at right angles, echoes left out (Duvillaret, Garet and Coutaz 1996): n = 1 - c phase /
/// (2 pi f d); absorption a = -2 / d ln(|T| (n + 1)^2 / (4 n)). Over the usable band.
struct SlabFigures {
  std::vector<double> index, absorption_per_m;
};
SlabFigures slab_figures(const Transmission& t, double thickness_m);

}  // namespace vprism
