// npy.h: what an archive of NPY arrays shares with an array of its own.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/files/input_file.h"
#include "formats/format.h"
#include "signal/source.h"

namespace vprism {

inline constexpr std::string_view npy_magic = "\x93NUMPY";

/// "1000 x 2 numbers", from the array's first bytes. Throws Error(input) when its header is none.
std::string npy_shape(const std::string& file, const std::string& bytes);
/// What an array's first bytes say. Throws Error(input) when its header is none.
struct NpyFacts {
  std::vector<std::uint64_t> shape;       ///< Without dimensions of one element: empty for a single number.
  std::vector<std::uint64_t> dimensions;  ///< All of them.
  bool complex = false, table = false;
  std::optional<double> number;  ///< Of a single one.
  bool rises = false;            ///< Of one dimension: each of the numbers in those bytes is above the last,
  bool evenly = false;           ///< and by the usual step.
};
NpyFacts npy_facts(const std::string& file, const std::string& bytes);

/// One of several arrays that stand one behind the other in a file.
struct NpyPlace {
  std::string name;
  std::uint64_t at = 0;
  std::vector<std::string> titles = {};  ///< Of its columns, if they are as many.
};
/// The elements of an array of texts of up to one dimension, from its first bytes; none where it is no such
/// array, or goes on behind them.
std::vector<std::string> npy_texts(const std::string& file, const std::string& bytes);
/// Arrays of as many samples as one recording: each of one dimension is a channel, and each place in the
/// other dimensions of those of more; the one called `stamps` ("": none) holds the times, or frequencies in
/// hertz if `frequencies`. All real, or all complex. `interval_s` (0: not known) comes from
/// `interval_source`. Throws Error(input).
std::unique_ptr<SampleSource> open_npy_together(InputFile file, const std::vector<NpyPlace>& places,
                                                const std::string& stamps, Recording recording,
                                                const ReadSettings& settings, double interval_s,
                                                const std::string& interval_source, bool frequencies = false);

/// The array that `file` begins with; `recording` says where it came from. Throws Error(input).
std::unique_ptr<SampleSource> open_npy_array(InputFile file, Recording recording,
                                             const ReadSettings& settings, double interval_s = 0,
                                             const std::string& interval_source = "");

}  // namespace vprism
