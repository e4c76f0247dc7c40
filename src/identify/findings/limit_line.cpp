// limit_line.cpp: see limit_line.h.
#include "identify/findings/limit_line.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "identify/noise/noise_floor.h"

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

namespace {

/// Probability that noise as strong as the limit breaks it somewhere.
constexpr double chance_of_noise = 1e-3;

/// One verdict while it is made.
class Judging {
 public:
  Judging(const LimitLine& line, const LimitLevels& levels, bool amplitude, double least_hz)
      : levels_(levels), scale_(amplitude ? 20 : 10), ratio_(levels.hz.size(), std::nan("")) {
    limits_.resize(ratio_.size());
    for (std::size_t k = 0; k < ratio_.size(); ++k) {
      const std::optional<double> limit = line.at(levels.hz[k]);
      if (!limit || std::isnan(levels.level[k]) || levels.hz[k] < least_hz) continue;
      ++verdict_.compared;
      limits_[k] = *limit;
      ratio_[k] = std::max(0.0, levels.level[k] / *limit);
      if (amplitude) ratio_[k] *= ratio_[k];
      noise_ += noise(k) ? 1 : 0;
    }
    verdict_.worst.margin_db = 1e300;
  }

  LimitVerdict run() {
    over_.assign(ratio_.size(), std::nullopt);
    for (std::size_t k = 0; k < ratio_.size(); ++k)
      if (!std::isnan(ratio_[k]) && !noise(k)) {
        const double std_db = levels_.std_db.empty() ? 0 : levels_.std_db[k];
        hold(k, k, ratio_[k], levels_.hz[k], limits_[k], std_db, ratio_[k] > 1);
      }
    for (std::size_t from = 0; from < ratio_.size(); ++from) {
      if (std::isnan(ratio_[from]) || !noise(from)) continue;
      std::size_t end = from + 1;
      while (end < ratio_.size() && !std::isnan(ratio_[end]) && noise(end)) ++end;
      judge_noise(from, end);
      from = end - 1;
    }
    for (std::size_t k = 0; k < over_.size(); ++k) {
      if (!over_[k]) continue;
      LimitViolation worst = *over_[k];
      const double low = levels_.hz[k];
      for (; k + 1 < over_.size() && over_[k + 1]; ++k)
        if (over_[k + 1]->margin_db < worst.margin_db) worst = *over_[k + 1];
      worst.low_hz = low, worst.high_hz = levels_.hz[k];
      verdict_.violations.push_back(worst);
    }
    verdict_.pass = verdict_.violations.empty();
    return std::move(verdict_);
  }

 private:
  bool noise(std::size_t k) const { return !levels_.std_db.empty() && std::isnan(levels_.std_db[k]); }
  double independent(std::size_t width) const {
    return levels_.averages * std::max(1.0, static_cast<double>(width) / levels_.alike);
  }

  /// What levels first .. last hold, at `hz`; it may be the least margin, and is a violation if `over`.
  void hold(std::size_t first, std::size_t last, double ratio, double hz, double limit, double std_db,
            bool over) {
    LimitViolation here;
    here.low_hz = levels_.hz[first], here.high_hz = levels_.hz[last], here.frequency_hz = hz;
    here.limit = limit;
    here.level = limit * (scale_ > 10 ? std::sqrt(ratio) : ratio);
    here.margin_db = ratio > 0 ? std::min(400.0, -10 * std::log10(ratio)) : 400;
    here.margin_std_db = std_db;
    if (here.margin_db < verdict_.worst.margin_db) verdict_.worst = here;
    if (!over) return;
    for (std::size_t k = first; k <= last; ++k)
      if (!over_[k] || here.margin_db < over_[k]->margin_db) over_[k] = here;
  }

  void judge_noise(std::size_t from, std::size_t end) {
    std::vector<double> sums = {0};
    for (std::size_t k = from; k < end; ++k) sums.push_back(sums.back() + ratio_[k]);
    const std::size_t size = end - from;
    bool shown = false;
    for (std::size_t width = 1;; width = std::min(size, 4 * width)) {
      const double worth = independent(width);
      // Every level may start a mean; those that overlap are alike.
      const double tests = 4 * static_cast<double>(noise_) / static_cast<double>(width) + 4;
      const double most = noise_quantile_above(worth, chance_of_noise / tests);
      const bool shows = !shown && (worth >= 100 || width == size);
      shown = shown || shows;
      const double std_db = 10 / std::numbers::ln10 / std::sqrt(worth);
      for (std::size_t at = 0; at + width <= size; at += std::max<std::size_t>(1, width / 4)) {
        const double mean = (sums[at + width] - sums[at]) / static_cast<double>(width);
        if (!(mean > most) && !shows) continue;
        const std::size_t middle = from + at + width / 2;
        const std::size_t first = from + at, last = from + at + width - 1;
        hold(first, last, mean, levels_.hz[middle], limits_[middle], std_db, mean > most);
      }
      if (width == size) return;
    }
  }

  const LimitLevels& levels_;
  double scale_;
  std::vector<double> ratio_, limits_;  ///< Powers over the limit's; NaN where nothing is compared.
  std::size_t noise_ = 0;
  std::vector<std::optional<LimitViolation>> over_;
  LimitVerdict verdict_;
};

}  // namespace

LimitVerdict judge_limit(const LimitLine& line, const LimitLevels& levels, bool amplitude, double least_hz) {
  LimitVerdict verdict = Judging(line, levels, amplitude, least_hz).run();
  verdict.not_judged = gaps_beside(line, levels.hz, levels.level, least_hz);
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
