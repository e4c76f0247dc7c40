// rounding_lines.cpp: see rounding_lines.h.
#include "identify/rounding_lines.h"

#include <cmath>

namespace vprism {

std::vector<std::size_t> quantised_peaks(const Levels& levels, const std::vector<Peak>& peaks) {
  if (!(levels.step > 0) || levels.distinct < 3 || 4 * levels.distinct > levels.kept) return {};
  // Rounding errs by step / sqrt(12) RMS in all; without noise that is a comb of lines.
  const double all = levels.step / std::sqrt(12.0);
  std::vector<std::size_t> small;
  double square = 0;
  for (std::size_t i = 0; i < peaks.size(); ++i) {
    if (peaks[i].rms > 1.5 * all) continue;
    small.push_back(i);
    square += peaks[i].rms * peaks[i].rms;
  }
  if (small.size() < 4 || square > 3 * all * all) return {};
  return small;
}

void widen_by_rounding(const Levels& levels, const std::vector<std::size_t>& members,
                       std::vector<Peak>& peaks) {
  if (members.empty()) return;
  const double each = levels.step / std::sqrt(12.0 * static_cast<double>(members.size()));
  for (Peak& peak : peaks) peak.rms_std = std::hypot(peak.rms_std, each);
}

}  // namespace vprism
