// limit_line.h: levels held against a limit that depends on frequency.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace vprism {

/// How a limit runs between its points.
enum class LimitCourse { logarithmic, linear, step };

struct LimitLine {
  std::string name;
  std::vector<std::pair<double, double>> points;  ///< Hz, level; frequencies rise.
  LimitCourse course = LimitCourse::logarithmic;  ///< Straight over logarithms of both, over both, or held.
  /// Nothing outside its ends.
  std::optional<double> at(double hz) const;
};

/// A stretch of frequencies above the limit.
struct LimitViolation {
  double low_hz = 0, high_hz = 0;
  double frequency_hz = 0, level = 0, limit = 0, margin_db = 0;  ///< Where it is worst.
};

struct LimitVerdict {
  bool pass = true;
  std::size_t compared = 0;  ///< Levels that lie within the line's ends.
  LimitViolation worst;      ///< The least margin, whether it passes or not.
  std::vector<LimitViolation> violations;
};

/// Levels at rising frequencies; `amplitude`: 20 log10 rather than 10. A level of zero has a margin of 400
/// dB. Throws Error(analysis) when no level lies within the line's ends.
LimitVerdict judge_limit(const LimitLine& line, const std::vector<double>& hz,
                         const std::vector<double>& level, bool amplitude);

/// Throws Error(usage) unless there are two points or more, frequencies rise and, for logarithmic courses,
/// all numbers are above zero. `where` begins the message.
void check_limit(const LimitLine& line, const std::string& where);

}  // namespace vprism
