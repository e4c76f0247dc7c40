// hdf5_meaning.h: what attributes say, by the keys of formats/documents/key_meaning.h. All is called under
// `hdf5_lock`.
#pragma once

#include <optional>
#include <string>

#include "containers/hdf5/hdf5_file.h"
#include "formats/documents/key_meaning.h"

namespace vprism {

using Hdf5Meaning = KeyMeaning;

struct Hdf5Said {
  std::string key;  ///< As it is written.
  double value = 0;
  std::string text;
};

/// The object's attribute of that meaning: a number, or a text that begins with one, in hertz or seconds
/// where it is a rate, an interval or a start; the text itself for names and units. The first where there are
/// several.
std::optional<Hdf5Said> hdf5_said(hid_t object, Hdf5Meaning meaning);

/// The same of a group, of those it lies in, up to the root, and of groups beside these that hold nothing but
/// attributes ("/metadata"); the nearest.
std::optional<Hdf5Said> hdf5_said_around(hid_t file, std::string group, Hdf5Meaning meaning);

/// Path of the data set that is the first dimension's scale, by the HDF5 dimension scales specification.
std::string hdf5_dimension_scale(hid_t set, unsigned dimension);

}  // namespace vprism
