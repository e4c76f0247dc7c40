// time_peaks.cpp: see time_peaks.h. Summits that still may lose ground on their right stand on a stack, each
// lower than the one below it; a higher one that comes takes them off, so that every sample costs the same
// few steps on average.
#include "identify/peaks/time_peaks.h"

#include <algorithm>
#include <cmath>

#include "base/percentile.h"

namespace vprism {

PeakFinder::PeakFinder(const TimePeakRules& rules, double sign, Take take)
    : rules_(rules), sign_(sign), take_(std::move(take)) {}

void PeakFinder::add(std::span<const double> samples) {
  for (const double x : samples) add_one(sign_ * x);
}

void PeakFinder::add_one(double x) {
  if (std::isnan(x)) {
    flush();
    ++at_;
    return;
  }
  if (!begun_) {
    begun_ = true, rising_ = false;
    lowest_ = x;
  } else if (x > last_) {
    rising_ = true;
    before_ = last_;
    top_at_ = at_;
    // The way up has its lowest point behind it.
    lowest_to_top_ = lowest_;
  } else if (x < last_) {
    if (rising_) top_out(x);
    rising_ = false;
    lowest_ = std::min(lowest_, x);
  }
  last_ = x;
  ++at_;
}

/// The last samples were a top: one, or several of the same height.
void PeakFinder::top_out(double after) {
  RoughPeak peak;
  peak.sample = (top_at_ + at_ - 1) / 2;
  peak.height = last_;
  double lowest = lowest_to_top_;
  while (!standing_.empty() && standing_.back().peak.height < peak.height) {
    const double left = standing_.back().left;
    close(lowest);
    lowest = std::min(lowest, left);
  }
  const bool steep = std::min(peak.height - before_, peak.height - after) >= rules_.threshold;
  // What rules leave out is ground all the same.
  peak.prominence = steep && (!rules_.min_height || peak.height >= *rules_.min_height) ? 0 : -1;
  standing_.push_back({peak, lowest});
  lowest_ = after;
}

/// The last summit's right side goes down to `lowest` before higher ground.
void PeakFinder::close(double lowest) {
  Summit summit = standing_.back();
  standing_.pop_back();
  if (summit.peak.prominence < 0) return;
  summit.peak.prominence = summit.peak.height - std::max(summit.left, lowest);
  if (summit.peak.prominence >= rules_.min_prominence && summit.peak.prominence > 0) take_(summit.peak);
}

void PeakFinder::flush() {
  double lowest = lowest_;
  while (!standing_.empty()) {
    const double left = standing_.back().left;
    close(lowest);
    lowest = std::min(lowest, left);
  }
  begun_ = false;
}

void PeakFinder::finish() { flush(); }

std::vector<RoughPeak> apart(std::vector<RoughPeak> peaks, double min_distance) {
  const auto earlier = [](const RoughPeak& a, const RoughPeak& b) { return a.sample < b.sample; };
  std::sort(peaks.begin(), peaks.end(), earlier);
  if (!(min_distance > 1)) return peaks;
  std::vector<std::size_t> by_height(peaks.size());
  for (std::size_t i = 0; i < peaks.size(); ++i) by_height[i] = i;
  std::stable_sort(by_height.begin(), by_height.end(),
                   [&](std::size_t a, std::size_t b) { return peaks[a].height > peaks[b].height; });
  std::vector<char> gone(peaks.size());
  const auto near = [&](std::size_t a, std::size_t b) {
    return static_cast<double>(std::abs(peaks[a].sample - peaks[b].sample)) < min_distance;
  };
  for (const std::size_t i : by_height) {
    if (gone[i]) continue;
    for (std::size_t k = i; k-- > 0 && near(k, i);) gone[k] = 1;
    for (std::size_t k = i + 1; k < peaks.size() && near(k, i); ++k) gone[k] = 1;
  }
  std::vector<RoughPeak> kept;
  for (std::size_t i = 0; i < peaks.size(); ++i)
    if (!gone[i]) kept.push_back(peaks[i]);
  return kept;
}

void ProminenceSurvey::add(std::span<const double> samples) {
  constexpr std::size_t most = 65536;
  for (const double x : samples) {
    if (at_ >= 2 && at_ % stride_ == 0) {
      const double bend = two_before_ - 2 * one_before_ + x;
      if (!std::isnan(bend)) differences_.push_back(std::abs(bend));
      if (differences_.size() >= most) {
        for (std::size_t i = 0; i < most / 2; ++i) differences_[i] = differences_[2 * i];
        differences_.resize(most / 2);
        stride_ *= 2;
      }
    }
    if (const double change = std::abs(x - one_before_);
        at_ > 0 && change > 0 && (step_ == 0 || change < step_))
      step_ = change;
    two_before_ = one_before_, one_before_ = x;
    ++at_;
  }
}

void ProminenceSurvey::take(const RoughPeak& peak) {
  if (!(peak.prominence > 0)) return;
  const int octave = static_cast<int>(std::floor(per_octave * std::log2(peak.prominence)));
  const auto place = std::lower_bound(counts_.begin(), counts_.end(), octave,
                                      [](const auto& entry, int o) { return entry.first < o; });
  if (place != counts_.end() && place->first == octave)
    ++place->second;
  else
    counts_.insert(place, {octave, 1});
}

ProminenceSurvey::Choice ProminenceSurvey::choice() const {
  Choice out;
  out.step = step_;
  std::vector<double> bends = differences_;
  // Second differences of white noise have sqrt(6) times its deviation, and a median of 0.6745 times that.
  if (!bends.empty()) out.noise_std = median_in(bends) / 0.6745 / std::sqrt(6.0);
  const auto value = [](int octave) { return std::exp2((octave + 0.5) / per_octave); };
  // Noise alone reaches from its highest to its lowest of so many samples.
  const double noise =
      2.2 * out.noise_std * std::sqrt(2 * std::log(std::max<double>(3, static_cast<double>(at_))));
  double squares = 0, cubes = 0;
  for (const auto& [octave, count] : counts_)
    if (value(octave) > noise) {
      squares += static_cast<double>(count) * std::pow(value(octave), 2);
      cubes += static_cast<double>(count) * std::pow(value(octave), 3);
    }
  out.min_prominence = std::numeric_limits<double>::infinity();
  if (!(squares > 0)) return out;
  // What most of the height lies in; lesser ones are parted from it by the widest gap below.
  const double main = cubes / squares;
  double best = 1.25, low = 0;
  const double least = std::max(noise, 0.2 * main);
  double previous = least;
  for (const auto& [octave, count] : counts_) {
    const double here = value(octave);
    if (here <= least) continue;
    if (previous < 0.8 * main && here / previous > best)
      best = here / previous, low = std::sqrt(here * previous);
    previous = here;
  }
  out.min_prominence = low > 0 ? low : least;
  return out;
}

}  // namespace vprism
