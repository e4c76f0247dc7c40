// response.h: what the command `response` is set to, finds, and tells.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cli/analysis_options.h"
#include "cli/held.h"
#include "cli/input.h"
#include "formats/output_folder.h"
#include "identify/blows.h"
#include "identify/excitation.h"
#include "identify/mode_checks.h"
#include "identify/mode_fit.h"
#include "identify/output_only.h"
#include "identify/response.h"

namespace vprism {

/// What drives the reference, and so how ratios are made.
enum class Excitation {
  automatic,
  noise,      ///< Averages over overlapped, windowed segments.
  blows,      ///< A hammer: one segment for each blow.
  transient,  ///< One transform of the whole record: a sweep or a pulse that dies away within it.
  step,       ///< The same of the differences from sample to sample.
  impulse     ///< No reference: the channels are impulse responses themselves.
};
inline const std::vector<std::string> excitation_names = {"auto",      "noise", "blows",
                                                          "transient", "step",  "impulse"};

struct ResponseSettings {
  SpectrumSettings spectrum;
  std::vector<std::string> references;
  Excitation excitation = Excitation::automatic;
  ResponseEstimator estimator = ResponseEstimator::h1;
  std::optional<Range> span;
  BlowSettings blows;
  ModeSearch search;
  bool output_only = false;
};

/// One resonance with all that speaks for it.
struct KnownMode {
  Mode mode;
  std::size_t strongest = 0;                            ///< Curve on which it stands highest.
  std::vector<double> magnitude, phase_deg, coherence;  ///< Of each curve at its frequency.
  std::optional<ModeReading> peak, half_power;
  std::optional<CircleReading> circle;
  std::vector<std::complex<double>> circle_points;  ///< In the mobility's plane, of the strongest curve.
  std::optional<DecayReading> decay;
  bool narrow = false;  ///< Less than four RBW wide: damping is read too large.
};

struct ResponseResult {
  InputFacts facts;
  Recording recording;
  Excitation excitation = Excitation::noise;
  SpectrumPlan plan;
  Window window;
  CrossSpectra spectra;
  ResponseSet set;
  std::optional<BlowSpectra> blows;  ///< Its spectra moved to `spectra`.
  double low_hz = 0, high_hz = 0;    ///< Where modes were looked for.
  ModeData data;
  ModeFit fit;
  std::vector<KnownMode> modes;
  std::vector<std::optional<Delay>> delays;   ///< Of each curve.
  std::vector<std::vector<double>> impulses;  ///< Of each curve; empty where there is none.
  std::optional<OutputOnly> output_only;

  /// "fork 1 / hammer"; the channel alone where it is no ratio.
  std::string curve_name(const ResponseCurve& curve) const;
  /// Unit of a curve: the channel's over the reference's.
  Unit curve_unit(const ResponseCurve& curve) const;
  const Channel& channel_of(const ResponseCurve& curve) const { return recording.channels[curve.channel]; }
  /// Whether a ratio is more than noise there.
  bool known(const ResponseCurve& curve, std::size_t bin) const;
};

/// Throws Error(usage) for references that are not there, Error(analysis) for what can't be made.
ResponseResult compute_response(Input& input, const ResponseSettings& settings, const Progress& progress);

// response_told.cpp
void tell_response(const ResponseResult& result, const ResponseSettings& settings, Telling& telling);
/// Every ratio, and the densities they are made from, bin by bin.
std::string response_csv(const ResponseResult& result);
std::string densities_csv(const ResponseResult& result);
std::string impulses_csv(const ResponseResult& result);
/// The ratios as a recording over frequency, for write_recording.
Recording response_recording(const ResponseResult& result, std::vector<std::vector<double>>& columns);

// response_figure.cpp
Figure bode_figure(const ResponseResult& result);
Figure nyquist_figure(const ResponseResult& result);
Figure chart_figure(const ResponseResult& result, const ResponseSettings& settings);
Figure output_only_figure(const ResponseResult& result);

}  // namespace vprism
