// hdf5_stamps.h: the data set that holds the times, or frequencies, of a part: numbers, whole counts, or
// texts that are dates.
#pragma once

#include <span>

#include "containers/hdf5/hdf5_sets.h"
#include "signal/recording.h"

namespace vprism {

/// All is called under `hdf5_lock`.
class Hdf5Stamps {
 public:
  /// Nothing where the group has none.
  void open(hid_t file, const Hdf5Group& group, const std::string& file_path,
            const std::vector<std::string>& allowed_outside);
  void close();
  explicit operator bool() const { return static_cast<bool>(set_); }

  /// What the numbers count: seconds unless the set's unit, its name or their size says otherwise. Gives
  /// `recording` its axis and the instant of time 0.
  void describe(Recording& recording);
  /// From `at` on, in seconds or hertz; counts since a date are distances from the first, of which no digit
  /// is lost. Throws Error(input).
  void read(std::int64_t at, std::span<double> to);
  /// How finely they are stored, in the axis's unit.
  double resolution() const { return resolution_; }

 private:
  void read_raw(std::int64_t at, std::size_t count, hid_t number, void* to);
  void read_dates(std::int64_t at, std::span<double> to);
  void count_from_first(Recording& recording, std::int64_t zero);
  void find_resolution(std::int64_t samples);

  Hdf5Handle set_;
  std::string file_path_, path_, member_;
  bool dates_ = false, whole_ = false,
       single_ = false;  ///< Whole: integers of 64 bits; single: floats of 32.
  std::int64_t base_ = 0, zero_ns_ = 0;
  double first_ = 0, factor_ = 1, resolution_ = 0;
};

}  // namespace vprism
