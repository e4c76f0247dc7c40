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
};

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
    double gain_error = 0, phase_error = 0;  ///< Of the interpolation, as the line instead of the cubic says.
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

 private:
  double place(double hz) const;
  double hz_of(double place) const;
  Reading read(double place) const;
  template <typename Value>
  std::vector<double> crossings(const Value& value) const;
  TransferCurve curve_;
  bool logarithmic_ = false;
  std::vector<double> place_, gain_, phase_;  ///< ln f or f; ln |H|; degrees.
};

struct TransferFeatures {
  double first_gain = 0;  ///< At the lowest frequency.
  TransferBetween::Reading greatest;
  /// -3 dB of the gain that the band has: that of the lowest frequency for a low pass, of the highest for a
  /// high pass, else the greatest. Ends within the curve only.
  std::optional<double> low_hz, high_hz;
  double reference_gain = 0;
  const char* kind = "";  ///< "low pass", "high pass", "band pass", "all of the band".
  /// Where the gain is 1, and what the phase is there above -180 degrees (the last one, and the least
  /// margin).
  std::vector<TransferBetween::Crossing> unity;
  std::optional<double> phase_margin_deg, phase_margin_at_hz;
  std::optional<double> gain_margin_db, gain_margin_at_hz;
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
