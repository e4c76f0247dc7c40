// sine_fit.h: sines fitted to samples by least squares (IEEE 1057, four parameters, several sines at once).
#pragma once

#include <span>
#include <vector>

namespace vprism {

/// amplitude cos(2 pi f t + phase), t from the first sample on; exp(-decay t) times that where it decays.
struct Sine {
  double frequency_hz = 0, amplitude = 0, phase_deg = 0, decay_per_s = 0;
  bool decays = false;  ///< Whether the decay is fitted too.
  /// Standard uncertainties, from `noise` below.
  double frequency_std_hz = 0, amplitude_std = 0, phase_std_deg = 0, decay_std_per_s = 0;
  /// Variance per sample that white noise would have whose density is that of the noise around the sine; 0:
  /// that of what all the sines leave.
  double noise_variance = 0;
  bool fixed = false;  ///< The frequency is held: amplitude and phase alone are fitted.
};

struct SineFit {
  std::vector<Sine> sines;
  double mean = 0;
  double slope = 0;  ///< Per sample, of a straight line about the middle that was taken off with them.
  bool beside_line = false;  ///< Whether such a line was looked for.
  double residual_rms = 0;
  std::vector<double> residual;  ///< What mean and sines leave of the samples.
};

/// Refines sines from first guesses (frequencies within about half a bin, 1/(2T), of the truth) on all the
/// samples: sines closer than `joint_bins` over the record's length together, the others in turn, with what
/// the rest explain taken off, until nothing moves. Without noise the result is exact to rounding; in white
/// noise it reaches the Cramer-Rao bound. Throws Error(analysis) when there are fewer samples than unknowns.
/// `still`: the relative change, in amplitudes and turns over the record, below which nothing moves: what
/// stands far below the strongest needs a small one, since what is left of that leaks.
SineFit fit_sines(std::span<const double> samples, double rate_hz, std::vector<Sine> first,
                  double joint_bins = 8, double still = 1e-9);

}  // namespace vprism
