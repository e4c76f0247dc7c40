// rawfile_plot.h: the header of one plot of a rawfile, see rawfile.cpp.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "formats/files/input_file.h"
#include "signal/recording.h"

namespace vprism {

struct RawPlot {
  std::string title, name, flags;
  std::vector<Channel> variables;
  std::vector<std::string> types;
  std::uint64_t points = 0, variable_count = 0;
  std::uint64_t data = 0;  ///< Offset.
  std::size_t point_bytes = 0;
  bool complex = false, text = false, single = false;
  std::string run;  ///< "run 2" of a stepped plot.
};

bool begins_plot(const InputFile& file, std::uint64_t at);
/// Throws Error(input).
[[noreturn]] void damaged_rawfile(const InputFile& file, const std::string& what);
/// Reads the header of the plot at `at`. False at the end of the file.
bool read_plot(const InputFile& file, std::uint64_t at, RawPlot& plot);

}  // namespace vprism
