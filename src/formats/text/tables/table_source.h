// table_source.h: a recording whose file had to be read whole: its columns in memory.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

/// Columns of one length; of complex ones, real parts, then imaginary ones.
struct TableInMemory {
  std::vector<Channel> channels;
  std::vector<std::vector<double>> columns;  ///< NaN where a number is missing.
  bool complex = false;
  std::vector<double> axis;  ///< Times in seconds or frequencies in hertz; empty without.
  std::string axis_name, axis_source;
  bool frequencies = false;
  std::optional<std::int64_t> zero_ns;  ///< The instant of time 0.
  double interval_s = 0, start_s = 0;   ///< What the file says beside them; 0: nothing.
  std::string interval_source;
  std::vector<Caution> cautions;
  std::size_t length() const { return columns.empty() ? 0 : columns.front().size(); }
};

std::unique_ptr<SampleSource> open_table(Recording recording, TableInMemory table,
                                         const ReadSettings& settings);

}  // namespace vprism
