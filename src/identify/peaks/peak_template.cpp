// peak_template.cpp: see peak_template.h.
#include "identify/peaks/peak_template.h"

#include <algorithm>
#include <cmath>

#include "base/linear/linear.h"
#include "base/percentile.h"

namespace vprism {

std::vector<double> PeakTemplate::taps() const {
  std::vector<double> out = shape;
  for (double& tap : out) tap *= std::abs(height) / energy;
  return out;
}

namespace {

/// The sample nearest to the top, its place between samples and its height: of a parabola through the middle
/// of what stands above half, so that noise upon a wide top does not choose.
struct Top {
  std::size_t sample = 0;
  double place = 0, height = 0;
};
Top top_of(std::span<const double> stretch, double sign, double base) {
  Top out;
  const auto at = [&](std::size_t i) { return sign * (stretch[i] - base); };
  for (std::size_t i = 1; i < stretch.size(); ++i)
    if (at(i) > at(out.sample)) out.sample = i;
  out.place = static_cast<double>(out.sample), out.height = stretch[out.sample];
  std::size_t wide = 0;
  double sum = 0, moment = 0;
  for (std::size_t i = 0; i < stretch.size(); ++i)
    if (at(i) > 0.5 * at(out.sample)) ++wide, sum += at(i), moment += at(i) * static_cast<double>(i);
  if (out.sample == 0 || out.sample + 1 == stretch.size()) return out;
  // A wide one: about the middle of its upper half, over a third of that to either side.
  const bool is_wide = wide >= 9;
  const double middle = is_wide ? moment / sum : out.place;
  const auto reach = is_wide ? static_cast<double>(wide) / 3 : 1.0;
  Matrix square = Matrix::Zero(3, 3);
  Vector right = Vector::Zero(3), row(3);
  std::size_t points = 0;
  for (std::size_t i = 0; i < stretch.size(); ++i) {
    const double u = static_cast<double>(i) - middle;
    if (std::abs(u) > reach + 1e-9) continue;
    row << 1, u, u * u;
    square += row * row.transpose(), right += row * stretch[i];
    ++points;
  }
  if (points < 3) return out;
  const Vector of_powers = solve_symmetric(square, right);
  const double c = of_powers(0), b = of_powers(1), a = of_powers(2);
  if (!(sign * a < 0)) return out;
  const double u = std::clamp(-b / (2 * a), -reach, reach);
  out.place = std::clamp(middle + u, 0.0, static_cast<double>(stretch.size() - 1));
  out.height = c + b * u + a * u * u;
  out.sample = static_cast<std::size_t>(std::lround(out.place));
  return out;
}

}  // namespace

PeakTemplate template_of(std::span<const double> stretch, double sign) {
  PeakTemplate out;
  const std::size_t n = stretch.size();
  if (n < 5 || std::any_of(stretch.begin(), stretch.end(), [](double v) { return std::isnan(v); }))
    return out;
  double mean = 0;
  for (const double v : stretch) mean += v / static_cast<double>(n);
  // The level that it stands on: between what its two ends are.
  const std::size_t end = std::max<std::size_t>(1, n / 10);
  std::vector<double> left(stretch.begin(), stretch.begin() + static_cast<std::ptrdiff_t>(end)),
      right(stretch.end() - static_cast<std::ptrdiff_t>(end), stretch.end());
  const double base = (median_in(left) + median_in(right)) / 2;
  const auto [top, place, height] = top_of(stretch, sign, base);
  if (top == 0 || top + 1 == n) return out;
  out.height = height - base, out.top = place - static_cast<double>(top);
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
  if (!(about > 0)) return out;  // Samples are missing, or all are alike.
  out.likeness = product / std::sqrt(about * shape_.energy);
  const double scale = product / shape_.energy;
  const double left = std::sqrt(std::max(0.0, about - product * scale) / std::max(1.0, n - 3));
  out.height_std = std::abs(shape_.height) * left / std::sqrt(shape_.energy);
  if (scale != 0 && shape_.slope_energy > 0)
    out.place_std = left / (std::abs(scale) * std::sqrt(shape_.slope_energy));
  return out;
}

MatchNoise::MatchNoise(std::vector<std::int64_t> places, std::int64_t reach)
    : places_(std::move(places)), reach_(reach) {}

void MatchNoise::add(std::span<const double> filtered) {
  constexpr std::size_t most = 65536;
  for (const double y : filtered) {
    const double slope = (y - before_[0]) / 2, level = before_[1];
    before_[0] = before_[1], before_[1] = y;
    const std::int64_t at = at_++ - 1;  // Of `level`.
    while (next_ < places_.size() && places_[next_] + reach_ < at) ++next_;
    if (at < reach_ || (next_ < places_.size() && at >= places_[next_] - reach_)) continue;
    if (++free_ % stride_ != 0 || std::isnan(slope) || std::isnan(level)) continue;
    levels_.push_back(std::abs(level)), slopes_.push_back(std::abs(slope));
    if (levels_.size() < most) continue;
    stride_ *= 2;
    for (auto* kept : {&levels_, &slopes_}) {
      for (std::size_t i = 0; i < most / 2; ++i) (*kept)[i] = (*kept)[2 * i + 1];
      kept->resize(most / 2);
    }
  }
}

std::optional<MatchNoise::Found> MatchNoise::found() const {
  constexpr std::int64_t least_lengths = 10;
  if (free_ < least_lengths * reach_ || levels_.empty()) return std::nullopt;
  constexpr double of_median =
      1.4826;  // A normal distribution's deviation over the median of what it strays.
  return Found{of_median * percentile_of(levels_, 0.5), of_median * percentile_of(slopes_, 0.5)};
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
