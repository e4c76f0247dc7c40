// hdf5_columns.h: the data sets of a part as columns of numbers: names, units, scales, and their samples.
#pragma once

#include <limits>
#include <string>
#include <vector>

#include "containers/hdf5/hdf5_sets.h"
#include "formats/format.h"

namespace vprism {

struct Hdf5Column {
  Hdf5Set set;
  Hdf5Handle data;
  Hdf5Handle part[2];                                      ///< Memory types of real and imaginary part.
  double scale = 1, offset = 0, raw_zero = 0;              ///< Channel: (stored - raw_zero) scale + offset.
  double fill = std::numeric_limits<double>::quiet_NaN();  ///< Stored for a number that is missing.
  std::size_t field = 0,
              fields = 0;  ///< Of a table of records: which of those that are read at once; 0: none.
};

/// One field of a record, or several, in memory: as doubles, or another type of 8 bytes.
Hdf5Handle hdf5_field_type(const std::vector<std::string>& members, hid_t number = H5T_NATIVE_DOUBLE);

class Hdf5Columns {
 public:
  /// Opens the group's sets and gives `recording` their channels, with cautions on units and scales. `own`:
  /// in our layout. Throws Error(input). Called under `hdf5_lock`, as all of it.
  void open(hid_t file, const Hdf5Group& group, Recording& recording,
            const std::vector<std::string>& allowed_outside, std::uint64_t file_bytes, bool own);
  /// Samples from `at` on into the block, real and, of complex recordings, imaginary parts; whether any is
  /// missing.
  bool read(Block& block, std::int64_t at, std::size_t count, const Recording& recording);
  /// Paths of the texts that gave names and units.
  const std::vector<std::string>& texts_used() const { return texts_used_; }
  hid_t front() const { return columns_.front().data.get(); }
  void close() { columns_.clear(); }

 private:
  Channel channel_of(const Hdf5Column& column, const std::vector<std::string>& titles, std::uint64_t k,
                     Recording& recording) const;
  /// What integers stand for, and what stands for a missing number, by the set's attributes.
  void take_scale(Hdf5Column& column, hid_t folder, Recording& recording) const;
  static std::vector<std::string> unit_of_field(hid_t set, const std::string& member);
  void read_set(const Hdf5Column& column, int part, std::int64_t at, std::size_t count,
                const std::string& file);

  std::vector<Hdf5Column> columns_;
  std::vector<double> buffer_;
  std::vector<std::string> texts_used_;
  bool own_ = false;
};

[[noreturn]] void refuse_damaged_set(const std::string& file, const std::string& path);

}  // namespace vprism
