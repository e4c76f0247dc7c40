// flat_binary.h: how plain numbers lie, as `--binary TYPE[:Nch][:sequential][:skip=N]` says.
#pragma once

#include <cstdint>
#include <string>

#include "formats/arrays/number_type.h"

namespace vprism {

struct BinaryLayout {
  const NumberType* type = nullptr;
  std::size_t channels = 1;
  bool sequential = false;  ///< All numbers of a channel, then those of the next; else frame after frame.
  std::uint64_t skip = 0;   ///< Bytes at the head that are left out.
};

/// Throws Error(usage).
BinaryLayout parse_binary_layout(const std::string& text);

}  // namespace vprism
