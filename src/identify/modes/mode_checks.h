// mode_checks.h: the same resonance by ways of its own: each is told beside the fit of all curves together.
#pragma once

#include <complex>
#include <optional>
#include <vector>

namespace vprism {

/// Frequency and damping as one method tells them; damping 0: not told.
struct ModeReading {
  double frequency_hz = 0, damping = 0;
};

/// A stretch of one curve around a resonance.
struct CurveStretch {
  std::vector<double> frequency_hz;
  std::vector<std::complex<double>> ratio;
};

/// Highest point of the magnitude, by a parabola through the squares' logarithms around it.
std::optional<ModeReading> read_peak(const CurveStretch& stretch);

/// Peak, and where the square has halved on either side: d = (f2^2 - f1^2) / (4 f0^2) (of the square of a
/// lightly damped displacement, Ewins 2000, 4.2). Nothing when one side does not fall to half.
std::optional<ModeReading> read_half_power(const CurveStretch& stretch);

/// Circle through the half turn around the resonance in the complex plane of the mobility: frequency where
/// the angle turns fastest, damping from pairs of points on either side (Kennedy & Pancu 1947; Ewins
/// 2000, 4.3):
///     d = ((fa^2 - f0^2) / fa + (f0^2 - fb^2) / fb) / (2 f0 (tan(ta/2) + tan(tb/2))).
/// `order`: 0, 1, 2 for displacement, velocity, acceleration over force; -1: not known, the one of the three
/// that is roundest.
struct CircleReading {
  ModeReading mode;
  std::complex<double> centre = 0;  ///< In the mobility's plane.
  double radius = 0;
  double out_of_round = 0;    ///< RMS distance of the points from the circle over its radius.
  double damping_spread = 0;  ///< Standard deviation of the damping between pairs.
};
std::optional<CircleReading> read_circle(const CurveStretch& stretch, const ModeReading& about, int order);

/// Decay of a mode alone, from an impulse response: a band of Gaussian shape around the mode is turned back
/// into time; its envelope falls as exp(-d w t), and so do its crests.
struct DecayReading {
  ModeReading envelope;               ///< Straight line through the envelope's logarithm.
  ModeReading decrement;              ///< From one crest to another n periods on: ln(x_0 / x_n) / (2 pi n).
  double from_s = 0, to_s = 0;        ///< Stretch that was used: clear of the start and of the noise.
  std::vector<double> time_s, level;  ///< The envelope, for a figure: at most 400 points.
};
/// `response` at 1 / `rate_hz`; `room_hz`: distance to the next mode. `added_decay_per_s` is taken off again.
/// Nothing where the band holds less than a few periods above the noise.
std::optional<DecayReading> read_decay(const std::vector<double>& response, double rate_hz,
                                       const ModeReading& about, double room_hz,
                                       double added_decay_per_s = 0);

}  // namespace vprism
