// resonance_fit.cpp: see resonance_fit.h.
//
// Expected power of bin k: S_k = sum_j K_j a H(f_k + j df) + b exp(c u_k), H = (2 z)^2 / ((1 - r^2)^2 +
// (2 z r)^2) r^d, r = f / f0, K the squares of the window's lobe, adding up to 1; u goes from -1 to 1 over
// the bins. An average worth n segments has the likelihood -n sum (log S + P / S); Fisher scoring in log a,
// log b, f0, log z and c climbs it. The tilt c, which the flank of a stronger neighbour makes, stays 0 unless
// twice the log-likelihood rises by 10. The lean d is 4 for accelerations under a white force, 2 for
// velocities, and as anything else when other modes or the force's own colour take part: it is known
// beforehand to a normal deviation only. Left out, a displacement's form bends an acceleration's frequency up
// by some 20 z^2. Neighbouring bins of a window share noise: the information is divided
// by the sum of their squared correlations.
#include "identify/modes/resonance_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear/linear.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

using Unknowns = Eigen::Matrix<double, 6, 1>;
using Information = Eigen::Matrix<double, 6, 6>;
constexpr int tilt_at = 4, lean_at = 5;

/// H at r times the resonance's frequency: (2 z)^2 / ((1 - r^2)^2 + (2 z r)^2) r^d.
double resonance_form(double r, double damping, double lean) {
  const double u = 1 - r * r, v = 2 * damping * r;
  return 4 * damping * damping / (u * u + v * v) * std::pow(std::max(r, 1e-6), lean);
}

class Likelihood {
 public:
  Likelihood(const Spectrum& s, std::size_t low, std::size_t high, const std::vector<bool>& masked,
             const ResonanceLean& known)
      : spectrum_(s), known_(known), first_(static_cast<double>(low)), last_(static_cast<double>(high) - 1) {
    const WindowTransform lobe(s.window, s.plan.segment);
    const int reach = std::max(1, static_cast<int>(std::ceil(window_half_width_bins(s.window))));
    double sum = 0;
    for (int j = -reach; j <= reach; ++j) kernel_.push_back(std::pow(lobe(j), 2)), sum += kernel_.back();
    for (double& k : kernel_) k /= sum;
    shared_ = bins_alike(s.window);
    for (std::size_t k = low; k < high; ++k)
      if (masked.empty() || !masked[k]) bins_.push_back(k);
    for (int j = -reach; j < static_cast<int>(high - low) + reach; ++j) {
      hz_.push_back(s.frequency_hz(low) + j * s.plan.bin_hz);
      log_hz_.push_back(std::log(std::max(hz_.back(), 1e-6 * s.plan.bin_hz)));
    }
  }

  std::size_t count() const { return bins_.size(); }
  double weight() const { return spectrum_.noise_averages / shared_; }

  double place(std::size_t bin) const {
    return (2 * static_cast<double>(bin) - first_ - last_) / std::max(1.0, last_ - first_);
  }

  /// Log-likelihood at (log a, log b, f0, log z, c, d); gradient and information too where asked for.
  double at(const Unknowns& p, Unknowns* gradient = nullptr, Information* information = nullptr) const {
    const double a = std::exp(p[0]), f0 = p[2], z = std::exp(p[3]), log_f0 = std::log(f0);
    if (gradient) gradient->setZero(), information->setZero();
    // The form at each frequency once: neighbouring bins share most of theirs.
    struct Form {
      double h, by_z, by_f, by_lean;
    };
    thread_local std::vector<Form> forms;
    forms.resize(hz_.size());
    for (std::size_t i = 0; i < hz_.size(); ++i) {
      const double r = hz_[i] / f0, log_r = std::max(log_hz_[i] - log_f0, std::log(1e-6));
      const double u = 1 - r * r, v = 2 * z * r, d = u * u + v * v;
      const double one = 4 * z * z / d * std::exp(p[lean_at] * log_r);
      // d(log H)/d(log z) = 2 - 2 v^2 / d; d(log H)/d(f0) = -(4 u r^2 - 2 v^2) / (f0 d) with r ~ 1 / f0.
      forms[i] = {one, one * (2 - 2 * v * v / d),
                  one * (-(4 * u * r * r - 2 * v * v) / (f0 * d) - p[lean_at] / f0), one * log_r};
    }
    double sum = 0;
    const auto first = static_cast<std::size_t>(first_);
    for (const std::size_t k : bins_) {
      double h = 0, by_f = 0, by_z = 0, by_lean = 0;
      for (std::size_t j = 0; j < kernel_.size(); ++j) {
        const Form& form = forms[k - first + j];
        const double w = kernel_[j];
        h += w * form.h, by_z += w * form.by_z, by_f += w * form.by_f, by_lean += w * form.by_lean;
      }
      const double u_k = place(k), b = std::exp(p[1] + p[tilt_at] * u_k);
      const double s = a * h + b, ratio = spectrum_.power[k] / s;
      sum -= std::log(s) + ratio;
      if (!gradient) continue;
      Unknowns slope;
      slope << a * h / s, b / s, a * by_f / s, a * by_z / s, b * u_k / s, a * by_lean / s;
      *gradient += (ratio - 1) * slope;
      *information += slope * slope.transpose();
    }
    const double off = (p[lean_at] - known_.mean) / known_.deviation;
    if (gradient) {
      *gradient *= weight(), *information *= weight();
      (*gradient)[lean_at] -= off / known_.deviation;
      (*information)(lean_at, lean_at) += 1 / (known_.deviation * known_.deviation);
    }
    return weight() * sum - off * off / 2;
  }

  /// Mean square by which powers stray from expected ones, over what averages of noise do.
  double misfit(const Unknowns& p) const {
    double sum = 0;
    for (const std::size_t k : bins_) sum += std::pow(spectrum_.power[k] / expected(p, k) - 1, 2);
    return spectrum_.noise_averages * sum / std::max(1.0, static_cast<double>(bins_.size()) - 5);
  }
  double shared() const { return shared_; }

  /// Of noise of one level from one bin to another, and of one other level beside them: of all such pairs the
  /// likeliest, to the nearest of some hundred bins.
  double plateau() const {
    constexpr std::size_t steps = 100, least_inside = 6, least_outside = 4;
    const std::size_t n = bins_.size();
    if (n < least_inside + least_outside) return -1e300;
    std::vector<double> sums(n + 1, 0);
    for (std::size_t i = 0; i < n; ++i) sums[i + 1] = sums[i] + spectrum_.power[bins_[i]];
    const std::size_t stride = std::max<std::size_t>(1, n / steps);
    double best = -1e300;
    for (std::size_t from = 0; from + least_inside <= n; from += stride)
      for (std::size_t to = from + least_inside; to <= n; to += stride) {
        const double inside = static_cast<double>(to - from), outside = static_cast<double>(n) - inside;
        if (outside < static_cast<double>(least_outside)) continue;
        const double within = (sums[to] - sums[from]) / inside,
                     beside = (sums[n] - sums[to] + sums[from]) / outside;
        if (!(within > beside) || !(beside > 0)) continue;
        best = std::max(best, -inside * (std::log(within) + 1) - outside * (std::log(beside) + 1));
      }
    return weight() * best;
  }

  double flat() const {
    double mean = 0, sum = 0;
    for (const std::size_t k : bins_) mean += spectrum_.power[k] / static_cast<double>(bins_.size());
    for (const std::size_t k : bins_) sum -= std::log(mean) + spectrum_.power[k] / mean;
    return weight() * sum;
  }

 private:
  double expected(const Unknowns& p, std::size_t k) const {
    const auto reach = static_cast<int>(kernel_.size() / 2);
    const double z = std::exp(p[3]);
    double h = 0;
    for (int j = -reach; j <= reach; ++j) {
      const double r = (spectrum_.frequency_hz(k) + j * spectrum_.plan.bin_hz) / p[2];
      h += kernel_[static_cast<std::size_t>(j + reach)] * resonance_form(r, z, p[lean_at]);
    }
    return std::exp(p[0]) * h + std::exp(p[1] + p[tilt_at] * place(k));
  }

  const Spectrum& spectrum_;
  ResonanceLean known_;
  double first_, last_;
  std::vector<std::size_t> bins_;
  std::vector<double> hz_, log_hz_;  ///< Of all bins that the kernel reaches.
  std::vector<double> kernel_;
  double shared_ = 1;
};

/// Climbs from `p`; the tilt moves only where it may.
double climb(const Likelihood& likelihood, Unknowns& p, double low_hz, double high_hz, bool tilts) {
  double value = likelihood.at(p), damping = 1e-2;
  for (int step = 0; step < 60 && damping < 1e8; ++step) {
    Unknowns gradient;
    Information information;
    likelihood.at(p, &gradient, &information);
    if (!tilts) {
      gradient[tilt_at] = 0;
      information.row(tilt_at).setZero(), information.col(tilt_at).setZero();
      information(tilt_at, tilt_at) = 1;
    }
    information.diagonal() *= 1 + damping;
    information.diagonal().array() += 1e-12;
    Unknowns change = solve_symmetric(Matrix(information), Vector(gradient));
    change[2] = std::clamp(change[2], -0.1 * (high_hz - low_hz), 0.1 * (high_hz - low_hz));
    for (const int i : {0, 1, 3, tilt_at, lean_at}) change[i] = std::clamp(change[i], -1.0, 1.0);
    const Unknowns trial = p + change;
    const bool inside = trial[2] > low_hz && trial[2] < high_hz && trial[3] < 0 && trial[3] > -12 &&
                        std::abs(trial[tilt_at]) < 5 && std::abs(trial[lean_at]) < 30;
    const double moved = inside ? likelihood.at(trial) : -1e300;
    if (moved >= value) {
      const bool still = moved - value < 1e-9;
      p = trial, value = moved, damping = std::max(damping / 5, 1e-9);
      if (still) break;
    } else {
      damping *= 8;
    }
  }
  return value;
}

}  // namespace

double ResonanceFit::resonant_at(double hz) const {
  return height * resonance_form(hz / frequency_hz, damping, lean);
}

double ResonanceFit::power_at(double hz) const {
  const double at = high_hz > low_hz ? (2 * hz - low_hz - high_hz) / (high_hz - low_hz) : 0;
  return pedestal * std::exp(tilt * at) + resonant_at(hz);
}

std::optional<ResonanceFit> fit_resonance(const Spectrum& s, double low_hz, double high_hz,
                                          const std::vector<bool>& masked, const ResonanceLean& known,
                                          bool edges_too) {
  const auto [low, high] = s.bins_within(std::max(low_hz, 2 * s.plan.bin_hz), high_hz);
  if (high < low + 12 || s.two_sided) return std::nullopt;
  const Likelihood likelihood(s, low, high, masked, known);
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
  Unknowns best;
  double best_value = -1e300;
  // The likeliest of some beginnings, and the three after it.
  std::vector<std::pair<double, Unknowns>> starts;
  for (const double z : {0.002, 0.006, 0.02, 0.06})
    for (const double part : {0.2, 0.35, 0.5, 0.65, 0.8}) {
      Unknowns p;
      p << std::log(most / 2), std::log(least), low_hz + part * (high_hz - low_hz), std::log(z), 0,
          known.mean;
      starts.push_back({likelihood.at(p), p});
    }
  std::sort(starts.begin(), starts.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  starts.resize(4);
  for (auto& [value, p] : starts)
    if (const double reached = climb(likelihood, p, low_hz, high_hz, false); reached > best_value)
      best = p, best_value = reached;
  Unknowns tilted = best;
  const bool tilts = 2 * (climb(likelihood, tilted, low_hz, high_hz, true) - best_value) > 10;
  if (tilts) best = tilted;
  // A band with edges is none: noise that a filter let through.
  constexpr double less_likely = 20;
  ResonanceFit out;
  out.edged = 2 * (likelihood.plateau() - best_value) > less_likely;
  if (out.edged && !edges_too) return std::nullopt;
  out.gain = 2 * (best_value - likelihood.flat());
  out.frequency_hz = best[2];
  out.damping = std::exp(best[3]);
  out.height = std::exp(best[0]);
  out.pedestal = std::exp(best[1]), out.tilt = best[tilt_at], out.lean = best[lean_at];
  out.low_hz = s.frequency_hz(low), out.high_hz = s.frequency_hz(high - 1);
  Unknowns gradient;
  Information information;
  likelihood.at(best, &gradient, &information);
  if (!tilts) {
    information.row(tilt_at).setZero(), information.col(tilt_at).setZero();
    information(tilt_at, tilt_at) = 1;
  }
  information.diagonal().array() += 1e-300;
  Matrix covariance = inverse_of_symmetric(information);
  // What the form leaves over beyond what averages do.
  const double misfit = likelihood.misfit(best);
  if (misfit > 1 + 3 * std::sqrt(2 * likelihood.shared() / static_cast<double>(likelihood.count())))
    covariance *= misfit;
  out.frequency_std_hz = std::sqrt(std::max(0.0, covariance(2, 2)));
  out.damping_std = out.damping * std::sqrt(std::max(0.0, covariance(3, 3)));
  // Area under a H: pi / 2 times half-power width times height.
  out.rms = std::sqrt(out.height * std::numbers::pi / 2 * out.width_hz() / s.plan.bin_hz / s.enbw_bins);
  const bool stands = out.gain > 30 && out.height > 0.5 * out.pedestal;
  const bool wide = out.width_hz() > 0.6 * s.plan.rbw_hz && out.width_hz() < 0.7 * (high_hz - low_hz);
  if (!stands || !wide || !(out.damping_std < 0.7 * out.damping)) return std::nullopt;
  return out;
}

double rms_in_record(const Spectrum& s, const ResonanceFit& fit, const std::vector<bool>& masked) {
  const auto [low, high] = s.bins_within(fit.low_hz, fit.high_hz);
  double found = 0, expected = 0;
  for (std::size_t k = low; k < high; ++k) {
    const double hz = s.hz_at(static_cast<double>(k));
    const double own = fit.resonant_at(hz);
    const double all = fit.power_at(hz);
    expected += own;
    found += masked.empty() || !masked[k] ? s.power[k] * (all > 0 ? own / all : 0) : own;
  }
  return expected > 0 ? fit.rms * std::sqrt(found / expected) : fit.rms;
}

}  // namespace vprism
