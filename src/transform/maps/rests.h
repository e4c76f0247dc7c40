// rests.h: stretches in which a channel's samples are exactly alike, although they differ elsewhere: a
// converter or a link that stood still.
#pragma once

#include <cstdint>
#include <vector>

#include "signal/block.h"

namespace vprism {

struct Rests {
  std::int64_t samples = 0;            ///< Looked at.
  std::int64_t runs = 0;               ///< Of `least_rest` and more samples that are alike,
  std::int64_t resting = 0;            ///< and the samples in them.
  std::int64_t alike = 0;              ///< Samples outside them that equal the one before.
  std::int64_t longest = 0, from = 0;  ///< The longest run, and its first sample.
  double value = 0;
};
constexpr std::int64_t least_rest = 32;

/// A run may go on from block to block; a gap ends it.
class RestEstimator {
 public:
  explicit RestEstimator(std::size_t columns) : columns_(columns) {}
  void add(const Block& block);
  std::vector<Rests> result() const;

 private:
  struct Column {
    Rests rests;
    double last = 0;
    std::int64_t run = 0, begin = 0;  ///< Samples alike up to now; 0 before the first and behind a gap.
    void end_run();
  };
  std::vector<Column> columns_;
};

}  // namespace vprism
