// whole_lines.cpp: see whole_lines.h.
#include "identify/whole_lines.h"

#include <algorithm>
#include <cmath>

#include "identify/peaks.h"
#include "transform/spectrum_estimator.h"

namespace vprism {

Spectrum whole_spectrum(std::span<const double> x, double rate_hz) {
  SpectrumSettings settings;
  settings.window = parse_window("blackman-harris");
  settings.segment = x.size();
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate_hz);
  SpectrumEstimator estimator(plan, settings);
  const std::span<const double> channels[] = {x};
  estimator.add(channels);
  return std::move(estimator.result()[0]);
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
