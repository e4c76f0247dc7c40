// regular_times.cpp: see regular_times.h.
#include "identify/courses/regular_times.h"

#include <algorithm>
#include <cmath>

namespace vprism {

std::optional<RegularTimes> fit_regular_times(std::span<const double> at, double guess_hz, double sample_s) {
  if (at.size() < 3) return {};
  double sn = 0, st = 0, snn = 0, snt = 0, stt = 0;
  const auto n = static_cast<double>(at.size());
  for (const double time : at) {
    const double t = time - at.front(), k = std::round(t * guess_hz);
    sn += k, st += t, snn += k * k, snt += k * t, stt += t * t;
  }
  const double det = n * snn - sn * sn;
  if (!(det > 0)) return {};
  const double slope = (n * snt - sn * st) / det;
  if (!(slope > 0)) return {};
  const double left = std::max(0.0, stt - st * st / n - slope * (snt - sn * st / n));
  // Times lie on samples: of periods that are nearly whole numbers of them, all are off alike.
  const double periods = std::round((at.back() - at.front()) * guess_hz);
  const double std = std::sqrt(left / (n - 2) / (det / n) + sample_s * sample_s / 24 / (periods * periods));
  return RegularTimes{1 / slope, std / slope / slope, std::sqrt(left / n)};
}

}  // namespace vprism
