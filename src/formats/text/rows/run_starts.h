// run_starts.h: where the times of a table begin anew.
#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <string>
#include <vector>

#include "signal/recording.h"

namespace vprism {

/// Rows at which times fall back to where they began, within two steps; between them they rise. What falls
/// otherwise is no such record: `holds()` is false then, and with fewer than two runs of three rows.
class RunStarts {
 public:
  void add(double time);
  /// All of them at once, if they rise from the last one on; else none is added, and false returned.
  bool add_rising(std::span<const double> times);
  bool holds() const { return found() && rows_ - starts_.back() >= least_rows; }
  /// A second run has begun, and nothing speaks against it so far.
  bool found() const { return !broken_ && starts_.size() > 1; }
  /// From 0; of the run begun last, too.
  const std::vector<std::int64_t>& rows() const { return starts_; }
  /// A part for each, numbered from 1. `whole`: no rows follow.
  std::vector<Part> parts(bool whole) const;
  Caution caution() const;

 private:
  static constexpr std::int64_t least_rows = 3;
  static constexpr double nothing = std::numeric_limits<double>::quiet_NaN();
  std::vector<std::int64_t> starts_;
  std::int64_t rows_ = 0;
  double first_ = nothing, began_ = nothing, before_ = nothing, longest_ = 0;
  bool broken_ = false;
};

}  // namespace vprism
