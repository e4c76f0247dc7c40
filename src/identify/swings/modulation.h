// modulation.h: how a carrier's amplitude and frequency go with time.
#pragma once

#include <cmath>
#include <cstdint>
#include <span>
#include <vector>

#include "identify/swings/course_fit.h"

namespace vprism {

/// A carrier shifted down to 0 Hz, as three series at one rate.
struct Demodulated {
  double rate_hz = 0;
  double shift_hz = 0;            ///< Added back in `frequency`.
  double start_s = 0;             ///< Of the first sample.
  bool suppressed = false;        ///< Sidebands alone: the amplitude goes through zero and has a sign.
  std::vector<double> amplitude;  ///< Of the carrier: a cosine's peak.
  std::vector<double> frequency;  ///< Hz: the phase's speed, from one sample before to one after.
  std::vector<double> phase;      ///< Turned past whole turns, radian, the shift taken off.
};
/// `scale`: 2 for a real channel of which one half was shifted down, else 1. Where the squares of the samples
/// turn steadily and the samples themselves don't, the carrier is suppressed: its phase is then that of the
/// squares, halved, and where the amplitude is near zero the frequency is the carrier's.
Demodulated demodulate(std::span<const double> re, std::span<const double> im, double rate_hz,
                       double shift_hz, double scale);

/// Leaves out so many samples at each end.
void trim(Demodulated& series, std::size_t count);
/// How many values at either end, at most a sixteenth, still ring with what the filters made of the end: as
/// far as the frequency bends more than eight times as sharply as it usually does.
std::size_t ringing_at_ends(const Demodulated& series);

/// One of a few frequencies that a carrier keeps to, in turn.
struct FrequencyState {
  double frequency_hz = 0, frequency_std_hz = 0;
  double share = 0;    ///< Of the time.
  double dwell_s = 0;  ///< Mean time that it stays.
  std::size_t visits = 0;
};

/// A sudden step of the frequency that stays.
struct Jump {
  double time_s = 0;  ///< From the first sample on.
  double step_hz = 0, step_std_hz = 0;
};

struct Modulation {
  /// Mean frequency, before the first jump, at the middle of the series.
  double carrier_hz = 0, carrier_std_hz = 0;
  double drift_hz_per_s = 0, drift_std_hz_per_s = 0;
  double middle_s = 0;  ///< That middle, from the series' first value.
  /// The carrier as the drift has it at another time.
  void move_carrier(double by_s) {
    carrier_hz += drift_hz_per_s * by_s;
    carrier_std_hz = std::hypot(carrier_std_hz, drift_std_hz_per_s * by_s);
    middle_s += by_s;
  }
  std::vector<FrequencyState> states;  ///< By falling share; none where it does not step to and fro.
  std::size_t transitions = 0;         ///< Between them.
  std::vector<Swing> frequency;        ///< By descending deviation; harmonics belong to their fundamental.
  std::vector<Swing> amplitude;
  double level = 0;              ///< Mean amplitude; its RMS where the carrier is suppressed.
  std::vector<Jump> jumps;       ///< By time.
  std::vector<Jump> edge_jumps;  ///< So near an end that they may be the filters', much larger than noise.
  double lowest_hz = 0, highest_hz = 0;  ///< 0.1% of the time lies below or above.
  double frequency_noise_hz = 0;         ///< RMS of what carrier, drift, jumps and swings leave.
  double depth() const { return amplitude.empty() || level <= 0 ? 0 : amplitude.front().peak / level; }
};

/// Jumps are looked for as steps that stand far out of the usual change over a few samples; those under four
/// of their uncertainties are none. Three or more between two to six levels are states; more than eight that
/// are not are a shape. Carrier, drift, steps and swings are fitted together by least squares; swings are set
/// right for what differences over two samples take of them. Series of over 2^17 values are thinned for this,
/// and swings too quick for that are fitted in their middle.
Modulation measure_modulation(const Demodulated& series);

/// A span that ends before the sidebands of a swing do takes from its deviation and gives the amplitude
/// swings of its own: both go into the uncertainties; amplitude swings under three of theirs, and others of
/// the frequency that are smaller than what is lost, go. For a
/// sine of index b = deviation / rate whose first order outside is m: J_m(b) min(1, b) of the rate, and
/// 2 J_m(b) of the level. Handed back: the greatest such share of a deviation.
double allow_for_cut_sidebands(Modulation& m, double low_hz, double high_hz);

}  // namespace vprism
