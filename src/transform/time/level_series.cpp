// level_series.cpp: see level_series.h. The running level is that of a first-order low-pass of the square,
// exact for samples that hold their value: y += (1 - exp(-1/T)) (x^2 - y).
#include "transform/time/level_series.h"

#include <algorithm>
#include <cmath>

namespace vprism {

LevelSeries::LevelSeries(double stretch, double time_constant, bool settled)
    : stretch_(stretch), settled_(settled), next_end_(stretch) {
  if (time_constant > 0) gain_ = -std::expm1(-1 / time_constant), keep_ = 1 - gain_;
}

void LevelSeries::add(std::span<const double> samples) {
  for (const double x : samples) {
    if (!std::isnan(x)) {
      if (count_ == 0) {
        shift_ = x;
        low_ = high_ = x;
        std::fill(std::begin(sums_), std::end(sums_), 0.0);
      }
      const double d = x - shift_, dd = d * d;
      sums_[0] += d, sums_[1] += dd, sums_[2] += dd * d, sums_[3] += dd * dd;
      low_ = std::min(low_, x), high_ = std::max(high_, x);
      ++count_, ++all_;
      square_ += x * x;
      peak_ = std::max(peak_, std::abs(x));
      if (gain_ > 0) {
        if (!begun_ && settled_) {
          first_.push_back(x * x);
          if (first_.size() == most_settling) settle();
        } else {
          running_ = running_ * keep_ + gain_ * x * x;
          running_high_ = std::max(running_high_, running_);
        }
      }
    }
    ++at_;
    if (static_cast<double>(at_) >= next_end_ - 1e-9) close();
  }
}

/// As if what came first had gone on for ever before.
void LevelSeries::settle() {
  if (first_.empty()) return;
  for (const double square : first_) running_ += square / static_cast<double>(first_.size());
  for (const double square : first_) {
    running_ = running_ * keep_ + gain_ * square;
    running_high_ = std::max(running_high_, running_);
  }
  first_ = {};
  begun_ = true;
}

void LevelSeries::close() {
  LevelPoint point;
  const double nan = std::nan("");
  settle();
  begun_ = begun_ || count_ > 0;
  if (count_ == 0) {
    point = {nan, nan, nan, nan, nan, nan, nan};
  } else {
    const auto n = static_cast<double>(count_);
    const double m = sums_[0] / n;
    point.mean = shift_ + m;
    const double variance = std::max(0.0, sums_[1] / n - m * m);
    point.rms = std::sqrt(variance + point.mean * point.mean);
    const double fourth = sums_[3] / n - 4 * m * sums_[2] / n + 6 * m * m * sums_[1] / n - 3 * m * m * m * m;
    point.kurtosis = variance > 0 ? fourth / (variance * variance) : nan;
    point.low = low_, point.high = high_;
    point.running = gain_ > 0 ? std::sqrt(running_) : nan;
    point.running_high = gain_ > 0 ? std::sqrt(running_high_) : nan;
  }
  points_.push_back(point);
  running_high_ = running_;
  count_ = 0;
  next_end_ += stretch_;
}

std::vector<LevelPoint> LevelSeries::finish() {
  // A rest of at least half a stretch counts.
  if (static_cast<double>(at_) - (next_end_ - stretch_) >= stretch_ / 2 || points_.empty()) close();
  return std::move(points_);
}

double LevelSeries::rms() const {
  return all_ > 0 ? std::sqrt(square_ / static_cast<double>(all_)) : std::nan("");
}

Exceedance exceedance_of(std::span<const double> values, double level) {
  Exceedance out;
  out.level = level;
  bool open = false;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!(values[i] > level)) {
      open = false;
      continue;
    }
    ++out.above;
    if (!open) out.runs.push_back({i, i, values[i]});
    open = true;
    out.runs.back().to = i + 1;
    out.runs.back().highest = std::max(out.runs.back().highest, values[i]);
  }
  return out;
}

std::vector<double> ascending(std::vector<double> values) {
  std::erase_if(values, [](double v) { return std::isnan(v); });
  std::sort(values.begin(), values.end());
  return values;
}

double exceeded_by(std::span<const double> values, double percent) {
  if (values.empty()) return std::nan("");
  const auto last = static_cast<double>(values.size() - 1);
  const double place = std::clamp((1 - percent / 100) * last, 0.0, last);
  const auto below = static_cast<std::size_t>(place);
  const std::size_t above = std::min(below + 1, values.size() - 1);
  return values[below] + (place - static_cast<double>(below)) * (values[above] - values[below]);
}

}  // namespace vprism
