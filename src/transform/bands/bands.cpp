// bands.cpp: see bands.h.
#include "transform/bands/bands.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/text.h"
#include "condition/steps/weight.h"

namespace vprism {

namespace {

const double octave_ratio = std::pow(10.0, 0.3);

/// Nominal middle of a band: octaves and thirds by IEC 61260-1 annex E, finer ones to three digits.
std::string nominal(double hz, int fraction) {
  static constexpr std::array thirds = {1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0};
  if (fraction != 1 && fraction != 3) return format_quantity(hz, "Hz", 3);
  const auto place = static_cast<int>(std::lround(10 * std::log10(hz)));
  const int decade = static_cast<int>(std::floor(place / 10.0));
  return format_quantity(thirds[static_cast<std::size_t>(place - 10 * decade)] * std::pow(10.0, decade),
                         "Hz");
}

/// Share of a bin that lies within a band: bins reach half a bin to each side.
double overlap(const Spectrum& spectrum, std::size_t bin, double low_hz, double high_hz) {
  const double half = spectrum.plan.bin_hz / 2, hz = spectrum.frequency_hz(bin);
  const double from = std::max(hz - half, low_hz), to = std::min(hz + half, high_hz);
  return std::max(0.0, (to - from) / (2 * half));
}

/// Mean square in a band of levels that `power(bin)` gives.
template <typename Power>
double within(const Spectrum& spectrum, double low_hz, double high_hz, const Power& power) {
  const double last = static_cast<double>(spectrum.bins()) - 1;
  const auto from = static_cast<std::size_t>(std::clamp(std::floor(spectrum.bins_at(low_hz)), 0.0, last));
  const auto to = static_cast<std::size_t>(std::clamp(std::ceil(spectrum.bins_at(high_hz)), 0.0, last));
  double sum = 0;
  for (std::size_t k = from; k <= to; ++k) sum += overlap(spectrum, k, low_hz, high_hz) * power(k);
  return sum;
}

/// Limits on the attenuation of a sine at G^exponent of the middle, for octaves; dB.
struct Limit {
  double exponent, least1, most1, least2, most2;
};
constexpr double anywhere = 1e9;
constexpr Limit limits[] = {
    {0, -0.4, 0.4, -0.6, 0.6},           {1.0 / 8, -0.4, 0.5, -0.6, 0.7}, {1.0 / 4, -0.4, 0.7, -0.6, 0.9},
    {3.0 / 8, -0.4, 1.4, -0.6, 1.7},     {1.0 / 2, 1.6, 5.3, 1.2, 5.8},   {1, 16.6, anywhere, 15.6, anywhere},
    {2, 40.5, anywhere, 39.5, anywhere}, {3, 60, anywhere, 54, anywhere}, {4, 70, anywhere, 60, anywhere}};

}  // namespace

std::vector<BandEdges> octave_bands(int fraction, double low_hz, double high_hz) {
  std::vector<BandEdges> out;
  if (!(low_hz > 0 && high_hz > low_hz)) return out;
  const double b = fraction, half = std::pow(octave_ratio, 1 / (2 * b));
  const double shift = fraction % 2 == 0 ? 0.5 : 0;
  const auto number = [&](double hz) { return std::log(hz / 1000) / std::log(octave_ratio) * b - shift; };
  for (double x = std::floor(number(low_hz)) - 1; x <= number(high_hz) + 1; ++x) {
    const double middle = 1000 * std::pow(octave_ratio, (x + shift) / b);
    if (middle / half < low_hz * (1 - 1e-9) || middle * half > high_hz * (1 + 1e-9)) continue;
    out.push_back({middle / half, middle, middle * half, nominal(middle, fraction)});
  }
  return out;
}

std::vector<BandLevel> band_levels(const Spectrum& spectrum, const std::vector<BandEdges>& bands) {
  double all = 0;
  for (std::size_t k = spectrum.mirrored() ? 1 : 0; k < spectrum.bins(); ++k) all += spectrum.share(k);
  std::vector<BandLevel> out;
  for (const BandEdges& edges : bands) {
    const double sum =
        within(spectrum, edges.low_hz, edges.high_hz, [&](std::size_t k) { return spectrum.share(k); });
    out.push_back({edges, sum, all > 0 ? sum / all : 0, {}});
  }
  return out;
}

int octave_class(const Spectrum& spectrum, const BandEdges& band, int fraction) {
  const WindowTransform lobe(spectrum.window, spectrum.plan.segment);
  const double b = fraction, unpadded = static_cast<double>(spectrum.transform) /
                                        static_cast<double>(spectrum.plan.segment);
  bool first = true, second = true;
  for (const Limit& limit : limits)
    for (const int side : {-1, 1}) {
      // Breakpoints of fractions: 1 + (G^(1/2b) - 1) / (G^(1/2) - 1) (G^exponent - 1).
      const double stretch = (std::pow(octave_ratio, 1 / (2 * b)) - 1) / (std::sqrt(octave_ratio) - 1);
      const double above = 1 + stretch * (std::pow(octave_ratio, limit.exponent) - 1);
      const double hz = band.middle_hz * (side > 0 ? above : 1 / above);
      if (hz < spectrum.frequency_hz(0) || hz > spectrum.frequency_hz(spectrum.bins() - 1)) continue;
      const double at = spectrum.bins_at(hz);
      const double passed = within(spectrum, band.low_hz, band.high_hz, [&](std::size_t k) {
        return std::pow(lobe((static_cast<double>(k) - at) / unpadded), 2) / spectrum.enbw_bins;
      });
      const double attenuation = passed > 0 ? -10 * std::log10(passed) : 400;
      first = first && attenuation >= limit.least1 && attenuation <= limit.most1;
      second = second && attenuation >= limit.least2 && attenuation <= limit.most2;
    }
  return first ? 1 : second ? 2 : 0;
}

double weighted_mean_square(const Spectrum& spectrum, char letter) {
  double sum = 0;
  for (std::size_t k = spectrum.mirrored() ? 1 : 0; k < spectrum.bins(); ++k)
    sum += spectrum.share(k) * std::pow(weighting_gain(letter, std::abs(spectrum.frequency_hz(k))), 2);
  return sum;
}

}  // namespace vprism
