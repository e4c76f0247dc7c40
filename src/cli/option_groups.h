// option_groups.h: the options that commands share, declared once.
#pragma once

#include "cli/options.h"
#include "condition/chain.h"
#include "formats/format.h"
#include "signal/axis_scale.h"
#include "transform/spectrum.h"

namespace vprism {

struct InputSettings {
  ReadSettings read;
  std::vector<std::string> channels;
  std::vector<std::string> calibrations;
  std::vector<std::string> units;
  std::string chain;
  std::optional<Range> gate;
  std::optional<AxisScale> axis_scale;
  enum class Join { no, channels, time };
  Join join = Join::no;

  /// calibrate, convert units, then the chain, then the gate. Throws Error(usage).
  Chain make_chain() const;
  std::vector<CalibrationRule> rules() const;
};
OptionGroup input_group(InputSettings& settings);

struct AnalysisSettings {
  SpectrumSettings spectrum;
  Scale scale = Scale::rms;
  std::optional<double> decibel_reference;  ///< Levels in dB re this where set.
  std::optional<Range> span;
  std::size_t peaks = 10;
  /// Time on the record's axis that phases are told for, and shown in figure and CSV; its start, where open.
  std::optional<double> phase_at_s;
};
OptionGroup analysis_group(AnalysisSettings& settings);

struct OutputSettings {
  std::string folder = "vprism-out";
  bool folder_given = false;
  bool json = false;
  std::optional<Picture> figure = Picture::png;
  bool force = false;
  std::size_t threads = 0;  ///< 0: all cores.
  bool quiet = false;
  std::string progress = "auto";

  /// With --json alone the document is all that was asked for, and nothing is written.
  bool writes_files() const { return folder_given || !json; }
};
OptionGroup output_group(OutputSettings& settings);

}  // namespace vprism
