// hdf5_meaning.h: what attributes say, whatever their spelling: "x increment", "delta_t",
// "SamplingFrequency", "dt_us". Case, blanks, underscores and words of where a value belongs to ("waveform",
// "signal", ...) don't matter; a unit may stand at the end of the name or in the value ("48 kHz"). All is
// called under `hdf5_lock`.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "containers/hdf5_file.h"

namespace vprism {

enum class Hdf5Meaning { none, rate, interval, start, scale, offset, raw_zero, unit, name, fill };

struct Hdf5Said {
  std::string key;  ///< As it is written.
  double value = 0;
  std::string text;
};

/// What a key means, and the factor to hertz or seconds that a unit at its end asks for.
Hdf5Meaning meaning_of_key(std::string_view key, double& factor);

/// The object's attribute of that meaning: a number, or a text that begins with one, in hertz or seconds
/// where it is a rate, an interval or a start; the text itself for names and units. The first where there are
/// several.
std::optional<Hdf5Said> hdf5_said(hid_t object, Hdf5Meaning meaning);

/// Path of the data set that is the first dimension's scale, by the HDF5 dimension scales specification.
std::string hdf5_dimension_scale(hid_t set, unsigned dimension);

}  // namespace vprism
