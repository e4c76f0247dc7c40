// level_series.cpp: see level_series.h. The running level is that of a first-order low-pass of the square,
// exact for samples that hold their value: y += (1 - exp(-1/T)) (x^2 - y).
#include "transform/time/level_series.h"

#include <algorithm>
#include <cmath>

namespace vprism {

LevelSeries::LevelSeries(double stretch, double time_constant, bool settled)
    : stretch_(stretch), settled_(settled), next_end_(stretch), time_constant_(time_constant) {
  if (time_constant > 0) gain_ = -std::expm1(-1 / time_constant);
}

void LevelSeries::open(double x) {
  if (!open_) {
    shift_ = x;
    low_ = high_ = x;
    weight_ = 0;
    std::fill(std::begin(sums_), std::end(sums_), 0.0);
    open_ = true;
  }
  low_ = std::min(low_, x), high_ = std::max(high_, x);
  peak_ = std::max(peak_, std::abs(x));
}

void LevelSeries::add(std::span<const double> samples) {
  for (const double x : samples) {
    if (!std::isnan(x)) {
      open(x);
      const double d = x - shift_, dd = d * d;
      sums_[0] += d, sums_[1] += dd, sums_[2] += dd * d, sums_[3] += dd * dd;
      ++weight_, ++all_, ++samples_;
      square_ += x * x;
      if (gain_ > 0) {
        if (!begun_ && settled_)
          hold_for_settling(x * x, 1);
        else
          run(x * x, gain_);
      }
    }
    ++at_;
    if (at_ >= next_end_ - 1e-9) close();
  }
}

// Integrals of the powers of a straight line from a to b: h (a^n + a^(n-1) b + ... + b^n) / (n + 1).
void LevelSeries::add_line(double a, double b, double time) {
  open(a), open(b);
  const double c = a - shift_, d = b - shift_, cc = c * c, dd = d * d;
  sums_[0] += time * (c + d) / 2, sums_[1] += time * (cc + c * d + dd) / 3;
  sums_[2] += time * (c + d) * (cc + dd) / 4;
  sums_[3] += time * (cc * cc + cc * c * d + cc * dd + c * d * dd + dd * dd) / 5;
  weight_ += time, all_ += time;
  const double square = (a * a + a * b + b * b) / 3;
  square_ += time * square;
  if (!(time_constant_ > 0)) return;
  if (!begun_ && settled_)
    hold_for_settling(square, time);
  else
    run(square, -std::expm1(-time / time_constant_));
}

void LevelSeries::run(double square, double gain) {
  running_ = running_ * (1 - gain) + gain * square;
  running_high_ = std::max(running_high_, running_);
}

void LevelSeries::hold_for_settling(double square, double time) {
  first_.emplace_back(square, time);
  if (first_.size() == most_settling) settle();
}

void LevelSeries::add(std::span<const double> samples, std::span<const double> times) {
  for (std::size_t n = 0; n < samples.size(); ++n) {
    const double x = samples[n];
    if (!timed_) start_ = times[n], last_ = x, timed_ = true;
    const double time = times[n] - start_;
    double from = at_, value = last_;
    const double step = time - from;
    while (time > next_end_ * (1 + 1e-12)) {
      const double part = step > 0 ? (next_end_ - at_) / step : 0, there = last_ + part * (x - last_);
      if (!std::isnan(there)) add_line(value, there, next_end_ - from);
      from = next_end_, value = there;
      close();
    }
    if (!std::isnan(x)) {
      ++samples_;
      if (!std::isnan(value) && time > from)
        add_line(value, x, time - from);
      else
        open(x);
    }
    at_ = std::max(at_, time), last_ = x;
  }
}

/// As if what came first had gone on for ever before.
void LevelSeries::settle() {
  if (first_.empty()) return;
  double sum = 0, time = 0;
  for (const auto& [square, lasts] : first_) sum += square * lasts, time += lasts;
  running_ += sum / time;
  for (const auto& [square, lasts] : first_)
    run(square, lasts == 1 ? gain_ : -std::expm1(-lasts / time_constant_));
  first_ = {};
  begun_ = true;
}

void LevelSeries::close() {
  LevelPoint point;
  const double nan = std::nan("");
  settle();
  begun_ = begun_ || open_;
  if (!open_) {
    point = {nan, nan, nan, nan, nan, nan, nan};
  } else {
    // A sample by itself has no time of its own.
    const double n = weight_ > 0 ? weight_ : 1;
    const double m = sums_[0] / n;
    point.mean = shift_ + m;
    const double variance = std::max(0.0, sums_[1] / n - m * m);
    point.rms = std::sqrt(variance + point.mean * point.mean);
    const double fourth = sums_[3] / n - 4 * m * sums_[2] / n + 6 * m * m * sums_[1] / n - 3 * m * m * m * m;
    point.kurtosis = variance > 0 ? fourth / (variance * variance) : nan;
    point.low = low_, point.high = high_;
    point.running = time_constant_ > 0 ? std::sqrt(running_) : nan;
    point.running_high = time_constant_ > 0 ? std::sqrt(running_high_) : nan;
  }
  points_.push_back(point);
  running_high_ = running_;
  open_ = false;
  next_end_ += stretch_;
}

std::vector<LevelPoint> LevelSeries::finish() {
  // A rest of at least half a stretch counts.
  if (at_ - (next_end_ - stretch_) >= stretch_ / 2 || points_.empty()) close();
  return std::move(points_);
}

double LevelSeries::rms() const { return all_ > 0 ? std::sqrt(square_ / all_) : std::nan(""); }

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
