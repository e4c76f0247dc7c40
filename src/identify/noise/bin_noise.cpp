// bin_noise.cpp: see bin_noise.h. The formulas stand in lobe_fit.cpp.
#include "identify/noise/bin_noise.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

BinNoise::BinNoise(const Spectrum& spectrum, const WindowTransform& transform, double half_width)
    : plan_(spectrum.plan), transform_(transform) {
  // From the window's samples, thinned for long segments: w is smooth. r_m(d) = sum_n w[n] w[n + m hop] cos(2
  // pi d (n + m hop / 2 - N/2) / N) / sum w^2.
  const std::size_t size = std::min<std::size_t>(plan_.segment, 2048);
  const std::vector<double> w = make_window(spectrum.window, size);
  double all = 0;
  for (const double x : w) all += x * x;
  const auto distances = static_cast<std::size_t>(2 * std::ceil(half_width)) + 2;
  const double thinned_hop =
      static_cast<double>(plan_.hop) * static_cast<double>(size) / static_cast<double>(plan_.segment);
  for (std::size_t m = 0; static_cast<double>(m) * thinned_hop < static_cast<double>(size) &&
                          static_cast<std::int64_t>(m) < plan_.averages;
       ++m) {
    const auto lag = static_cast<std::size_t>(std::lround(static_cast<double>(m) * thinned_hop));
    std::vector<double> row(distances, 0.0);
    for (std::size_t n = 0; n + lag < size; ++n) {
      const double product = w[n] * w[n + lag] / all;
      const double turn =
          2 * std::numbers::pi *
          ((static_cast<double>(n) + static_cast<double>(lag) / 2) / static_cast<double>(size) - 0.5);
      for (std::size_t d = 0; d < distances; ++d) row[d] += product * std::cos(turn * static_cast<double>(d));
    }
    correlation_.push_back(std::move(row));
  }
}

double BinNoise::correlation(std::size_t lag, std::size_t a, std::size_t b) const {
  const std::size_t d = a > b ? a - b : b - a;
  return lag < correlation_.size() && d < correlation_[lag].size() ? correlation_[lag][d] : 0;
}

double BinNoise::beat_covariance(double line_bins, std::size_t a, std::size_t b) const {
  const double count = static_cast<double>(plan_.averages),
               middle = (static_cast<double>(a) + static_cast<double>(b)) / 2;
  double sum = correlation(0, a, b);
  for (std::size_t m = 1; m < correlation_.size(); ++m) {
    const double turn = 2 * std::numbers::pi * static_cast<double>(m * plan_.hop) /
                        static_cast<double>(plan_.segment) * (middle - line_bins);
    sum += 2 * (1 - static_cast<double>(m) / count) * std::cos(turn) * correlation(m, a, b);
  }
  return 2 * transform_(static_cast<double>(a) - line_bins) * transform_(static_cast<double>(b) - line_bins) *
         sum / count;
}

double BinNoise::noise_covariance(std::size_t a, std::size_t b) const {
  const auto count = static_cast<double>(plan_.averages);
  double sum = std::pow(correlation(0, a, b), 2);
  for (std::size_t m = 1; m < correlation_.size(); ++m)
    sum += 2 * (1 - static_cast<double>(m) / count) * std::pow(correlation(m, a, b), 2);
  return sum / count;
}

}  // namespace vprism
