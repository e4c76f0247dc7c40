// rung_bands.cpp: see rung_bands.h.
#include "identify/verdict/rung_bands.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "identify/noise/noise_floor.h"
#include "identify/peaks/peak_sines.h"

namespace vprism {

namespace {

double lines_within(const Spectrum& s, JudgedBand& band, std::vector<Peak>& peaks) {
  const ResonanceFit& fit = *band.resonance;
  const double bins = (band.high_hz - band.low_hz) / s.plan.bin_hz + 10;
  const double threshold = noise_quantile_above(s.noise_averages, 1e-3 / bins);
  double out = 0;
  std::erase_if(band.members, [&](std::size_t m) {
    Peak& p = peaks[m];
    // The fit's density, in this spectrum's RBW: its area is its mean square.
    const double off = 2 * (p.frequency_hz - fit.frequency_hz) / fit.width_hz();
    const double noise =
        fit.rms * fit.rms * 2 / (std::numbers::pi * fit.width_hz()) / (1 + off * off) * s.plan.rbw_hz;
    const double ratio = p.rms * p.rms / noise;
    if (p.broad() || std::abs(off) > 3 || !(ratio > threshold)) return false;
    // Of what overlaps, the whole way from the first segment to the last.
    const double duration_s =
        static_cast<double>((s.plan.averages - 1) * static_cast<std::int64_t>(s.plan.hop) +
                            static_cast<std::int64_t>(s.plan.segment)) /
        s.plan.rate_hz;
    p.rms_std = p.least_rms_std = std::max(p.rms_std, p.rms / std::sqrt(2 * ratio));
    p.frequency_std_hz = p.least_frequency_std_hz = std::max(
        p.frequency_std_hz, 1.3 * std::sqrt(6.0) / (2 * std::numbers::pi * duration_s * std::sqrt(ratio)));
    p.misfit = 1, out += p.rms * p.rms;
    return true;
  });
  return out;
}

}  // namespace

double take_lines_within(std::span<const double> rest, double rate_hz, const Spectrum& spectrum,
                         JudgedBand& band, std::vector<Peak>& peaks) {
  const double square = lines_within(spectrum, band, peaks);
  if (!(square > 0)) return 0;
  const std::vector<Sine> within = sines_of(peaks, spectrum, [&](const Peak& p) {
    return p.least_rms_std > 0 && p.frequency_hz > band.low_hz && p.frequency_hz < band.high_hz;
  });
  if (!worth_fitting(within.size(), rest.size())) return square;
  if (const auto again =
          shape_of(fit_sines(rest, rate_hz, within, 8, 1e-6).residual, rate_hz, spectrum, band, peaks))
    band.resonance = again;
  return square;
}

void share_among_resonances(const BandSource& source, const Spectrum& spectrum,
                            const std::vector<double>& floor, const std::vector<Peak>& peaks,
                            std::vector<JudgedBand>& bands) {
  constexpr double widths = 40;
  const auto bin_at = [&](double hz) {
    return static_cast<std::size_t>(
        std::clamp(hz / source.bin_hz(), 0.0, static_cast<double>(source.bins() - 1)));
  };
  std::vector<JudgedBand*> rung;
  std::size_t low = source.bins(), high = 0;
  for (JudgedBand& band : bands) {
    if (!band.resonance || band.impulses || band.verdict.kind != BandVerdict::Kind::noise) continue;
    rung.push_back(&band);
    const double reach = widths * band.resonance->width_hz();
    low = std::min(low, bin_at(band.resonance->frequency_hz - reach));
    high = std::max(high, bin_at(band.resonance->frequency_hz + reach) + 1);
  }
  if (rung.empty()) return;
  // Where a line stands within, what the fit expects stands for what is there.
  std::vector<bool> under_line(high, false);
  for (const Peak& p : peaks)
    if (p.least_rms_std > 0 && !p.of_band) {
      constexpr std::size_t reach = 3;
      const std::size_t at = bin_at(p.frequency_hz);
      for (std::size_t b = at - std::min(at, reach); b < std::min(high, at + reach + 1); ++b)
        under_line[b] = true;
    }
  std::vector<double> square(rung.size(), 0), part(rung.size()), expected(rung.size(), 0),
      seen(rung.size(), 0);
  for (std::size_t b = std::max<std::size_t>(1, low); b < high; ++b) {
    const double hz = static_cast<double>(b) * source.bin_hz();
    const auto k = std::min(static_cast<std::size_t>(hz / spectrum.plan.bin_hz + 0.5), floor.size() - 1);
    // Densities: the fits were made to spectra of other RBW each.
    double all = 0, beside = floor[k] / spectrum.plan.rbw_hz;
    for (std::size_t j = 0; j < rung.size(); ++j) {
      const ResonanceFit& fit = *rung[j]->resonance;
      const double off = 2 * (hz - fit.frequency_hz) / fit.width_hz(),
                   top = fit.rms * fit.rms * 2 / (std::numbers::pi * fit.width_hz());
      part[j] = top / (1 + off * off), all += part[j];
      if (std::abs(off) < 8 && fit.height > 0) beside = std::min(beside, top * fit.pedestal / fit.height);
    }
    const double power = source.power(b);
    for (std::size_t j = 0; j < rung.size(); ++j) {
      expected[j] += part[j];
      if (under_line[b] || !(all > 0)) continue;
      seen[j] += part[j], square[j] += power * part[j] / (all + beside);
    }
  }
  for (std::size_t j = 0; j < rung.size(); ++j)
    if (seen[j] > 0) rung[j]->level_rms = std::sqrt(square[j] * expected[j] / seen[j]);
}

}  // namespace vprism
