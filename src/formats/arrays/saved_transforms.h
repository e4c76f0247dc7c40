// saved_transforms.h: the transforms of all points of a recording, kept in HDF5 so that other questions need
// neither the recording nor the transforms again.
//
// /transforms [point][variable][2 x bins], /rms [variable][point], /mean_square_in_time [variable][frame],
// /coordinates [point][3], /labels [point]: doubles. The attribute "about" of /transforms is JSON: what they
// were made from.
#pragma once

#include <memory>
#include <span>
#include <string>

#include "formats/format.h"
#include "signal/points.h"

namespace vprism {

class SavedTransformsWriter {
 public:
  /// `made_from`: points, variables, frames and rate as they are to be kept; `digest` of its file.
  SavedTransformsWriter(std::string path, const PointRecording& made_from, const std::string& window,
                        const std::string& digest);
  ~SavedTransformsWriter();
  SavedTransformsWriter(const SavedTransformsWriter&) = delete;
  SavedTransformsWriter& operator=(const SavedTransformsWriter&) = delete;
  const std::string& window() const { return window_; }
  /// Points first .. first + count - 1, as PointSource::read gives them.
  void add(std::size_t first, std::size_t count, std::span<const double> values);
  void finish(const std::vector<std::vector<double>>& rms,
              const std::vector<std::vector<double>>& mean_square_in_time);

 private:
  void put(std::uint64_t offset, std::span<const double> values);
  std::string path_, window_;
  int descriptor_ = -1;
  std::uint64_t transforms_ = 0, rms_ = 0, in_time_ = 0;
  std::size_t each_ = 0;
};

/// Null where the file holds none. Throws Error(input) when they are damaged.
std::unique_ptr<PointSource> open_saved_transforms(const FileHead& head);

}  // namespace vprism
