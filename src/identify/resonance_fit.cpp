// resonance_fit.cpp: see resonance_fit.h.
//
// Expected power of bin k: S_k = sum_j K_j (a H(f_k + j df) + b), H = (2 z)^2 / ((1 - r^2)^2 + (2 z r)^2),
// r = f / f0, K the squares of the window's lobe, adding up to 1. An average worth n segments has the
// likelihood -n sum (log S + P / S); Fisher scoring in log a, log b, f0 and log z climbs it. Neighbouring
// bins of a window share noise: the information is divided by the sum of their squared correlations.
#include "identify/resonance_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear.h"
#include "transform/window.h"

namespace vprism {

namespace {

using Vector4 = Eigen::Vector4d;
using Matrix4 = Eigen::Matrix4d;

class Likelihood {
 public:
  Likelihood(const Spectrum& s, std::size_t low, std::size_t high, const std::vector<bool>& masked)
      : spectrum_(s) {
    const WindowTransform lobe(s.window, s.plan.segment);
    const int reach = std::max(1, static_cast<int>(std::ceil(window_half_width_bins(s.window))));
    double sum = 0;
    for (int j = -reach; j <= reach; ++j) kernel_.push_back(std::pow(lobe(j), 2)), sum += kernel_.back();
    for (double& k : kernel_) k /= sum;
    shared_ = bins_alike(s.window);
    for (std::size_t k = low; k < high; ++k)
      if (masked.empty() || !masked[k]) bins_.push_back(k);
  }

  std::size_t count() const { return bins_.size(); }
  double weight() const { return spectrum_.noise_averages / shared_; }

  /// Log-likelihood at (log a, log b, f0, log z); gradient and information too where asked for.
  double at(const Vector4& p, Vector4* gradient = nullptr, Matrix4* information = nullptr) const {
    const double a = std::exp(p[0]), b = std::exp(p[1]), f0 = p[2], z = std::exp(p[3]);
    if (gradient) gradient->setZero(), information->setZero();
    double sum = 0;
    const auto reach = static_cast<int>(kernel_.size() / 2);
    for (const std::size_t k : bins_) {
      double h = 0, by_f = 0, by_z = 0;
      for (int j = -reach; j <= reach; ++j) {
        const double r = (spectrum_.frequency_hz(k) + j * spectrum_.plan.bin_hz) / f0;
        const double u = 1 - r * r, v = 2 * z * r, d = u * u + v * v, one = 4 * z * z / d;
        const double w = kernel_[static_cast<std::size_t>(j + reach)];
        h += w * one;
        // d(log H)/d(log z) = 2 - 2 v^2 / d; d(log H)/d(f0) = -(4 u r^2 - 2 v^2) / (f0 d) with r ~ 1 / f0.
        by_z += w * one * (2 - 2 * v * v / d);
        by_f += w * one * -(4 * u * r * r - 2 * v * v) / (f0 * d);
      }
      const double s = a * h + b, ratio = spectrum_.power[k] / s;
      sum -= std::log(s) + ratio;
      if (!gradient) continue;
      const Vector4 slope(a * h / s, b / s, a * by_f / s, a * by_z / s);
      *gradient += (ratio - 1) * slope;
      *information += slope * slope.transpose();
    }
    if (gradient) *gradient *= weight(), *information *= weight();
    return weight() * sum;
  }

  double flat() const {
    double mean = 0, sum = 0;
    for (const std::size_t k : bins_) mean += spectrum_.power[k] / static_cast<double>(bins_.size());
    for (const std::size_t k : bins_) sum -= std::log(mean) + spectrum_.power[k] / mean;
    return weight() * sum;
  }

 private:
  const Spectrum& spectrum_;
  std::vector<std::size_t> bins_;
  std::vector<double> kernel_;
  double shared_ = 1;
};

}  // namespace

double ResonanceFit::power_at(double hz) const {
  const double r = hz / frequency_hz, u = 1 - r * r, v = 2 * damping * r;
  return pedestal + height * 4 * damping * damping / (u * u + v * v);
}

std::optional<ResonanceFit> fit_resonance(const Spectrum& s, double low_hz, double high_hz,
                                          const std::vector<bool>& masked) {
  const auto [low, high] = s.bins_within(std::max(low_hz, 2 * s.plan.bin_hz), high_hz);
  if (high < low + 12 || s.two_sided) return std::nullopt;
  const Likelihood likelihood(s, low, high, masked);
  if (likelihood.count() < 12) return std::nullopt;
  double least = 1e300, most = 0;
  std::vector<double> sorted;
  for (std::size_t k = low; k < high; ++k) {
    if (!masked.empty() && masked[k]) continue;
    sorted.push_back(s.power[k]);
    if (s.power[k] > most) most = s.power[k];
  }
  std::sort(sorted.begin(), sorted.end());
  least = std::max(sorted[sorted.size() / 5], most * 1e-12);
  Vector4 best;
  double best_value = -1e300;
  // The likeliest of some beginnings, and the two after it.
  std::vector<std::pair<double, Vector4>> starts;
  for (const double z : {0.002, 0.006, 0.02, 0.06})
    for (const double part : {0.2, 0.35, 0.5, 0.65, 0.8}) {
      const Vector4 p(std::log(most / 2), std::log(least), low_hz + part * (high_hz - low_hz), std::log(z));
      starts.push_back({likelihood.at(p), p});
    }
  std::sort(starts.begin(), starts.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  starts.resize(4);
  for (auto& [value, p] : starts) {
    double damping = 1e-2;
    for (int step = 0; step < 60 && damping < 1e8; ++step) {
      Vector4 gradient;
      Matrix4 information;
      likelihood.at(p, &gradient, &information);
      information.diagonal() *= 1 + damping;
      information.diagonal().array() += 1e-12;
      Vector4 change = solve_symmetric(Matrix(information), Vector(gradient));
      change[2] = std::clamp(change[2], -0.1 * (high_hz - low_hz), 0.1 * (high_hz - low_hz));
      for (const int i : {0, 1, 3}) change[i] = std::clamp(change[i], -1.0, 1.0);
      const Vector4 trial = p + change;
      const bool inside = trial[2] > low_hz && trial[2] < high_hz && trial[3] < 0 && trial[3] > -12;
      const double moved = inside ? likelihood.at(trial) : -1e300;
      if (moved >= value) {
        const bool still = moved - value < 1e-9;
        p = trial, value = moved, damping = std::max(damping / 5, 1e-9);
        if (still) break;
      } else {
        damping *= 8;
      }
    }
    if (value > best_value) best = p, best_value = value;
  }
  ResonanceFit out;
  out.gain = 2 * (best_value - likelihood.flat());
  out.frequency_hz = best[2];
  out.damping = std::exp(best[3]);
  out.height = std::exp(best[0]);
  out.pedestal = std::exp(best[1]);
  Vector4 gradient;
  Matrix4 information;
  likelihood.at(best, &gradient, &information);
  information.diagonal().array() += 1e-300;
  const Matrix4 covariance = inverse_of_symmetric(information);
  out.frequency_std_hz = std::sqrt(std::max(0.0, covariance(2, 2)));
  out.damping_std = out.damping * std::sqrt(std::max(0.0, covariance(3, 3)));
  // Area under a H: pi / 2 times half-power width times height.
  out.rms = std::sqrt(out.height * std::numbers::pi / 2 * out.width_hz() / s.plan.bin_hz / s.enbw_bins);
  const bool stands = out.gain > 30 && out.height > 0.5 * out.pedestal;
  const bool wide = out.width_hz() > 0.6 * s.plan.rbw_hz && out.width_hz() < 0.7 * (high_hz - low_hz);
  if (!stands || !wide || !(out.damping_std < 0.7 * out.damping)) return std::nullopt;
  return out;
}

}  // namespace vprism
