// option_groups.h: the options that commands share, declared once.
#pragma once

#include "condition/chain.h"
#include "formats/format.h"
#include "frame/options.h"
#include "signal/axis_scale.h"
#include "signal/missing_marks.h"

namespace vprism {

/// One of `names`; its index. Throws Error(usage) with the nearest.
std::size_t choice(const std::string& what, const std::string& text, const std::vector<std::string>& names);

struct InputSettings {
  ReadSettings read;
  std::vector<std::string> channels;
  std::vector<std::string> also;  ///< Channels that a command needs beside those: its reference, its trigger.
  std::vector<std::string> calibrations;
  std::vector<std::string> units;
  std::vector<std::string> computes;
  std::string chain;
  std::optional<Range> gate;
  std::optional<AxisScale> axis_scale;
  MissingMarks missing_marks;
  enum class Join { no, channels, time };
  Join join = Join::no;

  /// calibrate, convert units, compute channels, then the chain, then the gate. Throws Error(usage).
  Chain make_chain() const;
  std::vector<CalibrationRule> rules() const;
  /// Patterns of all channels that are to be read; empty for all of them.
  std::vector<std::string> wanted_channels() const;
};
OptionGroup input_group(InputSettings& settings);
/// Units and calibrations of a `thing`: "channel", "variable".
Option unit_option(InputSettings& settings, const std::string& thing);
Option calibrate_option(InputSettings& settings, const std::string& thing);

struct OutputSettings {
  std::string folder = "vprism-out";
  bool folder_given = false;
  bool to_stdout = false;  ///< What is written goes to standard output: one file, or the document.
  bool json = false;
  std::optional<Picture> figure = Picture::png;
  bool figures_as_text = false;  ///< Shown with the table instead.
  bool force = false;
  std::size_t threads = 0;  ///< 0: all cores.
  bool quiet = false;
  std::string progress = "auto";

  bool wants_figures() const { return figure.has_value() || figures_as_text; }
  /// With --json alone the document is all that was asked for, and nothing is written.
  bool writes_files() const { return folder_given || !(json || to_stdout); }
};
OptionGroup output_group(OutputSettings& settings);

}  // namespace vprism
