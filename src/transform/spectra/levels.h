// levels.h: the median of a channel and the steps its values come in, from samples kept as it passes.
#pragma once

#include <cstdint>
#include <vector>

#include "signal/block.h"

namespace vprism {

struct Levels {
  double median = 0;
  bool exact = true;          ///< All samples were kept; else one of every `stretch`, chosen at random.
  std::int64_t kept = 0;      ///< Rank error of the median, RMS, if not exact: kept / (2 sqrt(kept)).
  std::int64_t distinct = 0;  ///< Different values among those kept.
  /// Least difference between two of them, 0 with fewer than two; where few of them are no whole numbers of
  /// that apart but of a power of ten, as printed ones are, this.
  double step = 0;
};

/// Keeps every sample of a short record, one of each stretch of a longer one; stretches double in length as
/// the record grows, so memory does not. Which sample of a stretch is kept follows from its number alone
/// (a fixed hash), so the result repeats, and periodic signals are not met in step. NaN is passed over.
class LevelsEstimator {
 public:
  explicit LevelsEstimator(std::size_t columns);
  void add(const Block& block);
  std::vector<Levels> result() const;

 private:
  struct Column {
    std::vector<double> kept;
    std::int64_t stretch = 1;  ///< 2 to the power of `doublings`.
    int doublings = 0;
  };
  std::size_t most_;
  std::vector<Column> columns_;
};

}  // namespace vprism
