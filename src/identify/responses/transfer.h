// transfer.h: what a frequency response known at any frequencies says: bandwidth, gain and phase between its
// points, margins, and what random input makes of it.
#pragma once

#include <complex>
#include <optional>
#include <vector>

namespace vprism {

/// A response H at rising frequencies, evenly spaced or not.
struct TransferCurve {
  std::vector<double> hz;
  std::vector<std::complex<double>> value;
  /// Standard error of the magnitude, relative, and of the phase in radians; empty: not known.
  std::vector<double> error = {};
};

/// The error that the points' scatter suggests: how far each lies from what its neighbours foretell, by
/// medians. Noise is foretold no better by more neighbours; what is, is the curve's own bend, of which a
/// sixteenth is left between points.
std::vector<double> scatter_of(const TransferCurve& curve);
/// The standard deviation that printing with so few digits leaves in each point, relative to it, by
/// magnitude, decibels and degrees, or by real and imaginary part; 0 where the numbers have many digits.
std::vector<double> rounding_of(const TransferCurve& curve);

/// The phase in degrees, without the jumps of whole turns: each point within half a turn of the one before.
/// `largest_step` is the greatest change between neighbours: near 180 the turns are guessed.
struct UnwrappedPhase {
  std::vector<double> degrees;
  double largest_step = 0;
};
UnwrappedPhase unwrapped_phase(const TransferCurve& curve);

/// Gain and phase between points: cubics through four points of ln |H| and of the phase, over ln f where all
/// frequencies are above zero and spread over more than a decade, else over f. Nothing beyond the ends.
class TransferBetween {
 public:
  explicit TransferBetween(const TransferCurve& curve);
  struct Reading {
    double hz = 0, gain = 0, phase_deg = 0;
    double gain_std = 0, phase_std_deg = 0;  ///< Of the points, and of the cubic against the line.
    double hz_std = 0;                       ///< Of a crossing.
  };
  std::optional<Reading> at(double hz) const;
  /// Where the gain crosses `gain`, and which way; by frequency.
  struct Crossing {
    Reading at;
    bool falling = true;
  };
  std::vector<Crossing> gain_crossings(double gain) const;
  /// Where the unwrapped phase passes -180 degrees, or whole turns from that.
  std::vector<Reading> phase_crossings() const;
  /// The top of the gain between points.
  Reading greatest() const;
  /// Relative error of the points around a place.
  double error_at(double hz) const;
  /// Slopes of ln |H| and of the phase in degrees, per hertz.
  double slope_log(double hz) const;
  double slope_deg(double hz) const;

 private:
  double place(double hz) const;
  double hz_of(double place) const;
  Reading read(double place) const;
  /// A crossing's own uncertainty: `std` of what crosses, over its slope.
  void take_hz_std(Reading& reading, double place, bool of_gain) const;
  template <typename Value>
  std::vector<double> crossings(const Value& value) const;
  TransferCurve curve_;
  bool logarithmic_ = false;
  std::vector<double> place_, gain_, phase_;  ///< ln f or f; ln |H|; degrees.
  std::vector<double> error_;                 ///< Relative.
};

struct TransferFeatures {
  double first_gain = 0;  ///< At the lowest frequency.
  TransferBetween::Reading greatest;
  /// -3 dB of the gain that the band has: that of the lowest frequency for a low pass, of the highest for a
  /// high pass, else the greatest. Ends within the curve only.
  std::optional<double> low_hz, high_hz;
  double low_std_hz = 0, high_std_hz = 0;
  double reference_gain = 0;
  const char* kind = "";  ///< "low pass", "high pass", "band pass", "all of the band".
  /// Where the gain is 1, and what the phase is there above -180 degrees (the last one, and the least
  /// margin).
  std::vector<TransferBetween::Crossing> unity;
  std::optional<double> phase_margin_deg, phase_margin_at_hz;
  std::optional<double> gain_margin_db, gain_margin_at_hz;
  double phase_margin_std_deg = 0, gain_margin_std_db = 0;
};
TransferFeatures transfer_features(const TransferCurve& curve);

/// Mean square of what comes out within the curve's band (or a part of it) for noise of one-sided density
/// `density` per hertz at the input: the integral of |H|^2 times it, |H|^2 taken as powers of f between
/// points.
double random_output(const TransferCurve& curve, double density, double low_hz, double high_hz);

/// One resonance of a curve, fitted where it is.
struct TransferMode {
  double frequency_hz = 0, frequency_std_hz = 0;
  double damping = 0, damping_std = 0;
  double magnitude = 0, phase_deg = 0;  ///< Of the curve at its frequency.
  double misfit = 0;                    ///< What the fit leaves, over the resonance's own height.
  std::size_t points = 0;               ///< It was fitted on.
  double q() const { return 1 / (2 * damping); }
};

/// Pole pairs of a response: about each top of |H| or of the turn of its phase, A / (i w - s) and its mirror
/// with powers of i w are fitted to the points around (variable projection), wider until it no longer fits.
/// Kept are those of a damping ratio below 0.7 that stand above what the fit leaves. Uncertainties from what
/// is left over.
std::vector<TransferMode> transfer_modes(const TransferCurve& curve, double low_hz, double high_hz);

}  // namespace vprism
