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
  double margin_std_db = 0;  ///< Of the margin there; 0 where it is not known.
};

/// Levels at rising frequencies. A line's level is known by its fit, one of noise scatters about its mean.
struct LimitLevels {
  std::vector<double> hz, level;
  std::vector<double> std_db = {};  ///< Of a line's levels; NaN where noise makes them. Empty: all are exact.
  double averages = 1;              ///< Independent segments behind a level of noise.
  double alike = 1;                 ///< Neighbours that show the same (bins_alike).
};

/// A stretch of the line where there is nothing to judge.
struct LimitGap {
  double low_hz = 0, high_hz = 0;
  std::string why;  ///< "beyond half the rate"
};

struct LimitVerdict {
  bool pass = true;          ///< No level that was compared is above the line.
  std::size_t compared = 0;  ///< Levels that lie within the line's ends.
  std::vector<LimitGap> not_judged;
  LimitViolation worst;  ///< The least margin, whether it passes or not.
  std::vector<LimitViolation> violations;
};

/// `amplitude`: 20 log10 rather than 10. A level of zero has a margin of 400 dB; NaN is no level. Levels
/// below `least_hz` (the RBW, where the mean leaks into all) are not compared. The line's stretches without a
/// level are listed; where that is all of it, nothing was compared and `pass` says nothing.
///
/// An exact level, or a line's, exceeds where it lies above. Noise does where a level, or the mean of a
/// stretch of 4, 16, ... levels, is higher than noise as strong as the limit would be once in a thousand
/// records; its least margin is that of means worth 100 independent levels, where there are as many.
LimitVerdict judge_limit(const LimitLine& line, const LimitLevels& levels, bool amplitude,
                         double least_hz = 0);

/// Throws Error(usage) unless there are two points or more, frequencies rise and, for logarithmic courses,
/// all numbers are above zero. `where` begins the message.
void check_limit(const LimitLine& line, const std::string& where);

}  // namespace vprism
