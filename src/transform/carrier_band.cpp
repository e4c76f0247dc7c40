// carrier_band.cpp: see carrier_band.h.
#include "transform/carrier_band.h"

#include <algorithm>
#include <cmath>

namespace vprism {

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
