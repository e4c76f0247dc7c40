// noise_floor.cpp: sliding median over frequency.
//
// Averaged noise power is gamma distributed with shape J (J independent segments) and mean 1; its median is
// P^-1(J, 1/2) / J (ln 2 for J = 1). Window correlation between neighbouring bins widens the scatter of the
// median, not its mean.
#include "identify/noise_floor.h"

#include <algorithm>
#include <boost/math/special_functions/gamma.hpp>
#include <cmath>

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
  const double m = 0.5 * both_sides * averages_;
  return known_ * m * std::expm1(log_p_ / m) / log_p_;
}

std::vector<double> noise_floor(const Spectrum& spectrum, const std::vector<bool>& masked) {
  const std::size_t bins = spectrum.bins();
  const double correction = 1 / noise_median(spectrum.noise_averages);
  const std::size_t widest = widest_neighbourhood(bins);
  std::vector<std::size_t> open;  // Bins that count; DC of a real channel does not.
  const std::size_t start = spectrum.mirrored() ? 1 : 0;
  for (std::size_t k = start; k < bins; ++k)
    if (masked.empty() || !masked[k]) open.push_back(k);
  if (open.size() < 4) {
    open.clear();
    for (std::size_t k = start; k < bins; ++k) open.push_back(k);
  }
  const auto power = [&](std::size_t i) {
    return spectrum.power[open[i]] * (spectrum.doubled(open[i]) ? 1 : spectrum.fold());
  };
  std::vector<double> floor(bins);
  // The neighbourhood is kept sorted; on the way to the next bin few values come and go.
  std::vector<double> sorted;
  std::size_t from = 0, to = 0, place = 0;  // Neighbourhood: from .. to - 1 within `open`.
  for (std::size_t k = 0; k < bins; ++k) {
    while (place < open.size() && open[place] < k) ++place;
    const std::size_t half = neighbourhood(k, widest, spectrum.mirrored());
    const std::size_t low =
        place > half ? std::min(place - half, open.size() - std::min(open.size(), half)) : 0;
    const std::size_t high = std::min(open.size(), place + half + 1);
    for (; to < high; ++to)
      sorted.insert(std::upper_bound(sorted.begin(), sorted.end(), power(to)), power(to));
    for (; from < low; ++from) sorted.erase(std::lower_bound(sorted.begin(), sorted.end(), power(from)));
    for (; from > low; --from)
      sorted.insert(std::upper_bound(sorted.begin(), sorted.end(), power(from - 1)), power(from - 1));
    const std::size_t middle = sorted.size() / 2;
    const double median = sorted.size() % 2 == 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
    floor[k] = median * correction / (spectrum.doubled(k) ? 1 : spectrum.fold());
  }
  return floor;
}

}  // namespace vprism
