// response.h: what the command `response` is set to, finds, and tells.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands/response/transfer_response.h"
#include "commands/response/transmission_report.h"
#include "commands/shared/held.h"
#include "commands/shared/input.h"
#include "formats/files/output_folder.h"
#include "frame/analysis_options.h"
#include "identify/modes/mode_checks.h"
#include "identify/modes/mode_fit.h"
#include "identify/modes/output_only.h"
#include "identify/modes/record_spectra.h"
#include "identify/responses/blows.h"
#include "identify/responses/excitation.h"
#include "identify/responses/response.h"

namespace vprism {

struct ResponseSettings {
  SpectrumSettings spectrum;
  std::vector<std::string> references;
  Excitation excitation = Excitation::automatic;
  ResponseEstimator estimator = ResponseEstimator::h1;
  std::optional<Range> span;
  BlowSettings blows;
  ModeSearch search;
  bool output_only = false;
  bool resonances = true;  ///< Sought.
  TransferSettings transfer;
  std::string reference_file;         ///< Recorded without the sample.
  std::optional<double> thickness_m;  ///< Of a slab.
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
  bool narrow = false;          ///< Less than four RBW wide: the window flattens its top in the curves.
  std::size_t record_bins = 0;  ///< Of the whole record that it was fitted on; 0: from the ratios alone.
};

struct ResponseResult {
  InputFacts facts;
  Recording recording;
  Recognised excitation;
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
  std::optional<TransmissionResult> transmission;  ///< Over another recording: then nothing else is set.
  std::optional<StoredResponse> stored;  ///< Of a file that holds spectra: then nothing else is set.

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

// commands/response/modes.cpp
/// Resonances of the ratios, refined on the whole record where there is one, and checked one by one.
void find_modes(ResponseResult& result, const ResponseSettings& settings, RecordSpectra* record);

// commands/response/report.cpp
void report_response(const ResponseResult& result, const ResponseSettings& settings, Delivery& delivery);
/// Every ratio, and the densities they are made from, bin by bin.
std::string response_csv(const ResponseResult& result, bool unwrapped);
/// Degrees along a curve, from -180 to 180 or going on; turns are counted over what is known.
class PhaseAlong {
 public:
  explicit PhaseAlong(bool unwrapped) : unwrapped_(unwrapped) {}
  double next(std::complex<double> value, bool known);

 private:
  bool unwrapped_, begun_ = false;
  double last_ = 0;
};
/// A ratio where it is known, with its errors.
NamedTransfer measured_transfer(const ResponseResult& result, const ResponseCurve& curve);
std::string densities_csv(const ResponseResult& result);
std::string impulses_csv(const ResponseResult& result);
/// The ratios as a recording over frequency, for write_recording.
Recording response_recording(const ResponseResult& result, std::vector<std::vector<double>>& columns);

// commands/response/figure.cpp
Figure bode_figure(const ResponseResult& result, bool unwrapped);
Figure nyquist_figure(const ResponseResult& result);
Figure chart_figure(const ResponseResult& result, const ResponseSettings& settings);
Figure output_only_figure(const ResponseResult& result);

/// What a reader of a response is to know before he trusts it, as cautions of its recording.
void warn_of_response(ResponseResult& result);

}  // namespace vprism
