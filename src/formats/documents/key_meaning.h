// key_meaning.h: what the keys of attributes and members say, whatever their spelling: "x increment",
// "delta_t", "SamplingFrequency", "dt_us". Case, blanks, underscores and words of where a value belongs to
// ("waveform", "signal", ...) don't matter; a unit may stand at the end of the name or in the value
// ("48 kHz").
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace vprism {

enum class KeyMeaning {
  none,
  rate,
  interval,
  duration,
  start,
  scale,
  offset,
  raw_zero,
  unit,
  name,
  fill,
  gain
};

/// What a key means, and the factor to hertz or seconds that a unit at its end asks for.
KeyMeaning meaning_of_key(std::string_view key, double& factor);

/// "48000", "48 kHz", "1e-5 s": in hertz or seconds where a rate, an interval or a start is meant.
std::optional<double> number_of_key(std::string_view text, KeyMeaning meaning);

/// What an array of times or of frequencies is called. A unit may stand at the end: "t_ms".
bool is_time_key(const std::string& name);
/// That unit, "" where there is none.
std::string time_unit_of_key(const std::string& name);
/// "x", "x_axis": times if its numbers rise evenly and nothing else is.
bool is_abscissa_key(const std::string& name);
bool is_frequency_key(const std::string& name);

}  // namespace vprism
