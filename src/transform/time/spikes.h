// spikes.h: single samples that stand out from both their neighbours, counted as a recording passes.
#pragma once

#include <cstdint>
#include <vector>

#include "signal/block.h"

namespace vprism {

struct Spikes {
  std::int64_t count = 0;
  std::int64_t first = -1;    ///< Sample number of the first one.
  std::int64_t largest = -1;  ///< Sample number of the largest, and how far it stands out.
  double height = 0;
};

/// With d[n] = x[n] - (x[n-1] + x[n+1]) / 2, a lone spike of height h gives d = h there and -h/2 on both
/// sides; an edge gives two of equal size, a short pulse of several samples a broader pattern. A sample is a
/// spike when |d| is over 15 times the mean |d| of its block and both neighbours have -0.25 to -0.8 of it.
class SpikeCounter {
 public:
  explicit SpikeCounter(std::size_t columns) : columns_(columns) {}
  void add(const Block& block);
  std::vector<Spikes> result() const;

 private:
  struct Column {
    Spikes spikes;
    double seam[8] = {};  ///< The last samples of the block before, then the first of this one.
    std::size_t held = 0;
  };
  std::vector<Column> columns_;
};

}  // namespace vprism
