// npy.h: what an archive of NPY arrays shares with an array of its own.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "formats/format.h"
#include "formats/input_file.h"
#include "signal/source.h"

namespace vprism {

inline constexpr std::string_view npy_magic = "\x93NUMPY";

/// "1000 x 2 numbers", from the array's first bytes. Throws Error(input) when its header is none.
std::string npy_shape(const std::string& file, const std::string& bytes);
/// The array that `file` begins with; `recording` says where it came from. Throws Error(input).
std::unique_ptr<SampleSource> open_npy_array(InputFile file, Recording recording,
                                             const ReadSettings& settings);

}  // namespace vprism
