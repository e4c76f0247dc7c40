// comtrade_configuration.h: the .cfg of a COMTRADE recording, see comtrade.cpp.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "signal/recording.h"

namespace vprism {

struct ComtradeAnalogue {
  double a = 1, b = 0;
  double skew_s = 0;  ///< It is sampled so much later.
};

struct ComtradeConfiguration {
  std::vector<ComtradeAnalogue> analogue;
  std::size_t status = 0;
  double rate = 0;  ///< 0: times are in the data.
  std::uint64_t samples = 0;
  bool several_rates = false;
  std::string type;
  double stamp_factor = 1e-6;
  std::int64_t start_ns = 0, trigger_ns = 0;
  bool dated = false;
};

/// `recording` gets channels and start; `primary`: values as on the primary side. Throws Error(input) where
/// it is damaged, with the line.
ComtradeConfiguration parse_comtrade_configuration(const std::string& name, const std::string& text,
                                                   Recording& recording, bool primary);

}  // namespace vprism
