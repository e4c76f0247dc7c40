// carrier_band.cpp: see carrier_band.h.
#include "transform/bands/carrier_band.h"

#include <algorithm>
#include <cmath>

namespace vprism {

namespace {

/// Widens low .. high by what modulation puts to both sides alike: a line as far beyond the middle on one
/// side as on the other, or one that is as strong as the strongest and has nothing between (a carrier that is
/// suppressed).
void take_sidebands(const Spectrum& s, std::size_t from, std::size_t to, double threshold, std::size_t& low,
                    std::size_t& high) {
  const auto top =
      static_cast<std::size_t>(std::max_element(s.power.begin() + static_cast<std::ptrdiff_t>(low),
                                                s.power.begin() + static_cast<std::ptrdiff_t>(high) + 1) -
                               s.power.begin());
  const auto most = static_cast<std::size_t>(s.mirrored() ? 0.5 * static_cast<double>(top)
                                                          : static_cast<double>(s.bins()) / 4);
  const auto peak_at = [&](std::size_t k) {
    return k > from && k + 1 < to && s.power[k] > threshold && s.power[k] >= s.power[k - 1] &&
           s.power[k] >= s.power[k + 1];
  };
  // The greatest within two bins.
  const auto around = [&](std::size_t k) {
    double power = 0;
    for (std::size_t j = k > from + 2 ? k - 2 : from; j < std::min(to, k + 3); ++j)
      power = std::max(power, s.power[j]);
    return power;
  };
  for (int round = 0; round < 4; ++round) {
    const std::size_t before_low = low, before_high = high;
    for (const std::size_t middle : {top, (low + high) / 2})
      for (std::size_t d = 1; d <= most && middle >= from + d && middle + d < to; ++d) {
        if (middle - d >= low && middle + d <= high) continue;
        if (!peak_at(middle + d) && !peak_at(middle - d)) continue;
        const double above = around(middle + d), below = around(middle - d);
        if (std::min(above, below) <= threshold || above > 100 * below || below > 100 * above) continue;
        low = std::min(low, middle - d), high = std::max(high, middle + d);
      }
    // Further lines of a comb, of which one order may be missing.
    std::size_t spacing = 0;
    for (std::size_t d = 3; d <= most && spacing == 0; ++d)
      for (const std::size_t k : {top + d, top - std::min(d, top)})
        if (k >= low && k <= high && peak_at(k) && s.power[k] > 1e-3 * s.power[top]) spacing = d;
    const std::size_t step = 22 * spacing / 10;
    for (std::size_t k = high + 1; k < std::min(to, high + step + 1) && k < top + most; ++k)
      if (peak_at(k)) high = k;
    for (std::size_t k = low; k-- > from && low - k <= step && top - k < most;)
      if (peak_at(k)) low = k;
    for (std::size_t k = from; k < to; ++k) {
      const std::size_t away = k > top ? k - top : top - k;
      if ((k >= low && k <= high) || away > most || !peak_at(k)) continue;
      if (s.power[k] > 0.7 * s.power[top] && around((k + top) / 2) < 0.1 * s.power[top])
        low = std::min(low, k), high = std::max(high, k);
    }
    if (low == before_low && high == before_high) return;
  }
}

}  // namespace

std::optional<CarrierBand> find_carrier(const Spectrum& s, std::optional<double> low_hz,
                                        std::optional<double> high_hz) {
  auto [from, to] = s.bins_within(low_hz, high_hz);
  if (s.mirrored()) from = std::max<std::size_t>(from, 3);  // 0 Hz is no carrier.
  if (from + 8 > to) return {};
  std::vector<double> levels(s.power.begin() + static_cast<std::ptrdiff_t>(from),
                             s.power.begin() + static_cast<std::ptrdiff_t>(to));
  // The quarter that is quietest is noise, even where the carrier fills half the band.
  const auto quarter = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 4);
  std::nth_element(levels.begin(), quarter, levels.end());
  const double floor = *quarter;
  const auto top =
      static_cast<std::size_t>(std::max_element(s.power.begin() + static_cast<std::ptrdiff_t>(from),
                                                s.power.begin() + static_cast<std::ptrdiff_t>(to)) -
                               s.power.begin());
  if (!(s.power[top] > 60 * floor)) return {};
  const double threshold = std::max(30 * floor, 1e-6 * s.power[top]);
  const double whole = s.plan.bin_hz * static_cast<double>(s.bins());
  const double gap_hz = 0.03 * (s.two_sided ? whole : s.frequency_hz(top));
  const auto gap = std::max<std::size_t>(8, static_cast<std::size_t>(gap_hz / s.plan.bin_hz));
  std::size_t low = top, high = top;
  for (std::size_t k = top, last = top; k-- > from && last - k <= gap;)
    if (s.power[k] > threshold) low = last = k;
  for (std::size_t k = top + 1, last = top; k < to && k - last <= gap; ++k)
    if (s.power[k] > threshold) high = last = k;
  take_sidebands(s, from, to, threshold, low, high);
  CarrierBand band;
  double all = 0;
  for (std::size_t k = low; k <= high; ++k) all += std::max(0.0, s.power[k] - floor);
  const auto place_of = [&](double share) {
    double sum = 0;
    for (std::size_t k = low; k <= high; ++k) {
      const double here = std::max(0.0, s.power[k] - floor);
      if (sum + here >= share * all)
        return s.frequency_hz(k) + s.plan.bin_hz * ((share * all - sum) / here - 0.5);
      sum += here;
    }
    return s.frequency_hz(high);
  };
  band.occupied_hz = place_of(0.995) - place_of(0.005);
  band.carrier_hz = (s.frequency_hz(low) + s.frequency_hz(high)) / 2;
  band.half_hz = 1.25 * (s.frequency_hz(high) - s.frequency_hz(low)) / 2 + 8 * s.plan.rbw_hz;
  return band;
}

}  // namespace vprism
