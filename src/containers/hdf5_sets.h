// hdf5_sets.h: the data sets of numbers in an HDF5 file, and which of them are read together.
//
// Every numeric data set of one or two dimensions is looked at. Those of one dimension that lie in the same
// group and have the same length, rate and start are the channels of one part, named after the group; a data
// set of two dimensions is a part of its own, its longer dimension being time. A data set called time or t,
// or frequency, the dimension scale of the HDF5 specification, or what --axis names, holds the axis of its
// group. All is called under `hdf5_lock`.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "containers/hdf5_file.h"

namespace vprism {

struct Hdf5Set {
  std::string path;
  std::uint64_t rows = 0, columns = 1;
  bool two_dimensional = false, transposed = false;  ///< Transposed: [channel][time].
  bool complex = false;
  double interval = 0, start = 0;  ///< By the set's own attributes; 0: it has none.
  std::string scale;               ///< Path of the dimension scale of its longer (or timed) dimension; "".
  bool is_scale = false;           ///< A dimension scale itself.
  bool frequencies = false;        ///< Called frequency, and its values rise.
};

/// A data set that lies in another file.
struct Hdf5Refused {
  std::string path, file;
};

/// Data sets that are read together.
struct Hdf5Group {
  std::string name;
  std::vector<Hdf5Set> sets;
  std::string stamps;  ///< Path of the axis: times or frequencies; "" for none.
};

/// All of them, in the order of their paths; nothing when the file's groups can't be walked. Those that lie
/// in other files, by external links too, only if these are allowed; the rest of them come into `refused`.
std::optional<std::vector<Hdf5Set>> hdf5_sets(hid_t file, const std::string& file_path,
                                              const std::vector<std::string>& allowed_outside,
                                              std::vector<Hdf5Refused>& refused);
/// `axis`: the name or path of the stamps, "none", or "" to find them by name.
std::vector<Hdf5Group> group_hdf5_sets(const std::vector<Hdf5Set>& sets, const std::string& axis);

/// "frequency", "freq", ...
bool is_frequency_name(const std::string& leaf);
std::string hdf5_folder(const std::string& path);
std::string hdf5_leaf(const std::string& path);
/// Whether a compound type is a complex number: two floats, r and i (or real and imag).
bool hdf5_complex_members(hid_t type, std::string& real, std::string& imaginary);
/// A list of texts among the attributes names the columns of a table; empty when there is none.
std::vector<std::string> hdf5_column_titles(hid_t set, std::uint64_t columns);

}  // namespace vprism
