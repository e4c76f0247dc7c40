// peak_template.cpp: see peak_template.h.
#include "identify/peak_template.h"

#include <algorithm>
#include <cmath>

#include "base/percentile.h"

namespace vprism {

std::vector<double> PeakTemplate::taps() const {
  std::vector<double> out = shape;
  for (double& tap : out) tap *= std::abs(height) / energy;
  return out;
}

PeakTemplate template_of(std::span<const double> stretch, double sign) {
  PeakTemplate out;
  const std::size_t n = stretch.size();
  if (n < 5 || std::any_of(stretch.begin(), stretch.end(), [](double v) { return std::isnan(v); }))
    return out;
  std::size_t top = 0;
  for (std::size_t i = 1; i < n; ++i)
    if (sign * stretch[i] > sign * stretch[top]) top = i;
  if (top == 0 || top + 1 == n) return out;
  double mean = 0;
  for (const double v : stretch) mean += v / static_cast<double>(n);
  std::vector<double> sorted(stretch.begin(), stretch.end());
  out.height = stretch[top] - median_in(sorted);
  // The top of the parabola through three samples.
  const double before = stretch[top - 1], after = stretch[top + 1], bend = before - 2 * stretch[top] + after;
  out.top = bend != 0 ? std::clamp(0.5 * (before - after) / bend, -0.5, 0.5) : 0;
  const std::size_t reach = std::max(top, n - 1 - top);
  out.shape.assign(2 * reach + 1, 0.0);
  out.first = reach - top, out.count = n;
  for (std::size_t i = 0; i < n; ++i) {
    out.shape[out.first + i] = stretch[i] - mean;
    out.energy += (stretch[i] - mean) * (stretch[i] - mean);
    const double slope = (stretch[std::min(i + 1, n - 1)] - stretch[i == 0 ? 0 : i - 1]) / 2;
    out.slope_energy += slope * slope;
  }
  if (!(out.energy > 0) || !(std::abs(out.height) > 0)) return {};
  return out;
}

MatchMeter::MatchMeter(const PeakTemplate& shape, std::vector<std::int64_t> places)
    : shape_(shape), places_(std::move(places)), matches_(places_.size()), ring_(shape.shape.size()) {}

void MatchMeter::add(std::span<const double> samples) {
  const auto reach = static_cast<std::int64_t>(shape_.shape.size() / 2);
  for (const double x : samples) {
    ring_[static_cast<std::size_t>(at_) % ring_.size()] = x;
    ++at_;
    for (; next_ < places_.size() && places_[next_] + reach < at_; ++next_)
      if (places_[next_] >= reach) matches_[next_] = measure(places_[next_]);
  }
}

PeakMatch MatchMeter::measure(std::int64_t place) const {
  const auto reach = static_cast<std::int64_t>(shape_.shape.size() / 2);
  const auto n = static_cast<double>(shape_.count);
  double product = 0, sum = 0, squares = 0;
  for (std::size_t i = 0; i < shape_.count; ++i) {
    const auto at = static_cast<std::size_t>(place - reach) + shape_.first + i;
    const double x = ring_[at % ring_.size()];
    product += x * shape_.shape[shape_.first + i];
    sum += x, squares += x * x;
  }
  const double about = squares - sum * sum / n;
  PeakMatch out;
  if (!(about > 0)) return out;
  out.likeness = product / std::sqrt(about * shape_.energy);
  const double scale = product / shape_.energy;
  const double left = std::sqrt(std::max(0.0, about - product * scale) / std::max(1.0, n - 3));
  out.height_std = std::abs(shape_.height) * left / std::sqrt(shape_.energy);
  if (scale != 0 && shape_.slope_energy > 0)
    out.place_std = left / (std::abs(scale) * std::sqrt(shape_.slope_energy));
  return out;
}

MeanShape::MeanShape(std::vector<double> places, std::int64_t reach)
    : places_(std::move(places)),
      sum_(static_cast<std::size_t>(2 * reach + 1)),
      ring_(static_cast<std::size_t>(2 * reach + 2)),
      reach_(reach) {}

void MeanShape::add(std::span<const double> samples) {
  for (const double x : samples) {
    ring_[static_cast<std::size_t>(at_) % ring_.size()] = x;
    ++at_;
    for (; next_ < places_.size(); ++next_) {
      const auto whole = static_cast<std::int64_t>(std::floor(places_[next_]));
      if (whole + reach_ + 2 > at_) break;
      if (whole < reach_) continue;
      const double part = places_[next_] - static_cast<double>(whole);
      std::vector<double> one(sum_.size());
      bool gap = false;
      for (std::size_t i = 0; i < one.size(); ++i) {
        const auto at = static_cast<std::size_t>(whole - reach_) + i;
        one[i] = (1 - part) * ring_[at % ring_.size()] + part * ring_[(at + 1) % ring_.size()];
        gap = gap || std::isnan(one[i]);
      }
      if (gap) continue;
      for (std::size_t i = 0; i < one.size(); ++i) sum_[i] += one[i];
      ++taken_;
    }
  }
}

std::vector<double> MeanShape::mean() const {
  if (taken_ == 0) return {};
  std::vector<double> out = sum_;
  for (double& v : out) v /= static_cast<double>(taken_);
  return out;
}

}  // namespace vprism
