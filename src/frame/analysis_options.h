// analysis_options.h: how spectra are asked for.
#pragma once

#include "frame/options.h"
#include "identify/lines/peaks.h"
#include "signal/recording.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// "10Hz..5kHz", "10Hz..5kHz @ 2Hz", "clk1: 143MHz..149MHz @ 10kHz".
struct SpanRule {
  std::string channel = "*";  ///< Name, number or glob.
  Range range;
  std::optional<double> resolution_hz;
  std::string text;
};
/// Throws Error(usage).
SpanRule parse_span(const std::string& text);

struct AnalysisSettings {
  SpectrumSettings spectrum;
  bool window_chosen = false;    ///< By the user.
  std::vector<Window> compared;  ///< Further windows, each a curve of its own.
  Scale scale = Scale::rms;
  std::optional<double> decibel_reference;  ///< Levels in dB re this where set.
  std::vector<SpanRule> spans;
  std::size_t peaks = 10;
  PeakSettings search;
  /// Time on the record's axis that phases are told for, and shown in figure and CSV; its start, where open.
  std::optional<double> phase_at_s;

  // Of the command `spectrum` alone.
  bool by_stamps = false;       ///< Least squares at the stamps.
  std::string phase_reference;  ///< Channel that phases are relative to; "" for none.
  std::string derived;          ///< "displacement", "velocity", "acceleration"; "" as it is.
  std::optional<double> confidence;
  std::string bands;              ///< "octave", "third", "1/12", or ranges.
  std::optional<double> slide_s;  ///< Step of the gate.
  bool overlay = false, trace = false;
  std::optional<bool> frequency_logarithmic, level_logarithmic;

  bool shows_phase() const { return phase_at_s || !phase_reference.empty(); }
  /// The rule for a channel: the last that names it.
  const SpanRule* span_of(const Recording& recording, std::size_t channel) const;
};

/// What survey, condition and spectrum share, but for those options that would do nothing in a command.
OptionGroup analysis_group(AnalysisSettings& settings, const std::vector<std::string>& without = {});
/// What only the command `spectrum` has.
OptionGroup spectrum_group(AnalysisSettings& settings);

/// Whether an axis of a figure is logarithmic.
Option axis_option(const char* name, const char* what, std::optional<bool>& target);

}  // namespace vprism
