// limit_line.cpp: see limit_line.h.
#include "identify/limit_line.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::optional<double> LimitLine::at(double hz) const {
  if (points.empty() || hz < points.front().first || hz > points.back().first) return std::nullopt;
  auto next = std::upper_bound(points.begin(), points.end(), hz,
                               [](double f, const auto& point) { return f < point.first; });
  if (next == points.end()) return points.back().second;
  const auto& [f0, l0] = *(next - 1);
  const auto& [f1, l1] = *next;
  if (course == LimitCourse::step) return l0;
  if (course == LimitCourse::linear) return l0 + (l1 - l0) * (hz - f0) / (f1 - f0);
  return l0 * std::exp(std::log(l1 / l0) * std::log(hz / f0) / std::log(f1 / f0));
}

namespace {

/// Where the line runs on beside the levels, or between them where they are missing.
std::vector<LimitGap> gaps_beside(const LimitLine& line, const std::vector<double>& hz,
                                  const std::vector<double>& level, double least_hz) {
  const double low = line.points.front().first, high = line.points.back().first;
  if (hz.size() < 2) return {{low, high, "no levels"}};
  std::vector<LimitGap> gaps;
  const auto add = [&](double from, double to, const char* why) {
    from = std::max(from, low), to = std::min(to, high);
    if (to > from) gaps.push_back({from, to, why});
  };
  // A level stands for half the way to its neighbours.
  const double first = hz[0] - (hz[1] - hz[0]) / 2, last = hz.back() + (hz.back() - hz[hz.size() - 2]) / 2;
  if (least_hz > first)
    add(low, least_hz, "under the RBW");
  else
    add(low, first, "below the first level");
  for (std::size_t k = 0; k < hz.size();) {
    std::size_t end = k;
    while (end < hz.size() && std::isnan(level[end])) ++end;
    if (end > k)
      add(std::max(least_hz, k > 0 ? (hz[k - 1] + hz[k]) / 2 : first),
          end < hz.size() ? (hz[end - 1] + hz[end]) / 2 : last, "a gap in the levels");
    k = end + 1;
  }
  add(std::max(last, least_hz), high, "beyond the last level");
  return gaps;
}

}  // namespace

LimitVerdict judge_limit(const LimitLine& line, const std::vector<double>& hz,
                         const std::vector<double>& level, bool amplitude, double least_hz) {
  LimitVerdict verdict;
  verdict.not_judged = gaps_beside(line, hz, level, least_hz);
  verdict.worst.margin_db = 1e300;
  bool above = false;
  for (std::size_t k = 0; k < hz.size(); ++k) {
    const std::optional<double> limit = line.at(hz[k]);
    if (!limit || std::isnan(level[k]) || hz[k] < least_hz) {
      above = false;
      continue;
    }
    ++verdict.compared;
    const double margin = level[k] > 0 ? (amplitude ? 20 : 10) * std::log10(*limit / level[k]) : 400;
    const LimitViolation here{hz[k], hz[k], hz[k], level[k], *limit, margin};
    if (margin < verdict.worst.margin_db) verdict.worst = here;
    if (margin >= 0) {
      above = false;
      continue;
    }
    if (!above) {
      verdict.violations.push_back(here);
    } else {
      LimitViolation& v = verdict.violations.back();
      const double low = v.low_hz;
      if (margin < v.margin_db) v = here;
      v.low_hz = low;
      v.high_hz = hz[k];
    }
    above = true;
  }
  verdict.pass = verdict.violations.empty();
  return verdict;
}

void check_limit(const LimitLine& line, const std::string& where) {
  const auto fail = [&](const std::string& what) { throw Error(Status::usage, where + ": " + what); };
  if (line.points.size() < 2) fail("a limit needs two points or more");
  for (std::size_t i = 0; i < line.points.size(); ++i) {
    const auto& [hz, level] = line.points[i];
    if (!std::isfinite(hz) || !std::isfinite(level)) fail("point " + std::to_string(i + 1) + " is no number");
    if (i > 0 && !(hz > line.points[i - 1].first)) fail("frequencies must rise from point to point");
    if (line.course == LimitCourse::logarithmic && !(hz > 0 && level > 0))
      fail("a logarithmic course needs frequencies and levels above zero; say linear or step");
  }
}

}  // namespace vprism
