// band_shape.cpp: the shape of a resonance in a band; see band_search.h.
#include <algorithm>
#include <cmath>

#include "identify/verdict/band_search.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

Spectrum averaged_over(std::span<const double> x, double rate_hz, double segment) {
  SpectrumSettings settings;
  settings.window = parse_window("hann");
  settings.segment = static_cast<std::size_t>(segment);
  return spectrum_of(x, rate_hz, settings);
}

}  // namespace

std::optional<ResonanceFit> shape_of(std::span<const double> x, double rate_hz, const Spectrum& s,
                                     const JudgedBand& band, const std::vector<Peak>& peaks) {
  const double n = static_cast<double>(x.size());
  double segment = std::clamp(8 * rate_hz / std::max(band.verdict.spread_hz, rate_hz / n), 64.0, n / 6);
  for (int round = 0; round < 2; ++round) {
    const Spectrum averaged = averaged_over(x, rate_hz, segment);
    const double reach =
        std::max({3 * (band.high_hz - band.low_hz), 24 * averaged.plan.rbw_hz, 12 * s.plan.rbw_hz});
    // Peaks of other bands are no part of its shape.
    std::vector<bool> masked(averaged.bins(), false);
    for (std::size_t i = 0; i < peaks.size(); ++i) {
      if (std::find(band.members.begin(), band.members.end(), i) != band.members.end() || peaks[i].broad() ||
          (peaks[i].frequency_hz > band.low_hz && peaks[i].frequency_hz < band.high_hz))
        continue;
      const double at = averaged.bins_at(peaks[i].frequency_hz),
                   half = window_half_width_bins(averaged.window) + 1;
      const double last = std::min(at + half, static_cast<double>(averaged.bins() - 1));
      for (double k = std::max(0.0, std::ceil(at - half)); k <= last; ++k)
        masked[static_cast<std::size_t>(k)] = true;
    }
    const auto fit =
        fit_resonance(averaged, band.verdict.frequency_hz - reach, band.verdict.frequency_hz + reach, masked);
    if (fit && fit->damping < 0.3 &&
        std::abs(fit->frequency_hz - band.verdict.frequency_hz) <
            2 * fit->width_hz() + 0.5 * (band.high_hz - band.low_hz) &&
        fit->width_hz() < band.high_hz - band.low_hz + 4 * averaged.plan.rbw_hz) {
      if (fit->width_hz() > 3 * averaged.plan.rbw_hz || segment >= n / 6.01) return fit;
    }
    segment = n / 6;
  }
  // A chance peak is only a part of a wide one.
  constexpr double least_gain = 100, bins_about = 48;
  std::optional<ResonanceFit> best;
  for (const double parts : {24.0, 96.0}) {
    if (n / parts < 64) break;
    const Spectrum averaged = averaged_over(x, rate_hz, n / parts);
    const double at = band.verdict.frequency_hz, reach = bins_about * averaged.plan.rbw_hz;
    const auto fit = fit_resonance(averaged, at - reach, at + reach);
    if (fit && fit->gain > least_gain && fit->damping < 0.3 &&
        std::abs(fit->frequency_hz - at) < fit->width_hz() && fit->width_hz() > 3 * averaged.plan.rbw_hz &&
        3 * fit->width_hz() < 2 * reach && (!best || fit->gain > best->gain))
      best = fit;
  }
  return best;
}

}  // namespace vprism
