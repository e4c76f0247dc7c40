// peak_shape.cpp: see peak_shape.h.
#include "identify/peaks/peak_shape.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "identify/lines/peak_curve.h"

namespace vprism {

namespace {

constexpr std::size_t most_recent = std::size_t{1} << 17;
constexpr std::size_t most_fitted_whole = 100000;  ///< Peaks of a channel; of more only the tops are fitted.
constexpr double half_part = 0.5, foot_part = 0.75;  ///< Of the prominence, from the top down.

}  // namespace

PeakShaper::PeakShaper(std::vector<RoughPeak> peaks, double sign, double interval)
    : peaks_(std::move(peaks)),
      shaped_(peaks_.size()),
      sign_(sign),
      interval_(interval),
      recent_(peaks_.empty() ? 1 : most_recent),
      recent_stamps_(interval > 0 ? recent_.size() : 0) {}

void PeakShaper::add(std::span<const double> samples, std::span<const double> stamps) {
  if (next_ == peaks_.size() && open_.empty()) return;
  for (std::size_t n = 0; n < samples.size(); ++n) add_one(sign_ * samples[n], interval_ > 0 ? stamps[n] : 0);
}

/// Where the samples last rose through `level`, as far back as is kept.
double PeakShaper::last_rise(double level) const {
  const auto above = std::lower_bound(lows_.begin(), lows_.end(), level,
                                      [](const Low& low, double l) { return low.value < l; });
  if (above == lows_.begin())
    return lows_.empty() ? static_cast<double>(at_) : static_cast<double>(lows_.front().at);
  const Low& low = *(above - 1);
  return static_cast<double>(low.at) +
         (low.next > low.value ? (level - low.value) / (low.next - low.value) : 0.5);
}

void PeakShaper::add_one(double x, double stamp) {
  if (std::isnan(x)) {
    open_.clear(), lows_.clear();
    highest_level_ = -std::numeric_limits<double>::infinity();
    ++at_;
    return;
  }
  recent_[static_cast<std::size_t>(at_) % most_recent] = x;
  if (interval_ > 0) recent_stamps_[static_cast<std::size_t>(at_) % most_recent] = stamp;
  if (!lows_.empty() && lows_.back().at == at_ - 1) lows_.back().next = x;
  while (!lows_.empty() && lows_.back().value >= x) lows_.pop_back();
  // A rise of millions of samples keeps only its upper part.
  if (lows_.size() > (std::size_t{1} << 20)) lows_.erase(lows_.begin(), lows_.begin() + (1 << 19));
  lows_.push_back({at_, x, x});
  if (next_ < peaks_.size() && peaks_[next_].sample == at_) {
    const RoughPeak& peak = peaks_[next_];
    Open open;
    open.peak = next_++;
    open.half = peak.height - half_part * peak.prominence;
    open.foot = peak.height - foot_part * peak.prominence;
    open.left_half = last_rise(open.half);
    open.left_foot = last_rise(open.foot);
    open.right_half = std::nan("");
    open.stamp = stamp;
    highest_level_ = open_.empty() ? open.half : std::max(highest_level_, open.half);
    open_.push_back(open);
  }
  if (!open_.empty() && x < highest_level_) {
    const auto crossing = [&](double level) {
      return static_cast<double>(at_ - 1) +
             (last_ > x ? std::clamp((last_ - level) / (last_ - x), 0.0, 1.0) : 0);
    };
    highest_level_ = -std::numeric_limits<double>::infinity();
    std::size_t kept = 0;
    for (Open& open : open_) {
      if (std::isnan(open.right_half) && x < open.half) open.right_half = crossing(open.half);
      if (x < open.foot) {
        shape(open, crossing(open.foot));
        continue;
      }
      highest_level_ = std::max(highest_level_, std::isnan(open.right_half) ? open.half : open.foot);
      open_[kept++] = open;
    }
    open_.resize(kept);
  }
  last_ = x;
  ++at_;
}

/// Position and height, once the peak has come down to its foot.
void PeakShaper::shape(const Open& open, double right_foot) {
  const RoughPeak& rough = peaks_[open.peak];
  TimePeak& out = shaped_[open.peak];
  out.sample = static_cast<double>(rough.sample), out.height = rough.height,
  out.prominence = rough.prominence;
  const std::int64_t oldest = std::max<std::int64_t>(0, at_ - static_cast<std::int64_t>(most_recent) + 1);
  const auto value = [&](std::int64_t n) { return recent_[static_cast<std::size_t>(n) % most_recent]; };
  const auto stamp = [&](std::int64_t n) {
    return recent_stamps_[static_cast<std::size_t>(n) % most_recent];
  };
  const auto offset = [&](std::int64_t n) {
    return interval_ > 0 ? (stamp(n) - stamp(rough.sample)) / interval_
                         : static_cast<double>(n - rough.sample);
  };
  out.stamp = open.stamp;
  if (rough.sample < oldest) {  // Its top is longer than what is kept.
    out.width = open.right_half - open.left_half;
    out.sample_std = out.width / 4;
    return;
  }
  const auto take = [&](double left, double right) {
    PeakSamples samples;
    samples.middle = rough.sample;
    std::int64_t from = std::max<std::int64_t>(oldest, static_cast<std::int64_t>(std::ceil(left)));
    std::int64_t to = static_cast<std::int64_t>(std::floor(right));
    if (to - from < 2) from = rough.sample - 1, to = rough.sample + 1;
    if (from < oldest || to > at_) return samples;
    samples.gather(value, offset, from, to);
    return samples;
  };
  // A prominence may reach far below the peak's own foot, where other peaks stand: no more than is like a
  // bell.
  const double beside = 0.3 * (open.right_half - open.left_half);
  const double left = std::max(open.left_half - beside, open.left_foot),
               right = std::min(open.right_half + beside, right_foot);
  out.width = open.right_half - open.left_half;
  std::vector<TopFit> fits;  // The one that counts first.
  const auto keep = [&](const std::optional<TopFit>& fit) {
    // A fit that leaves the top it was made for is none.
    if (fit && std::abs(fit->height - rough.height) < 0.25 * rough.prominence) fits.push_back(*fit);
  };
  if (peaks_.size() <= most_fitted_whole) keep(fit_even(take(left, right)));
  keep(fit_top(take(open.left_half, open.right_half)));
  if (fits.empty())
    keep(fit_top(take(static_cast<double>(rough.sample) - 2, static_cast<double>(rough.sample) + 2)));
  if (fits.empty()) {
    // The sample itself, which may be half a sample off.
    out.sample_std = 0.29, out.height_std = 0.1 * rough.prominence;
    return;
  }
  const TopFit& fit = fits.front();
  out.sample = fit.place, out.sample_std = fit.place_std;
  out.height_std = fit.height_std;
  // What the other curve makes of it counts.
  out.sample_std = std::hypot(out.sample_std, (fit.place - fits.back().place) / 2);
  out.height_std = std::hypot(out.height_std, (fit.height - fits.back().height) / 2);
  // A narrow peak is hardly more than the samples that a curve needs: bells, Lorentz's curves and others of
  // so few differ by about this.
  if (const double width = std::max(1.5, out.width); fit.free < 2.5) {
    out.sample_std = std::hypot(out.sample_std, 0.12 / width);
    out.height_std = std::hypot(out.height_std, 0.3 * rough.prominence / (width * width));
  }
  // No polynomial follows a leaning peak for sure: by a fifth of how far its middle lies from its top.
  out.sample_std = std::hypot(out.sample_std, 0.2 * ((open.left_half + open.right_half) / 2 - fit.place));
  if (interval_ > 0) out.stamp += (fit.place - static_cast<double>(rough.sample)) * interval_;
  out.prominence += fit.height - rough.height;
  out.height = fit.height;
}

std::vector<TimePeak> PeakShaper::finish() {
  for (TimePeak& peak : shaped_) peak.height *= sign_;
  return std::move(shaped_);
}

}  // namespace vprism
