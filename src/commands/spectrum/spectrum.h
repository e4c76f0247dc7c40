// spectrum.h: averaged spectra of the channels of a recording, and their peaks.
#pragma once

#include "base/text.h"
#include "commands/shared/input.h"
#include "commands/shared/stored_spectrum.h"
#include "frame/analysis_options.h"
#include "identify/findings/finding.h"
#include "identify/lines/peaks.h"
#include "transform/bands/bands.h"
#include "transform/spectra/cross.h"

namespace vprism {

struct SpectrumTaskSettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
};

struct ChannelSpectrum {
  Channel channel;
  Spectrum spectrum;               ///< That lines are fitted to.
  std::vector<double> floor = {};  ///< Noise power in each of its bins.
  std::vector<Peak> peaks = {};    ///< Within the span, strongest first, as many as were asked for.
  std::optional<Range> span = {};
  std::optional<Spectrum> shown = {};   ///< Padded or by tapers: what is drawn and written instead.
  std::vector<Spectrum> compared = {};  ///< By other windows.
  std::vector<BandLevel> bands = {};
  std::vector<double> phase_deg = {};  ///< Of each bin of `spectrum` to the reference channel.
  std::vector<double> coherence = {};  ///< With that channel.
  std::string no_data = {};            ///< Why there is nothing to see: levels are then not numbers.

  const Spectrum& curve() const { return shown ? *shown : spectrum; }
  /// As the curve has it: a density is that of its own resolution.
  double peak_level(const Peak& peak, Scale scale) const { return peak.level(scale, curve().plan); }
};

struct SpectrumResult {
  InputFacts facts;
  std::vector<ChannelSpectrum> channels;
  std::vector<Caution> cautions;
};

SpectrumResult compute_spectrum(Input& input, const AnalysisSettings& settings, const Progress& progress);

/// The bands that --bands asks for, for a spectrum. Throws Error(usage).
std::vector<BandEdges> bands_asked(const std::string& text, const Spectrum& spectrum,
                                   int* fraction = nullptr);
/// The same between two frequencies; octave bands from `lowest_octave_hz` on.
std::vector<BandEdges> bands_asked(const std::string& text, double low_hz, double high_hz,
                                   double lowest_octave_hz, int* fraction = nullptr);

/// A level as it is shown: in the scale's unit, or in dB.
struct Shown {
  const AnalysisSettings& settings;
  bool amplitude() const { return scale_entry(settings.scale).amplitude; }
  double value(double level) const;
  std::string unit(const Unit& unit) const;
};

/// A phase at the record's start, told for another time and brought to -180 .. 180.
double phase_at(double start_deg, double hz, double later_s);
/// Phase of a bin as it is asked for: at a time, or to the reference channel.
double phase_shown(const ChannelSpectrum& channel, std::size_t bin, const AnalysisSettings& settings,
                   double start_s);
/// "hann, segment 2048, 50% overlap, 7 averages, bin 500 mHz, RBW 750 mHz"
std::string plan_text(const Spectrum& spectrum, double overlap);
TextTable peak_table(const ChannelSpectrum& channel, const AnalysisSettings& settings);
TextTable band_table(const ChannelSpectrum& channel, const AnalysisSettings& settings);
Json spectrum_json(const SpectrumResult& result, const AnalysisSettings& settings);
/// Frequency and one level column per channel; channels with other frequencies follow below each other.
/// Written row by row; throws Error(output).
void write_spectrum_csv(const SpectrumResult& result, const AnalysisSettings& settings,
                        const std::string& path);

/// Level over frequency of one channel, its peaks marked.
Panel level_panel(const SpectrumResult& result, std::size_t channel, const AnalysisSettings& settings);
Figure spectrum_figure(const SpectrumResult& result, const AnalysisSettings& settings);
/// All channels of all recordings, one panel per unit; spectra from files as they stand there.
Figure overlaid_figure(const std::vector<SpectrumResult>& results, const std::vector<StoredSpectrum>& stored,
                       const AnalysisSettings& settings);

}  // namespace vprism
