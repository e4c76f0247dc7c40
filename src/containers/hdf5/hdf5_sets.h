// hdf5_sets.h: the data sets of numbers in an HDF5 file, and which of them are read together.
//
// Every data set is looked at: numbers, truth values, and texts that are dates.
// Those of one dimension that lie in the same group and have the same length, rate and start are the channels
// of one part, named after the group; groups beside each other that hold one data set each, of one name,
// length and rate, are the channels of one part, too. A data set of two dimensions or more is a part of its
// own; along which of them its samples run is settled by array_shape.h. A data set called time or t, or
// frequency, the dimension scale of the HDF5 specification, or what --axis names, holds the axis of its
// group. All is called under `hdf5_lock`.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "containers/hdf5/hdf5_file.h"
#include "formats/arrays/array_shape.h"

namespace vprism {

struct Hdf5Set {
  std::string path;
  std::string member;  ///< Of a table of records, the field; "" for plain numbers.
  std::uint64_t rows = 0, columns = 1;
  ArrayShape shape;               ///< Of its dimensions; those of a table of records are its rows.
  std::vector<Caution> cautions;  ///< On the dimension of the samples, for where it is read.
  bool setting = false;           ///< A single number called as a rate, an interval or a start.
  bool complex = false;
  double interval = 0, start = 0;   ///< By the set's own attributes; 0: it has none.
  std::vector<std::string> scales;  ///< Paths of its dimensions' scales; "" for none.
  std::string scale;                ///< That of the samples' dimension; "".
  bool is_scale = false;            ///< A dimension scale itself.
  bool index = false;               ///< Called index or axis1, and its values rise otherwise than by one.
  bool by_group = false;            ///< Named after its group, which holds nothing else.
  bool dates = false;               ///< Texts, the first of which is a date and a time.
  bool frequencies = false;         ///< Called frequency, and its values rise.
  /// Of several dimensions that have more than one element.
  bool is_array() const { return columns > 1; }
  std::string leaf() const;
  /// The group, or the table, that it lies in.
  std::string folder() const;
};

/// A data set that lies in another file.
struct Hdf5Refused {
  std::string path, file;
};

/// Data sets that are read together.
struct Hdf5Group {
  std::string name;
  std::vector<Hdf5Set> sets;
  std::string stamps;              ///< Path of the axis: times or frequencies; "" for none.
  std::string stamps_member = {};  ///< Its field, where it is a table of records.
  bool stamps_dates = false;       ///< They are texts.
};

/// All of them, in the order of their paths; nothing when the file's groups can't be walked. Those that lie
/// in other files, by external links too, only if these are allowed; the rest of them come into `refused`.
/// `others` gets the paths of data sets with more than one element that are no numbers, or more than 4,096
/// channels of them.
std::optional<std::vector<Hdf5Set>> hdf5_sets(hid_t file, const std::string& file_path,
                                              const ReadSettings& settings, std::vector<Hdf5Refused>& refused,
                                              std::vector<std::string>* others = nullptr);
/// `axis`: the name or path of the stamps, "none", or "" to find them by name.
std::vector<Hdf5Group> group_hdf5_sets(const std::vector<Hdf5Set>& sets, const std::string& axis);

std::string hdf5_folder(const std::string& path);
std::string hdf5_leaf(const std::string& path);
/// Whether a compound type is a complex number: two floats, r and i (or real and imag).
bool hdf5_complex_members(hid_t type, std::string& real, std::string& imaginary);
/// Texts of a data set beside another: one for each of its columns. `names`: as it may be called; its path
/// goes to `used`.
std::vector<std::string> hdf5_texts_beside(hid_t file, const Hdf5Set& set,
                                           const std::vector<std::string>& names,
                                           std::vector<std::string>& used);
/// A list of texts among the attributes names the columns of a table; empty when there is none.
std::vector<std::string> hdf5_column_titles(hid_t set, std::uint64_t columns);
/// The texts of the first of these attributes that has one for each column.
std::vector<std::string> hdf5_column_texts(hid_t set, std::uint64_t columns,
                                           std::initializer_list<const char*> attributes);

}  // namespace vprism
