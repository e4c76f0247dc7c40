// field_source.h: the source behind every format whose samples lie at regular places in a file.
#pragma once

#include <optional>
#include <vector>

#include "formats/arrays/number_type.h"
#include "formats/files/input_file.h"
#include "formats/format.h"
#include "signal/stamps.h"

namespace vprism {

/// Sample n of a column is the number of `type` at byte offset + n * stride, times factor plus add. A stored
/// number equal to `missing` stands for a sample that is not there.
struct Field {
  const NumberType* type = nullptr;
  std::uint64_t offset = 0, stride = 0;
  double factor = 1, add = 0;
  std::optional<double> missing{};
  unsigned bit = 64;                   ///< Below 64: only this bit of an integer, as 0 or 1.
  std::optional<std::int64_t> base{};  ///< Of integers of 64 bits: their distance from this one is taken.
};

struct FieldLayout {
  std::vector<Field> columns;  ///< As many as a block of the recording has: real parts, then imaginary ones.
  std::optional<Field> stamps;
  double stamp_resolution = 0;  ///< Least step the stamps can tell apart, in the axis's unit.
  double stamp_first = 0,
         stamp_unit = 0;               ///< Taken off them, and then what one is in seconds; 0: nothing to do.
  bool stamps_are_magnitudes = false;  ///< A sign before a stamp means something else and is dropped.
};

class FieldSource : public SampleSource {
 public:
  /// `recording` has its samples counted, and its axis if there are no stamps; `file_interval` and
  /// `file_source` are what the header says of the interval (0: nothing). Throws Error(input) when the file
  /// is too short for what the layout promises.
  FieldSource(InputFile file, Recording recording, FieldLayout layout, const ReadSettings& settings,
              double file_interval, const std::string& file_source);
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override;
  void rewind() override { at_ = 0; }
  std::int64_t seek(std::int64_t sample) override { return at_ = block_start(sample); }
  void resolve() override;
  bool carries_stamps() const override { return layout_.stamps.has_value(); }

 private:
  /// Columns that lie in the same frames and are fetched together.
  struct Cluster {
    std::uint64_t offset = 0, stride = 0, extent = 0;
    std::vector<std::size_t> columns;  ///< SIZE_MAX: the stamps.
  };
  void decode(const Field& field, const char* from, std::size_t count, double* to, bool& gaps) const;
  /// Rows of a cluster, that lie in the buffer, into the block from row `at` on; whether any is missing.
  bool take_apart(const Cluster& cluster, std::size_t rows, std::size_t at, Block& block) const;
  void take_stamps(std::span<double> stamps);

  InputFile file_;
  Recording recording_;
  FieldLayout layout_;
  ReadSettings settings_;
  double file_interval_;
  std::string file_source_;
  std::vector<Cluster> clusters_;
  std::vector<char> buffer_;
  std::int64_t at_ = 0;
  StampJudge judge_;
  bool settled_ = false;
};

}  // namespace vprism
