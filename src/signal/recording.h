// recording.h: what one imported file holds, besides its samples: channels, axis, origin, cautions.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/units/unit.h"

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
  std::string quantity{};  ///< "voltage", "acceleration", ... as far as the unit tells; else "".
  double carrier_hz = 0;   ///< Frequency that a complex channel was shifted down from; 0: none.
  std::string point{};     ///< Node and direction of a measuring point, "12+Z"; "" when the file names none.
  /// Of a frequency response: what is divided by what. `unit` is then that of the ratio.
  struct Ratio {
    Unit unit;
    std::string quantity;
    std::string reference_point;
    Unit reference_unit;
    std::string reference_quantity;
  };
  std::optional<Ratio> ratio{};
  std::size_t number = 0;  ///< Its place in the file, from 1, where only some were chosen; 0: as it stands.
};

/// Where samples were taken: nearly always times. Uniform: sample n at start + n * interval. Stamped: each
/// sample has a value of its own, and interval is the mean, (last - first) / (n - 1).
struct Axis {
  enum class Domain { time, frequency, other };
  Domain domain = Domain::time;
  double start = 0;     ///< In seconds, in hertz for a frequency axis, in `unit` for others.
  double interval = 0;  ///< 0: not known.
  bool stamped = false;
  double jitter = 0;   ///< RMS distance of the stamps from the even grid, in intervals; 0 without stamps.
  std::string source;  ///< Where the interval comes from: "time column", "--rate", "file header", ...
  std::string name;    ///< What the file calls the axis, for domains other than time.
  Unit unit = Unit::parse("s");
  double rate_hz() const { return 1.0 / interval; }
};

/// Other recordings that share the file: plots, data sets, groups of channels with a rate of their own.
struct Part {
  std::string name;  ///< For --part; distinct within the file.
  std::string what;  ///< "5 channels, 1203 samples".
};

/// A measuring point of a structure, in metres or whatever the file counts in.
struct Node {
  std::int64_t label = 0;
  double x = 0, y = 0, z = 0;
};

/// More channels than any reader takes from one recording.
inline constexpr std::size_t most_channels = 4096;

struct Recording {
  std::string file;               ///< As given on the command line.
  std::string format;             ///< "delimited text", "WAV, 32 bit float", ...
  std::vector<Channel> channels;  ///< At least one.
  Axis axis;                      ///< interval 0: not known yet, see SampleSource::resolve.
  std::int64_t samples = -1;      ///< Per channel; -1: not known yet.
  bool complex = false;           ///< All channels carry imaginary parts.
  std::vector<Caution> cautions;  ///< What reading found.
  std::vector<std::pair<std::string, std::string>>
      notes;  ///< Keys and values the file carries beside its data.
  std::vector<std::pair<std::string, std::string>>
      layout;               ///< Of text: what each line was taken for, "3" or "5..".
  std::vector<Part> parts;  ///< All that the file holds, if more than one; this is parts[part].
  std::size_t part = 0;
  std::vector<Node> nodes;              ///< Geometry, where the file has it.
  std::optional<std::int64_t> zero_ns;  ///< When time 0 was: nanoseconds since 1970, UTC.

  /// From the first sample to the end of the last one; between first and last stamp where there are stamps.
  double duration_s() const {
    return static_cast<double>(axis.stamped ? samples - 1 : samples) * axis.interval;
  }
  /// File name without folder and ending, fit for output names.
  std::string stem() const;
};

/// Seconds from one time in nanoseconds to another, however far apart.
double seconds_between(std::int64_t from_ns, std::int64_t to_ns);

/// Splits a column or track title into name and unit: "Voltage (mV)", "Voltage [mV]", "Voltage/mV", "Voltage,
/// mV" and "Voltage_mV" give {"Voltage", mV}. A tail that is no unit stays in the name, with an opaque unit
/// in brackets only.
Channel channel_from_title(std::string_view title);

/// Gives channels that share a name (or have none) names of their own: "CH1", "CH1 (2)"; "channel 3".
void make_names_distinct(std::vector<Channel>& channels);

/// "voltage" for V, "acceleration" for m/s^2, ...; "" when the unit names no common quantity.
std::string quantity_of(const Unit& unit);

/// Indices of the channels that `patterns` select, in the recording's order: a name, a number from 1 (that of
/// the file, also where only some channels were chosen), or a glob ("mirror*"). No patterns: all. Throws
/// Error(usage) for one that selects nothing.
std::vector<std::size_t> select_channels(const Recording& recording,
                                         const std::vector<std::string>& patterns);

/// Whether `pattern` with '*' and '?' matches all of `text`, letters of either case alike.
bool glob_matches(std::string_view pattern, std::string_view text);

}  // namespace vprism
