// whole_lines.cpp: see whole_lines.h.
#include "identify/lines/whole_lines.h"

#include <algorithm>
#include <cmath>

#include "identify/lines/peaks.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

Spectrum whole_spectrum(std::span<const double> x, double rate_hz) {
  SpectrumSettings settings;
  settings.window = parse_window("blackman-harris");
  settings.segment = x.size();
  return spectrum_of(x, rate_hz, settings);
}

double density_around(const Spectrum& whole, double hz) {
  const double at = whole.bins_at(hz);
  const auto low = static_cast<std::size_t>(std::max(2.0, at - 16));
  const auto high = std::min(whole.bins(), static_cast<std::size_t>(at + 17));
  double sum = 0;
  for (std::size_t k = low; k < high; ++k) sum += whole.power[k];
  // Four unknowns, two in each bin, are fitted away.
  return high > low + 4 ? sum / static_cast<double>(high - low - 2) / whole.plan.rbw_hz : 0;
}

SineFit fit_whole_lines(std::span<const double> x, double rate_hz, std::size_t most) {
  SineFit fit;
  for (const double v : x) fit.mean += v;
  fit.mean /= static_cast<double>(std::max<std::size_t>(1, x.size()));
  const auto without = [&] {
    double square = 0;
    for (const double v : x) fit.residual.push_back(v - fit.mean), square += (v - fit.mean) * (v - fit.mean);
    fit.residual_rms = std::sqrt(square / static_cast<double>(std::max<std::size_t>(1, x.size())));
    return fit;
  };
  if (x.size() < 32) return without();
  PeakSettings settings;
  settings.most = most;
  const std::vector<Peak> peaks = find_peaks(whole_spectrum(x, rate_hz), settings).peaks;
  std::vector<Sine> first;
  for (const Peak& p : peaks) {
    if (first.size() == most) break;
    Sine s;
    s.frequency_hz = p.frequency_hz;
    first.push_back(s);
  }
  if (first.empty()) return without();
  fit = fit_sines(x, rate_hz, std::move(first));
  std::stable_sort(fit.sines.begin(), fit.sines.end(),
                   [](const Sine& a, const Sine& b) { return a.amplitude > b.amplitude; });
  return fit;
}

}  // namespace vprism
