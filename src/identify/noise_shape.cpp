// noise_shape.cpp: see noise_shape.h.
#include "identify/noise_shape.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"

namespace vprism {

namespace {

double median(std::vector<double> v) {
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  return *middle;
}

}  // namespace

std::string NoiseShape::word() const {
  if (scatter_db > 3) return "of no single slope";
  const double near = std::max(0.15, 3 * slope_std);
  if (std::abs(slope) <= near) return "white";
  if (std::abs(slope - 1) <= near) return "pink (1/f)";
  if (std::abs(slope - 2) <= near) return "brown (1/f^2)";
  return (slope > 0 ? "falling as 1/f^" : "rising as f^") + format_number(std::abs(slope), 2);
}

double NoiseShape::density(double hz) const { return density_at_1hz * std::pow(hz, -slope); }

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
  std::vector<double> slopes, offsets;
  for (std::size_t i = 0; i < x.size(); ++i) {
    std::vector<double> own;
    for (std::size_t j = 0; j < x.size(); ++j)
      if (j != i) own.push_back((y[j] - y[i]) / (x[j] - x[i]));
    slopes.push_back(median(std::move(own)));
  }
  shape.slope = -median(slopes);
  for (std::size_t i = 0; i < x.size(); ++i) offsets.push_back(y[i] + shape.slope * x[i]);
  const double offset = median(offsets);
  std::vector<double> off;
  double spread = 0, mean = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    off.push_back(std::abs(offsets[i] - offset));
    mean += x[i] / static_cast<double>(x.size());
  }
  for (const double v : x) spread += (v - mean) * (v - mean);
  shape.scatter_db = 10 / std::numbers::ln10 * 1.4826 * median(off);
  shape.slope_std = 1.4826 * median(off) / std::sqrt(spread);
  shape.density_at_1hz = std::exp(offset);

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
    double sum = 0, most = 0;
    for (; k < floor.size() && above(k) >= least; ++k) {
      sum += (floor[k] - rbw * shape.density(spectrum.frequency_hz(k))) / spectrum.enbw_bins;
      if (above(k) > most) most = above(k), band.peak_hz = spectrum.frequency_hz(k);
    }
    band.low_hz = spectrum.frequency_hz(begin) - bin / 2;
    band.high_hz = spectrum.frequency_hz(k - 1) + bin / 2;
    band.rms = std::sqrt(std::max(0.0, sum));
    band.above_db = 10 * std::log10(most);
    // Of a wide slope at the lowest frequencies the law itself tells.
    if (most >= high_enough && k - begin >= 6 && begin > 12) shape.bands.push_back(band);
  }
  return shape;
}

}  // namespace vprism
