// stamp_lines.cpp: see stamp_lines.h.
#include "identify/findings/stamp_lines.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear/linear.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

namespace {

struct StampSine {
  double hz = 0, a = 0, b = 0;  ///< a cos + b sin, times from the first stamp.
};

/// Weighted Gauss-Newton over all sines and a constant; the covariance of the parameters for noise of
/// variance 1.
class StampFit {
 public:
  StampFit(const StampedSamples& samples, const std::vector<double>& weights)
      : samples_(samples), weights_(weights), residual(samples.value) {}

  /// Steps until frequencies rest; leaves what is not explained in `residual`.
  Matrix run(std::vector<StampSine>& sines, double width_hz) {
    Matrix normal, scatter;
    for (int step = 0; step < 12; ++step) {
      const auto size = static_cast<Eigen::Index>(3 * sines.size() + 1);
      normal = scatter = Matrix::Zero(size, size);
      Vector right = Vector::Zero(size), row(size);
      for (std::size_t n = 0; n < samples_.value.size(); ++n) {
        const double t = samples_.time_s[n] - samples_.time_s.front();
        double left = samples_.value[n] - constant_;
        for (std::size_t m = 0; m < sines.size(); ++m) {
          const StampSine& sine = sines[m];
          const double turns = sine.hz * t, angle = 2 * std::numbers::pi * (turns - std::floor(turns));
          const double c = std::cos(angle), s = std::sin(angle);
          const auto at = static_cast<Eigen::Index>(3 * m);
          row[at] = 2 * std::numbers::pi * t * (sine.b * c - sine.a * s);
          row[at + 1] = c, row[at + 2] = s;
          left -= sine.a * c + sine.b * s;
        }
        row[size - 1] = 1;
        residual[n] = left;
        normal.selfadjointView<Eigen::Lower>().rankUpdate(row, weights_[n]);
        scatter.selfadjointView<Eigen::Lower>().rankUpdate(row, weights_[n] * weights_[n]);
        right += weights_[n] * left * row;
      }
      normal = Matrix(normal.selfadjointView<Eigen::Lower>());
      scatter = Matrix(scatter.selfadjointView<Eigen::Lower>());
      const Vector change = solve_symmetric(normal, right);
      double largest = 0;
      for (std::size_t m = 0; m < sines.size(); ++m) {
        const auto at = static_cast<Eigen::Index>(3 * m);
        const double moved = std::clamp(change[at], -width_hz / 4, width_hz / 4);
        sines[m].hz += moved;
        sines[m].a += change[at + 1], sines[m].b += change[at + 2];
        largest = std::max(largest, std::abs(moved));
      }
      constant_ += change[size - 1];
      if (largest < 1e-9 * width_hz) break;
    }
    const Matrix inverse = inverse_of_symmetric(normal);
    return product(product(inverse, scatter), inverse);
  }

 private:
  const StampedSamples& samples_;
  const std::vector<double>& weights_;
  double constant_ = 0;

 public:
  std::vector<double> residual;
};

}  // namespace

PeakSearch stamp_lines(const StampedSamples& samples, const StampPlan& plan, const Spectrum& spectrum,
                       std::size_t most, double false_alarms) {
  const double width = 1 / plan.span_s;
  const auto count = static_cast<double>(samples.value.size());
  const std::vector<double> weights = stamp_weights(samples.time_s, spectrum.window);
  std::vector<StampSine> sines, sound;
  StampFit fit(samples, weights);
  Matrix covariance, sound_covariance;
  Spectrum left = spectrum;
  StampedSamples rest = samples;
  const auto variance_of = [&](const std::vector<double>& values, std::size_t lines) {
    double mean = 0, square = 0;
    for (std::size_t n = 0; n < values.size(); ++n) mean += weights[n] * values[n];
    for (std::size_t n = 0; n < values.size(); ++n)
      square += weights[n] * (values[n] - mean) * (values[n] - mean);
    return square * count / std::max(1.0, count - 3 * static_cast<double>(lines) - 1);
  };
  while (sines.size() < most) {
    // Next to a line that is known only what its fit left would be found.
    std::size_t top = 0;
    double highest = 0;
    for (std::size_t k = 0; k < left.bins(); ++k) {
      const double hz = left.frequency_hz(k);
      if (left.power[k] > highest && std::none_of(sines.begin(), sines.end(), [&](const StampSine& s) {
            return std::abs(s.hz - hz) < width;
          }))
        top = k, highest = left.power[k];
    }
    // Power of noise at one frequency is exponential with this mean; a quarter of the frequencies is
    // independent.
    const double noise = variance_of(rest.value, sines.size()) * left.plan.rbw_hz * 2 / left.plan.rate_hz;
    const double threshold = std::log(static_cast<double>(left.bins()) / 4 / false_alarms);
    if (!(highest > threshold * noise) || !(noise > 0)) break;
    sines.push_back({left.frequency_hz(top), 2 * left.first[top].real(), -2 * left.first[top].imag()});
    const std::vector<StampSine> asked = sines;
    covariance = fit.run(sines, width);
    // A fit that runs away has met something that is no line.
    const bool lost =
        std::mismatch(asked.begin(), asked.end(), sines.begin(), [&](const StampSine& a, const StampSine& b) {
          return std::abs(a.hz - b.hz) < width && std::isfinite(b.a) && std::isfinite(b.b);
        }).first != asked.end();
    if (lost) break;
    sound = sines, sound_covariance = covariance;
    rest.value = fit.residual;
    left = stamp_spectrum(rest, plan, spectrum.window);
  }
  sines = sound, covariance = sound_covariance;
  const double variance = variance_of(rest.value, sines.size());
  PeakSearch search;
  search.floor = noise_floor(left);
  for (std::size_t m = 0; m < sines.size(); ++m) {
    const StampSine& sine = sines[m];
    const auto at = static_cast<Eigen::Index>(3 * m);
    const double amplitude = std::hypot(sine.a, sine.b);
    Peak peak;
    peak.frequency_hz = sine.hz;
    peak.frequency_std_hz = std::sqrt(variance * covariance(at, at));
    peak.rms = amplitude / std::numbers::sqrt2;
    peak.rms_std = std::sqrt(variance * (sine.a * sine.a * covariance(at + 1, at + 1) +
                                         sine.b * sine.b * covariance(at + 2, at + 2) +
                                         2 * sine.a * sine.b * covariance(at + 1, at + 2))) /
                   amplitude / std::numbers::sqrt2;
    peak.phase_deg = std::atan2(-sine.b, sine.a) * 180 / std::numbers::pi;
    peak.bin = static_cast<std::size_t>(
        std::clamp(std::round(spectrum.bins_at(sine.hz)), 0.0, static_cast<double>(spectrum.bins()) - 1));
    peak.floor_power = search.floor[peak.bin];
    peak.prominence_db = peak.signal_to_noise_db();
    // Lines that only stand against each other are none.
    if (peak.rms_std < peak.rms / 3 && peak.frequency_std_hz < width) search.peaks.push_back(peak);
  }
  std::sort(search.peaks.begin(), search.peaks.end(),
            [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
  return search;
}

}  // namespace vprism
