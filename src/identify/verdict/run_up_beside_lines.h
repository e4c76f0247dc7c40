// run_up_beside_lines.h: what runs up or down in a record with lines that stand.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "identify/courses/run_up.h"
#include "identify/verdict/standing_lines.h"

namespace vprism {

/// What runs up or down, beside the lines that stand, which it crosses. It is looked for once, and followed
/// when it is known that nothing simpler explains the record. Not beyond the life of the samples.
class RunUpBesideLines {
 public:
  RunUpBesideLines(const LinesOf& found, double rate_hz);
  bool any() const { return course_.has_value(); }
  std::size_t turns() const { return course_ ? course_->turns : 0; }
  /// Once: the course is used up.
  std::optional<RunUp> follow(std::size_t least_orders);

 private:
  std::span<const double> x_;
  double rate_hz_;
  std::vector<double> without_;
  std::optional<StandingLines> standing_;
  std::optional<SpeedCourse> course_;
};

}  // namespace vprism
