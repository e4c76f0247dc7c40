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
    const auto fit = fit_resonance(averaged, band.verdict.frequency_hz - reach,
                                   band.verdict.frequency_hz + reach, masked, {}, true);
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
    const auto fit = fit_resonance(averaged, at - reach, at + reach, {}, {}, true);
    if (fit && fit->gain > least_gain && fit->damping < 0.3 &&
        std::abs(fit->frequency_hz - at) < fit->width_hz() && fit->width_hz() > 3 * averaged.plan.rbw_hz &&
        3 * fit->width_hz() < 2 * reach && (!best || fit->gain > best->gain))
      best = fit;
  }
  return best;
}

std::optional<std::pair<ResonanceFit, ResonanceFit>> two_shapes_of(std::span<const double> x, double rate_hz,
                                                                   const ResonanceFit& one) {
  constexpr double bins_in_width = 8, widths = 3, least_gain = 12;
  const double n = static_cast<double>(x.size());
  const double segment = bins_in_width * rate_hz / one.width_hz();
  if (segment < 64 || segment > n / 6) return {};
  const Spectrum averaged = averaged_over(x, rate_hz, segment);
  const auto [low, high] = averaged.bins_within(one.frequency_hz - widths * one.width_hz(),
                                                one.frequency_hz + widths * one.width_hz());
  if (high < low + 12) return {};
  const auto& p = averaged.power;
  const auto top = [&](std::size_t from, std::size_t to) {
    return static_cast<std::size_t>(std::max_element(p.begin() + static_cast<std::ptrdiff_t>(from),
                                                     p.begin() + static_cast<std::ptrdiff_t>(to)) -
                                    p.begin());
  };
  // Of all places to part them the one that lies deepest between its tops.
  std::size_t valley = 0;
  double deepest = 1;
  for (std::size_t k = low + 3; k + 3 < high; ++k) {
    const double lower = std::min(p[top(low, k)], p[top(k + 1, high)]);
    if (lower > 0 && p[k] / lower < deepest) deepest = p[k] / lower, valley = k;
  }
  if (valley == 0 || deepest > 0.8) return {};
  const auto part = [&](std::size_t at, bool below) {
    const double hz = averaged.hz_at(static_cast<double>(at)),
                 edge = averaged.hz_at(static_cast<double>(valley)), away = 3 * std::abs(edge - hz);
    auto fit = below ? fit_resonance(averaged, hz - away, edge) : fit_resonance(averaged, edge, hz + away);
    // A line is no resonance.
    if (fit && (std::abs(fit->frequency_hz - hz) > 2 * fit->width_hz() || fit->damping > 0.3 ||
                fit->width_hz() < 2 * averaged.plan.rbw_hz))
      fit.reset();
    return fit;
  };
  const auto first = part(top(low, valley), true), second = part(top(valley + 1, high), false);
  const auto alone = fit_resonance(averaged, averaged.hz_at(static_cast<double>(low)),
                                   averaged.hz_at(static_cast<double>(high)), {}, {}, true);
  if (!first || !second || !alone) return {};
  // By how much they are likelier than one (Whittle 1953).
  const double beside = std::min(first->pedestal, second->pedestal);
  double gain = 0;
  for (std::size_t k = low; k < high; ++k) {
    const double hz = averaged.hz_at(static_cast<double>(k)), one_there = alone->power_at(hz),
                 two_there = first->resonant_at(hz) + second->resonant_at(hz) + beside;
    if (!(one_there > 0) || !(two_there > 0)) continue;
    gain += averaged.noise_averages *
            (p[k] / one_there + std::log(one_there) - p[k] / two_there - std::log(two_there));
  }
  if (gain < least_gain) return {};
  return std::pair(*first, *second);
}

}  // namespace vprism
