// rounding_lines.cpp: see rounding_lines.h.
#include "identify/findings/rounding_lines.h"

#include <algorithm>
#include <cmath>
#include <numbers>

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

void widen_by_rounding(const Levels& levels, const std::vector<std::size_t>& members, double seconds,
                       std::vector<Peak>& peaks) {
  if (members.empty() || !(seconds > 0)) return;
  const double each = levels.step / std::sqrt(12.0 * static_cast<double>(members.size()));
  for (Peak& peak : peaks) {
    peak.rms_std = std::hypot(peak.rms_std, each);
    // sqrt(6) / (pi T) times the ratio of amplitudes is what noise of that size does (Rife & Boorstyn 1974).
    const double moved =
        0.1 * std::sqrt(6.0) / (std::numbers::pi * seconds) * each / std::max(peak.rms, each);
    peak.frequency_std_hz = std::hypot(peak.frequency_std_hz, moved);
  }
}

}  // namespace vprism
