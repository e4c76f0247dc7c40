// recording.h: what one imported file holds, besides its samples: channels, axis, origin, cautions.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/unit.h"

namespace vprism {

enum class Severity { note, warning, serious };
std::string_view severity_name(Severity severity);

/// Something that can make a result wrong, found by the program.
struct Caution {
  std::string code;  ///< Short and stable, for programs: "axis-jitter".
  Severity severity = Severity::warning;
  std::string channel;  ///< "" when it is about the recording.
  std::string text;     ///< The evidence, with its numbers.
  std::string remedy;   ///< What to do.
};

/// One signal. Names and units come from files and are untrusted; they are cleaned (clean_text) when they are
/// read.
struct Channel {
  std::string name;
  Unit unit;
  std::string quantity;  ///< "voltage", "acceleration", ... as far as the unit tells; else "".
};

/// When samples were taken. Uniform: sample n at start_s + n * interval_s. Stamped: each sample has its own
/// time, and interval_s is the mean, (t_last - t_first) / (n - 1).
struct Axis {
  double start_s = 0;
  double interval_s = 0;
  bool stamped = false;
  double jitter = 0;   ///< RMS distance of the stamps from the even grid, in intervals; 0 without stamps.
  std::string source;  ///< Where the interval comes from: "time column", "--rate", "file header", ...
  double rate_hz() const { return 1.0 / interval_s; }
};

struct Recording {
  std::string file;               ///< As given on the command line.
  std::string format;             ///< "delimited text", "WAV, 32 bit float", ...
  std::vector<Channel> channels;  ///< At least one.
  Axis axis;                      ///< interval_s 0: not known yet, see SampleSource::resolve.
  std::int64_t samples = -1;      ///< Per channel; -1: not known yet.
  std::vector<Caution> cautions;  ///< What reading found.
  std::vector<std::pair<std::string, std::string>>
      notes;  ///< Keys and values the file carries beside its data.

  double duration_s() const { return static_cast<double>(samples) * axis.interval_s; }
  /// File name without folder and ending, fit for output names.
  std::string stem() const;
};

/// Splits a column or track title into name and unit: "Voltage (mV)", "Voltage [mV]", "Voltage/mV", "Voltage,
/// mV" and "Voltage_mV" give {"Voltage", mV}. A tail that is no unit stays in the name, with an opaque unit
/// in brackets only.
Channel channel_from_title(std::string_view title);

/// Gives channels that share a name (or have none) names of their own: "CH1", "CH1 (2)"; "channel 3".
void make_names_distinct(std::vector<Channel>& channels);

/// "voltage" for V, "acceleration" for m/s^2, ...; "" when the unit names no common quantity.
std::string quantity_of(const Unit& unit);

/// Indices of the channels that `patterns` select, in the recording's order: a name, a number from 1, or a
/// glob
/// ("mirror*"). No patterns: all. Throws Error(usage) for one that selects nothing.
std::vector<std::size_t> select_channels(const Recording& recording,
                                         const std::vector<std::string>& patterns);

/// Whether `pattern` with '*' and '?' matches all of `text`, letters of either case alike.
bool glob_matches(std::string_view pattern, std::string_view text);

}  // namespace vprism
