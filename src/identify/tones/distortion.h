// distortion.h: what a sine became: harmonics, noise and spurious lines (IEEE 1241, IEEE 1057).
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "base/units/quantity.h"
#include "identify/lines/peaks.h"

namespace vprism {

struct DistortionSettings {
  std::optional<double> fundamental_hz;  ///< Roughly; found as the strongest line otherwise.
  std::size_t harmonics = 10;            ///< Highest order.
  bool two_tone = false;                 ///< The two strongest lines, and their products.
  std::optional<double> full_scale;      ///< Peak of the largest sine that fits; for the effective bits.
  std::optional<Range> span_hz;          ///< Noise and harmonics outside are not counted.
};

/// A line at a multiple of the fundamental, or a product of two tones.
struct DistortionLine {
  int order = 1, second = 0;  ///< Multiples of the first and of the second tone.
  double true_hz = 0;         ///< Before it was folded at half the rate.
  double frequency_hz = 0;
  double rms = 0, rms_std = 0;
  double phase_deg = 0;           ///< Of a cosine at the record's start.
  double phase_to_first_deg = 0;  ///< Less as many times that of the fundamental.
  bool folded = false;
  bool counted = true;  ///< Within the span, not on DC and not where another one lies.
  bool below_noise() const { return rms < 3 * rms_std; }
};

struct Distortion {
  DistortionLine fundamental;
  std::optional<DistortionLine> second;  ///< Of two tones.
  double fundamental_std_hz = 0;
  std::vector<DistortionLine> harmonics;  ///< Orders 2 to N; of two tones their products up to order 5.
  double mean = 0;
  double periods = 0;  ///< Of the fundamental in the record.
  bool coherent() const;
  // Ratios to the fundamental; of two tones to both together.
  double thd = 0;      ///< Root of the sum of squares of the harmonics counted, less what noise adds to each.
  double thd_std = 0;  ///< Of it, from the noise; 0 where it is not known to lie above zero.
  double thd_upper = 0;      ///< What it lies below with 95% confidence.
  bool any_counted() const;  ///< False where no harmonic lies within the span: no THD, no bound.
  /// Whether the harmonics stand out of the noise together: else only the bound says something.
  bool thd_known() const { return any_counted() && (thd_std > 0 || noise_rms == 0); }
  double noise_rms = 0;       ///< All but DC, tones and harmonics.
  double distortion_rms = 0;  ///< The harmonics counted.
  double noise_density = 0;   ///< Median of the rest, RMS per root Hz.
  double largest_spur_rms = 0, largest_spur_hz = 0;
  double full_scale_db = 0;  ///< Fundamental re full scale; 0 where none is given.

  double tone_rms() const;
  double thd_db() const;
  double thd_n() const;  ///< Harmonics and noise together.
  double snr_db() const;
  double sinad_db() const;
  double sfdr_db() const;  ///< Infinite where nothing is left over.
  /// (SINAD - 1.76 dB) / 6.02 dB, the level below full scale added where that is known.
  double enob() const;
  /// IEEE 1057: one sine of four parameters alone fitted to the samples, and what it leaves.
  double sine_fit_rms = 0, sine_fit_sinad_db = 0;
  /// The fundamental as the windowed spectrum has it, independent of the fits.
  double spectrum_rms = 0, spectrum_rms_std = 0;
};

/// `samples` at `rate_hz`, any number of periods: tones and harmonics are fitted to the samples, so that no
/// window and no lobe enters. Throws Error(analysis) when there is no line, or fewer than three periods.
Distortion measure_distortion(std::span<const double> samples, double rate_hz,
                              const DistortionSettings& settings = {});

}  // namespace vprism
