// response.h: frequency responses between references and channels, from averaged cross spectra.
#pragma once

#include <complex>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "transform/spectra/cross.h"

namespace vprism {

/// Which side is taken to carry the noise: H1 = Gyx/Gxx the output, H2 = Gyy/Gxy the input, Hv both alike.
enum class ResponseEstimator { h1, h2, hv };
ResponseEstimator parse_response_estimator(std::string_view text);
const char* response_estimator_name(ResponseEstimator estimator);

/// One channel over one reference. Phases are the channel's less the reference's.
struct ResponseCurve {
  std::size_t channel = 0;    ///< Index among the channels.
  std::size_t reference = 0;  ///< Index among the references.
  std::vector<std::complex<double>> ratio;
  /// Standard error of the ratio's magnitude over the magnitude; of its phase in radians too. From one
  /// average alone it is not known: NaN.
  std::vector<double> error;
};

/// All ratios of a recording over one grid of frequencies.
struct ResponseSet {
  std::vector<double> frequency_hz;  ///< Ascending, evenly spaced.
  std::vector<std::size_t> references;
  std::vector<ResponseCurve> curves;  ///< For each channel that is no reference, one for each reference.
  /// Share of each channel's power that goes with the references together, 0 to 1: [channel][bin].
  std::vector<std::vector<double>> coherence;
  /// With several references: share that goes with one of them alone, the others' part taken off both:
  /// [channel][reference][bin]; empty for one.
  std::vector<std::vector<std::vector<double>>> partial;
  /// Whether the references have energy in a bin, so that a ratio means something.
  std::vector<bool> driven;
  std::int64_t averages = 0;
  double independent = 1;  ///< Averages that the overlapped ones are worth.
  double rbw_hz = 0;
  /// Sum of squared correlations of a bin with its neighbours: how many bins tell the same.
  double shared = 1;
  double rate_hz = 0;      ///< Of the samples.
  double decay_per_s = 0;  ///< Of an exponential window: what it adds to every mode's decay.
  /// Coherence that noise alone exceeds in one bin of twenty: 1 - 0.05^(1/(n - q)); 1 when it can't be told.
  double significant() const;
  double bin_hz() const { return frequency_hz.size() > 1 ? frequency_hz[1] - frequency_hz[0] : 0; }
  const ResponseCurve* curve_of(std::size_t channel, std::size_t reference) const;
};

/// One reference: the estimator asked for. Several: least squares over all of them (H1 of a vector), Gyx
/// Gxx^-1, and multiple coherence. Bins in which a reference has less than `floor_db` of its strongest bin,
/// or in which several references are one and the same (condition over 1e8), are not driven.
ResponseSet responses_of(const CrossSpectra& spectra, ResponseEstimator estimator, double floor_db = -120);

/// Impulse response, in the ratio's unit per second, at 1 / `rate_hz`: the inverse transform of a ratio from
/// 0 Hz to half the rate. Bins that are not driven count as zero. Empty when the grid is a part of the band.
std::vector<double> impulse_response(const ResponseSet& set, const ResponseCurve& curve);

/// How much later a channel is than its reference, from the phase over frequency, each bin by its coherence.
struct Delay {
  double seconds = 0, std_s = 0;
  double explained = 0;  ///< Share of the coherent bins' weight that a pure delay explains, 0 to 1.
};
/// Nothing where less than a fifth of the driven bins are coherent: the phases of a few tones tell no delay.
std::optional<Delay> delay_of(const ResponseSet& set, const ResponseCurve& curve);

}  // namespace vprism
