// noise_floor.cpp: sliding median over frequency.
//
// Averaged noise power is gamma distributed with shape J (J independent segments) and mean 1; its median is
// P^-1(J, 1/2) / J (ln 2 for J = 1). Window correlation between neighbouring bins widens the scatter of the
// median, not its mean.
#include "identify/noise/noise_floor.h"

#include <algorithm>
#include <array>
#include <bit>
#include <boost/math/special_functions/gamma.hpp>
#include <cmath>
#include <cstdint>
#include <numeric>

#include "base/percentile.h"

namespace vprism {

double noise_median(double averages) { return boost::math::gamma_p_inv(averages, 0.5) / averages; }

double noise_quantile_above(double averages, double p) {
  return boost::math::gamma_q_inv(averages, p) / averages;
}

namespace {

std::size_t widest_neighbourhood(std::size_t bins) {
  return std::max<std::size_t>(12, std::min<std::size_t>(bins / 32, 512));
}
/// Bins to each side that the floor of one is estimated from.
std::size_t neighbourhood(std::size_t bin, std::size_t widest, bool mirrored) {
  return mirrored ? std::clamp<std::size_t>(bin / 3, 12, widest) : widest;
}

/// The upper half of a number that is not negative, which rises with it: values less than a millionth apart
/// may change places, which no median of noise minds.
struct Ranked {
  std::uint32_t bits, bin;
};

/// Sorts by counting, eleven bits at a time: several times as quick as comparing.
void rank(std::vector<Ranked>& values) {
  std::vector<Ranked> other(values.size());
  for (unsigned shift = 0; shift < 32; shift += 11) {
    const auto digit = [shift](const Ranked& v) { return (v.bits >> shift) & 2047; };
    std::array<std::size_t, 2048> place{};
    for (const Ranked& v : values) ++place[digit(v)];
    if (place[digit(values.front())] == values.size()) continue;
    std::exclusive_scan(place.begin(), place.end(), place.begin(), std::size_t{0});
    for (const Ranked& v : values) other[place[digit(v)]++] = v;
    values.swap(other);
  }
}

/// The median of those of some values that are in, by their ranks. What is in is a bit for each rank, and as
/// few values come and go, the middle moves by few bits at a time.
class ChosenMedian {
 public:
  ChosenMedian(const std::vector<double>& sorted, const std::vector<std::uint32_t>& rank)
      : sorted_(sorted), rank_(rank), in_(sorted.size() / 64 + 1) {}
  void insert(std::size_t i) {
    const std::size_t r = rank_[i];
    in_[r / 64] |= std::uint64_t{1} << (r % 64);
    ++size_;
    below_ += r < middle_ ? 1 : 0;
  }
  void erase(std::size_t i) {
    const std::size_t r = rank_[i];
    in_[r / 64] &= ~(std::uint64_t{1} << (r % 64));
    --size_;
    below_ -= r < middle_ ? 1 : 0;
  }
  /// Something must be in.
  double median() {
    const std::size_t wanted = (size_ - 1) / 2;
    while (below_ > wanted) middle_ = before(middle_), --below_;
    middle_ = from(middle_);
    while (below_ < wanted) middle_ = from(middle_ + 1), ++below_;
    return size_ % 2 == 1 ? sorted_[middle_] : (sorted_[middle_] + sorted_[from(middle_ + 1)]) / 2;
  }

 private:
  /// The least rank in from `r` on; there must be one.
  std::size_t from(std::size_t r) const {
    std::size_t word = r / 64;
    std::uint64_t bits = in_[word] & (~std::uint64_t{0} << (r % 64));
    while (bits == 0) bits = in_[++word];
    return 64 * word + static_cast<std::size_t>(std::countr_zero(bits));
  }
  /// The greatest rank in below `r`; there must be one.
  std::size_t before(std::size_t r) const {
    std::size_t word = r / 64;
    std::uint64_t bits = in_[word] & ~(~std::uint64_t{0} << (r % 64));
    while (bits == 0) bits = in_[--word];
    return 64 * word + 63 - static_cast<std::size_t>(std::countl_zero(bits));
  }

  const std::vector<double>& sorted_;
  const std::vector<std::uint32_t>& rank_;
  std::vector<std::uint64_t> in_;
  std::size_t size_ = 0, middle_ = 0, below_ = 0;  ///< `below_`: ranks in that are less than `middle_`.
};

}  // namespace

DetectionThreshold::DetectionThreshold(const Spectrum& spectrum, double false_alarms)
    : mirrored_(spectrum.mirrored()),
      bins_(spectrum.bins()),
      log_p_(std::log(std::max(static_cast<double>(spectrum.bins()), 1.0) / false_alarms)),
      averages_(spectrum.noise_averages),
      known_(noise_quantile_above(spectrum.noise_averages, std::min(0.5, std::exp(-log_p_)))) {}

double DetectionThreshold::at(std::size_t bin) const {
  // A median tells half as much as a mean would.
  const auto both_sides = static_cast<double>(2 * neighbourhood(bin, widest_neighbourhood(bins_), mirrored_));
  return beside(0.5 * both_sides);
}

double DetectionThreshold::beside(double bins) const {
  const double m = bins * averages_;
  return known_ * m * std::expm1(log_p_ / m) / log_p_;
}

NoiseFloor::NoiseFloor(const Spectrum& spectrum)
    : spectrum_(spectrum),
      correction_(1 / noise_median(spectrum.noise_averages)),
      sorted_(spectrum.bins()),
      rank_(spectrum.bins()) {
  std::vector<Ranked> order(spectrum.bins());
  const auto height = [&](std::size_t k) {
    return spectrum.power[k] * (spectrum.doubled(k) ? 1 : spectrum.fold());
  };
  for (std::size_t k = 0; k < order.size(); ++k)
    order[k] = {static_cast<std::uint32_t>(std::bit_cast<std::uint64_t>(height(k)) >> 32),
                static_cast<std::uint32_t>(k)};
  if (!order.empty()) rank(order);
  for (std::size_t r = 0; r < order.size(); ++r) {
    sorted_[r] = height(order[r].bin);
    rank_[order[r].bin] = static_cast<std::uint32_t>(r);
  }
}

std::size_t NoiseFloor::stride_at(std::size_t bin) const {
  return std::max<std::size_t>(
      1, neighbourhood(bin, widest_neighbourhood(spectrum_.bins()), spectrum_.mirrored()) / 64);
}

std::vector<double> NoiseFloor::between(const std::vector<bool>& masked) const {
  const std::size_t bins = spectrum_.bins();
  const std::size_t widest = widest_neighbourhood(bins);
  std::vector<std::size_t> open;  // Bins that count; DC of a real channel does not.
  open.reserve(bins);
  const std::size_t start = spectrum_.mirrored() ? 1 : 0;
  for (std::size_t k = start; k < bins; ++k)
    if (masked.empty() || !masked[k]) open.push_back(k);
  if (open.size() < 4) {
    open.clear();
    for (std::size_t k = start; k < bins; ++k) open.push_back(k);
  }
  ChosenMedian around(sorted_, rank_);
  std::vector<double> floor(bins);
  std::size_t from = 0, to = 0, place = 0;  // Neighbourhood: from .. to - 1 within `open`.
  // Neighbourhoods that share nearly all bins have nearly the same median: the bins between are interpolated.
  std::size_t last = 0;
  for (std::size_t k = 0; k < bins; k = k + 1 < bins ? std::min(bins - 1, k + stride_at(k)) : bins) {
    while (place < open.size() && open[place] < k) ++place;
    const std::size_t half = neighbourhood(k, widest, spectrum_.mirrored());
    const std::size_t low =
        place > half ? std::min(place - half, open.size() - std::min(open.size(), half)) : 0;
    const std::size_t high = std::min(open.size(), place + half + 1);
    while (to < high) around.insert(open[to++]);
    while (from < low) around.erase(open[from++]);
    while (from > low) around.insert(open[--from]);
    floor[k] = around.median() * correction_;
    const double step = (floor[k] - floor[last]) / static_cast<double>(std::max<std::size_t>(1, k - last));
    for (std::size_t between = last + 1; between < k; ++between)
      floor[between] = floor[last] + step * static_cast<double>(between - last);
    last = k;
  }
  for (std::size_t k = 0; k < bins; ++k)
    if (!spectrum_.doubled(k)) floor[k] /= spectrum_.fold();
  if (spectrum_.mirrored()) follow_slope(open, floor);
  return floor;
}

void NoiseFloor::follow_slope(const std::vector<std::size_t>& open, std::vector<double>& floor) const {
  // Theil-Sen: the median of the slopes between all pairs.
  constexpr std::size_t reach = 40, own = 24;
  std::vector<double> x, y, slopes, offsets;
  for (const std::size_t k : open) {
    if (k > reach) break;
    if (!(spectrum_.power[k] > 0)) continue;
    x.push_back(std::log(static_cast<double>(k)));
    y.push_back(std::log(spectrum_.power[k]));
  }
  if (x.size() < 12) return;
  for (std::size_t i = 0; i < x.size(); ++i)
    for (std::size_t j = 0; j < i; ++j) slopes.push_back((y[i] - y[j]) / (x[i] - x[j]));
  const double slope = median_in(slopes);
  double mean = 0, spread = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) spread += (v - mean) * (v - mean);
  // ln of averaged noise power scatters by pi / sqrt(6) for one average, by 1 / sqrt(J) for many.
  const double slope_std = std::min(1.3, 1.2 / std::sqrt(spectrum_.noise_averages)) / std::sqrt(spread);
  if (slope > -0.5 - 2 * slope_std) return;
  for (std::size_t i = 0; i < x.size(); ++i) offsets.push_back(y[i] - slope * x[i]);
  const double offset = median_in(offsets);
  // The skirt of a line is a slope as well, but a smooth one: noise scatters around it.
  std::vector<double> off;
  for (const double o : offsets) off.push_back(std::abs(o - offset));
  if (1.4826 * median_in(off) < 0.4 * std::min(1.3, 1.2 / std::sqrt(spectrum_.noise_averages))) return;
  for (std::size_t k = 1; k < std::min(own, floor.size()); ++k) {
    const double at = std::log(static_cast<double>(k));
    // As much higher as the slope may be steeper.
    const double law = std::exp(offset + slope * at + slope_std * std::max(0.0, mean - at)) * correction_;
    floor[k] = std::max(floor[k], law);
  }
}

}  // namespace vprism
