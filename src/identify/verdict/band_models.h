// band_models.h: rival models of what a narrow band holds, compared by what they leave.
#pragma once

#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "identify/verdict/band_signal.h"
#include "identify/verdict/sweeps.h"

namespace vprism {

/// A damped or growing exponential, A exp(s (t - start)), nothing before its start.
struct Exponential {
  double frequency_hz = 0, frequency_std_hz = 0;
  double decay_per_s = 0, decay_std_per_s = 0;  ///< Below zero where it grows.
  double start_s = 0;
  double amplitude = 0, amplitude_std = 0, phase_deg = 0;  ///< At its start.
};

/// A stretch in which a line's level holds.
struct HeldLevel {
  double from_s = 0, to_s = 0;
  double amplitude = 0, amplitude_std = 0;
};

struct BandVerdict {
  enum class Kind {
    steady,     ///< `lines` steady lines explain the band.
    decaying,   ///< One line that dies away or grows (`exponential`).
    wandering,  ///< One line whose amplitude or frequency wanders slowly.
    nothing,    ///< No more than the noise.
    stepping,   ///< One line whose level steps once or twice (`levels`).
    burst,      ///< Present in a part of the record only.
    noise,      ///< Driven by noise: amplitude and phase change at random, as fast as the band is wide.
    sweep,      ///< One line that moves through the band (`sweep`).
    unresolved  ///< None of these.
  } kind = Kind::unresolved;
  double frequency_hz = 0, frequency_std_hz = 0;  ///< Of the middle of its power.
  std::vector<Exponential> lines;                 ///< Steady ones.
  Exponential exponential;
  Sweep sweep;
  std::vector<HeldLevel> levels;
  double amplitude_wander = 0;     ///< RMS of the amplitude's changes over its mean.
  double frequency_wander_hz = 0;  ///< RMS of the frequency's changes.
  double wander_s = 0;             ///< How long a change takes, about.
  double from_s = 0, to_s = 0;     ///< Of a burst: what holds nine tenths of its energy.
  double followed_rms = 0;         ///< Of one that wanders: what the model follows.
  std::vector<double> beside_hz;   ///< Of one that wanders: lines that stand in what the model leaves.
  double looked_from_s = 0;        ///< Start of the stretch looked at.
  double spread_hz = 0;            ///< Standard deviation of its power over frequency.
  double fluctuation = 0;          ///< mean |a|^4 / (mean |a|^2)^2: 1 for a steady line, 2 for noise.
  double misfit = 0;               ///< What the model leaves over the noise, as a ratio of mean squares.
  double runner_up_gain = 0;       ///< By how much the next kind of model is less likely, as twice the
                                   ///< log-likelihood less its price; 0 where none is.
};

/// Models are compared by 2 S / noise + (unknowns) ln(2 M), S being the squares that they leave of M complex
/// values: likelihood with a price for unknowns (Schwarz 1978). Steady lines are tried up to `most_lines`.
BandVerdict judge_band(const BandSignal& band, std::size_t most_lines = 3);

/// A steady line that holds most of a band whose rest is no sidebands of it: noise, or something else beside
/// it. It is taken off `band`.
std::optional<Exponential> take_line_apart(BandSignal& band);

}  // namespace vprism
