// spectrum.h: averaged spectra of the channels of a recording, and their peaks.
#pragma once

#include "base/text.h"
#include "cli/input.h"
#include "identify/finding.h"
#include "identify/peaks.h"

namespace vprism {

struct SpectrumTaskSettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
};

struct ChannelSpectrum {
  Channel channel;
  Spectrum spectrum;
  std::vector<double> floor;
  std::vector<Peak> peaks;  ///< Within the span, strongest first, as many as were asked for.
};

struct SpectrumResult {
  InputFacts facts;
  std::vector<ChannelSpectrum> channels;
  std::vector<Caution> cautions;
};

SpectrumResult compute_spectrum(Input& input, const AnalysisSettings& settings, const Progress& progress);

/// "hann, segment 2048, 50% overlap, 7 averages, bin 500 mHz, RBW 750 mHz"
std::string plan_text(const Spectrum& spectrum, double overlap);
TextTable peak_table(const ChannelSpectrum& channel, const AnalysisSettings& settings);
Json spectrum_json(const SpectrumResult& result, const AnalysisSettings& settings);
Figure spectrum_figure(const SpectrumResult& result, const AnalysisSettings& settings);
/// Frequency and one level column per channel.
std::string spectrum_csv(const SpectrumResult& result, const AnalysisSettings& settings);

}  // namespace vprism
