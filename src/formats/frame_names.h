// frame_names.h: which number in the files' names counts the frames of a recording of many points.
#pragma once

#include <string>
#include <vector>

#include "signal/recording.h"

namespace vprism {

struct FrameFile {
  double number = 0;
  std::string path;
};

/// Files that are the frames of one recording, in their order.
struct FrameSeries {
  std::vector<FrameFile> files;
  double step = 1;          ///< That most numbers are apart.
  std::int64_t frames = 0;  ///< From the first number to the last.
  std::vector<Part> parts;  ///< Where the names hold several recordings: "camera 1", ...
  std::size_t part = 0;
  std::vector<Caution> cautions;
};

/// Of names that are alike but for their numbers, the number that takes most values counts; those of the
/// other numbers that change are parts. `asked`: a part by name or number from 1, "" for the first. Names of
/// another likeness are left out, with a caution. Throws Error(input), beginning with `folder`.
FrameSeries frame_series(const std::string& folder, const std::vector<std::string>& paths,
                         const std::string& asked);

}  // namespace vprism
