// noise_shape.cpp: see noise_shape.h.
#include "identify/noise/noise_shape.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <utility>

#include "base/percentile.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

double median(std::vector<double> v) { return median_in(v); }

/// A straight line through logarithms over logarithms, and how they scatter about it.
struct Law {
  double slope = 0, offset = 0, scatter = 0;
};

/// Repeated medians (Siegel 1982).
Law law_through(const std::vector<double>& x, const std::vector<double>& y) {
  Law out;
  std::vector<double> slopes, offsets, off;
  for (std::size_t i = 0; i < x.size(); ++i) {
    std::vector<double> own;
    for (std::size_t j = 0; j < x.size(); ++j)
      if (j != i) own.push_back((y[j] - y[i]) / (x[j] - x[i]));
    slopes.push_back(median(std::move(own)));
  }
  out.slope = median(slopes);
  for (std::size_t i = 0; i < x.size(); ++i) offsets.push_back(y[i] - out.slope * x[i]);
  out.offset = median(offsets);
  for (const double o : offsets) off.push_back(std::abs(o - out.offset));
  out.scatter = 1.4826 * median(std::move(off));
  return out;
}

/// A law that ends in a plateau, the level of the highest octave: the law is that of what stands well above
/// it. Nothing where that is no better than one law all through.
std::optional<std::pair<Law, double>> law_with_plateau(const std::vector<double>& x,
                                                       const std::vector<double>& y, const Law& one) {
  std::vector<double> top, low_x, low_y, off;
  for (std::size_t i = 0; i < x.size(); ++i)
    if (x[i] > x.back() - std::numbers::ln2) top.push_back(y[i]);
  const double top_x = x.back() - std::numbers::ln2 / 2;
  double plateau = std::exp(median(top));
  Law law;
  // The law goes on below the plateau: each is what the other leaves.
  for (int round = 0; round < 3; ++round) {
    low_x.clear(), low_y.clear();
    for (std::size_t i = 0; i < x.size(); ++i)
      if (std::exp(y[i]) > 2 * plateau)
        low_x.push_back(x[i]), low_y.push_back(std::log(std::exp(y[i]) - plateau));
    if (low_x.size() < 8) return {};
    law = law_through(low_x, low_y);
    if (law.slope > -0.5) return {};
    const double there = std::exp(law.offset + law.slope * top_x);
    if (there > 0.5 * plateau) return {};  // One that ends below it.
    plateau = std::exp(median(top)) - there;
  }
  for (std::size_t i = 0; i < x.size(); ++i)
    off.push_back(std::abs(y[i] - std::log(std::exp(law.offset + law.slope * x[i]) + plateau)));
  law.scatter = 1.4826 * median(std::move(off));
  if (law.scatter > 0.6 * one.scatter) return {};  // One law is as good.
  return std::pair{law, plateau};
}

}  // namespace

std::string NoiseShape::word() const {
  if (scatter_db > 3) return "of no single slope";
  const double near = std::max(0.15, 3 * slope_std);
  const std::string plateau =
      white_density > 0
          ? ", white above " + format_quantity(std::pow(density_at_1hz / white_density, 1 / slope), "Hz", 3)
          : "";
  if (std::abs(slope) <= near) return "white";
  if (std::abs(slope - 1) <= near) return "pink (1/f)" + plateau;
  if (std::abs(slope - 2) <= near) return "brown (1/f^2)" + plateau;
  return (slope > 0 ? "falling as 1/f^" : "rising as f^") + format_number(std::abs(slope), 2) + plateau;
}

double NoiseShape::density(double hz) const { return density_at_1hz * std::pow(hz, -slope) + white_density; }

NoiseShape noise_shape(const Spectrum& spectrum, const std::vector<double>& floor) {
  NoiseShape shape;
  const double bin = spectrum.plan.bin_hz, rbw = spectrum.plan.rbw_hz;
  double square = 0;
  for (std::size_t k = 1; k < floor.size(); ++k) square += floor[k] / spectrum.enbw_bins;
  shape.rms = std::sqrt(square);
  // Means of the floor over tenths of octaves, from a dozen bins on.
  std::vector<double> x, y;
  if (spectrum.two_sided) return shape;
  for (double from = 12; from < static_cast<double>(floor.size()) - 1; from *= std::pow(2, 0.1)) {
    const auto low = static_cast<std::size_t>(from);
    const auto high = std::min(floor.size(), std::max(low + 1, static_cast<std::size_t>(from * 1.0718)));
    double sum = 0;
    for (std::size_t k = low; k < high; ++k) sum += floor[k] / static_cast<double>(high - low);
    if (!(sum > 0)) continue;
    const double hz = spectrum.frequency_hz((low + high - 1) / 2);
    if (!x.empty() && std::log(hz) <= x.back()) continue;
    x.push_back(std::log(hz));
    y.push_back(std::log(sum / rbw));
  }
  if (x.size() < 8 || !std::all_of(y.begin(), y.end(), [](double v) { return std::isfinite(v); }))
    return shape;
  Law law = law_through(x, y);
  if (const auto ends = law_with_plateau(x, y, law)) law = ends->first, shape.white_density = ends->second;
  shape.slope = -law.slope;
  double spread = 0, mean = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) spread += (v - mean) * (v - mean);
  shape.scatter_db = 10 / std::numbers::ln10 * law.scatter;
  shape.slope_std = law.scatter / std::sqrt(spread);
  shape.density_at_1hz = std::exp(law.offset);

  const double least = std::pow(10, 0.25), high_enough = std::pow(10, 0.5);  // 2.5 dB and 5 dB
  for (std::size_t k = 2; k < floor.size();) {
    const auto above = [&](std::size_t at) {
      return floor[at] / rbw / shape.density(spectrum.frequency_hz(at));
    };
    // Where nothing is known nothing stands above it.
    if (!(above(k) >= least)) {
      ++k;
      continue;
    }
    NoiseBand band;
    const std::size_t begin = k;
    double sum = 0, most = 0, raised = 0;
    for (; k < floor.size() && above(k) >= least; ++k) {
      raised += above(k) - 1;
      sum += (floor[k] - rbw * shape.density(spectrum.frequency_hz(k))) / spectrum.enbw_bins;
      if (above(k) > most) most = above(k), band.peak_hz = spectrum.frequency_hz(k);
    }
    // A few bins of one segment lie so high by chance; bins of a window share half their noise.
    constexpr double by_chance = 5, alike = 1.5;
    const double bins = static_cast<double>(k - begin), excess = raised / bins,
                 scatter = std::sqrt(alike / (bins * std::max(1.0, spectrum.noise_averages)));
    band.low_hz = spectrum.frequency_hz(begin) - bin / 2;
    band.high_hz = spectrum.frequency_hz(k - 1) + bin / 2;
    band.rms = std::sqrt(std::max(0.0, sum));
    band.above_db = 10 * std::log10(most);
    // What folds at half the rate lifts the end of a steep law.
    const bool folded = shape.slope > 1 && k == floor.size() && most < std::pow(10, 0.8);
    // Of a wide slope at the lowest frequencies the law itself tells.
    if (most >= high_enough && !folded && k - begin >= 6 && begin > 12 && excess > by_chance * scatter)
      shape.bands.push_back(band);
  }
  return shape;
}

}  // namespace vprism
