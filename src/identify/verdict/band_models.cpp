// band_models.cpp: see band_models.h.
#include "identify/verdict/band_models.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>
#include <optional>

#include "base/percentile.h"
#include "base/turns.h"
#include "identify/courses/exponential_fit.h"
#include "identify/courses/level_steps.h"
#include "identify/lines/smoothed.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using Values = std::vector<Complex>;

double square_between(const Values& a, const Values& b) {
  double sum = 0;
  for (std::size_t m = 0; m < a.size(); ++m) sum += std::norm(a[m] - b[m]);
  return sum;
}

class BandJudge {
 public:
  BandJudge(const BandSignal& band, std::size_t most_lines)
      : band_(band), z_(band.values), count_(z_.size()), most_lines_(most_lines) {}

  BandVerdict run() {
    BandVerdict out;
    out.looked_from_s = band_.start_s;
    if (count_ < 8) return out;
    const double all = square_of(z_), n = static_cast<double>(count_);
    // The floor may have been read too low, and what lies 60 dB below the line is not looked into.
    const std::size_t finest = std::min<std::size_t>(2 * count_ / 5, 128);
    noise_ = std::max(band_.noise, 1e-6 * all / n);
    if (finest >= 8)
      noise_ = std::max(noise_,
                        0.9 * square_between(z_, smoothed(z_, finest)) / (n - static_cast<double>(finest)));
    if (band_.noise > 0) noise_ = std::min(noise_, std::max(1.5 * band_.noise, 3e-4 * all / n));
    noise_ = std::max(noise_, 1e-300);
    power(out, z_);
    followed_hz_ = out.frequency_hz;
    most_within(out, z_, band_.noise);
    double best = cost(all, 0);
    out.kind = BandVerdict::Kind::nothing;
    // The least price of each kind of model, for how much the next kind is behind.
    std::array<double, 5> least = {best, best, best, best, best};
    const auto take = [&](BandVerdict::Kind kind, double price, double left) {
      double& own = least[static_cast<std::size_t>(kind)];
      own = std::min(own, price);
      if (price >= best) return false;
      best = price;
      out.kind = kind;
      out.misfit = left / (n * noise_);
      return true;
    };
    steady(out, take);
    decaying(out, take);
    slow(out, take);
    stepping(out, take);
    for (std::size_t k = 0; k < least.size(); ++k)
      if (least[k] > best)
        out.runner_up_gain =
            out.runner_up_gain > 0 ? std::min(out.runner_up_gain, least[k] - best) : least[k] - best;
    // A model counts only where it fits; one that follows a line to a hundredth of its power does, even if
    // the noise is less than what it leaves.
    const bool followed = out.kind == BandVerdict::Kind::wandering && out.misfit * n * noise_ < 0.01 * all;
    if (out.misfit > 2.5 && !followed && out.fluctuation <= 1.5 && out.kind != BandVerdict::Kind::nothing)
      out.kind = BandVerdict::Kind::unresolved;
    if (out.misfit > 2.5 && out.kind == BandVerdict::Kind::decaying) out.kind = BandVerdict::Kind::unresolved;
    // Where nothing slow enough explains it, it is as quick as the band is wide.
    if (out.misfit > 1.5 && out.fluctuation > 1.5 && out.kind != BandVerdict::Kind::decaying &&
        out.kind != BandVerdict::Kind::stepping && count_ >= 24)
      out.kind = out.fluctuation > 4 ? BandVerdict::Kind::burst : BandVerdict::Kind::noise;
    if (out.kind == BandVerdict::Kind::wandering) lines_beside(out);
    return out;
  }

 private:
  double cost(double left, double unknowns) const {
    return 2 * left / noise_ + unknowns * std::log(2 * static_cast<double>(count_));
  }

  /// What does not depend on a model.
  void power(BandVerdict& out, const Values& a) const {
    double s2 = 0, s4 = 0, turn = 0, wide = 0;
    for (const Complex& v : a) s2 += std::norm(v), s4 += std::norm(v) * std::norm(v);
    const double n = static_cast<double>(a.size()), v = band_.noise;
    const double p2 = std::max(s2 / n - v, 1e-300), p4 = std::max(s4 / n - 4 * v * p2 - 2 * v * v, 0.0);
    out.fluctuation = p4 / (p2 * p2);
    // The middle of its power, and how wide it is, from the transform.
    FftArray<Complex> in(a.size()), bins(a.size());
    std::copy(a.begin(), a.end(), in.data());
    ComplexFft(a.size()).run(in, bins);
    double sum = 0;
    for (std::size_t k = 0; k < a.size(); ++k) {
      const double at = k <= a.size() / 2 ? static_cast<double>(k) : static_cast<double>(k) - n;
      const double p = std::max(0.0, std::norm(bins.data()[k]) - n * v);
      sum += p, turn += p * at, wide += p * at * at;
    }
    if (!(sum > 0)) return;
    const double middle = turn / sum, spread = std::sqrt(std::max(0.0, wide / sum - middle * middle));
    const double bin = 1 / (n * band_.step_s);
    out.frequency_hz = band_.centre_hz + middle * bin;
    out.spread_hz = spread * bin;
    out.frequency_std_hz = std::max(spread, 0.3) * bin / std::sqrt(std::max(1.0, spread));
  }

  template <typename Take>
  void steady(BandVerdict& out, const Take& take) const {
    std::vector<Turn> turns;
    Values rest = z_;
    for (std::size_t lines = 1; lines <= most_lines_ && 3 * lines + 4 < count_; ++lines) {
      const Complex s(0, strongest_turn(rest));
      turns.push_back({amplitude_at(rest, s), s});
      ExponentialFit fit(z_, false);
      std::vector<Turn> tried = turns;
      if (!fit.run(tried)) break;
      // Lines nearer than the record can part are not lines.
      bool near = false;
      for (std::size_t i = 0; i < tried.size(); ++i)
        for (std::size_t j = 0; j < i; ++j)
          near = near ||
                 std::abs(tried[i].s.imag() - tried[j].s.imag()) < 1.1 * two_pi / static_cast<double>(count_);
      if (near) break;
      turns = tried;
      rest = fit.remainder(turns);
      if (!take(BandVerdict::Kind::steady,
                cost(fit.left(), 3 * static_cast<double>(lines)) + 30 * static_cast<double>(lines - 1),
                fit.left()))
        continue;
      const double misfit = std::max(
          1.0, fit.left() / noise_ / (static_cast<double>(count_) - 1.5 * static_cast<double>(lines)));
      const Matrix covariance = fit.covariance(turns);
      out.lines.clear();
      for (std::size_t k = 0; k < turns.size(); ++k)
        out.lines.push_back(described(turns[k], covariance, 3 * static_cast<Eigen::Index>(k), 3, misfit));
    }
  }

  template <typename Take>
  void decaying(BandVerdict& out, const Take& take) const {
    // From the start, or from where the amplitude jumps up. The filter smears a start: a few values around it
    // say nothing, and cost as much as unknowns of their own.
    constexpr std::size_t smeared = 3;
    std::vector<std::size_t> starts = {0};
    std::size_t top = 0;
    for (std::size_t m = 0; m < count_; ++m)
      if (std::norm(z_[m]) > std::norm(z_[top])) top = m;
    if (top > smeared)
      for (std::size_t m = top > 8 ? top - 8 : 1; m <= top; ++m) starts.push_back(m);
    for (const std::size_t first : starts) {
      const std::size_t from = first > 0 ? first + smeared : 0;
      if (count_ < from + 8) continue;
      const Values behind(z_.begin() + static_cast<std::ptrdiff_t>(from), z_.end());
      // How quickly it dies away, from the middle of its energy.
      double sum = 0, moment = 0;
      for (std::size_t m = 0; m < behind.size(); ++m) {
        const double p = std::max(0.0, std::norm(behind[m]) - band_.noise);
        sum += p, moment += p * static_cast<double>(m);
      }
      if (!(sum > 0)) continue;
      const double middle = moment / sum;
      const double to_end = static_cast<double>(behind.size() - 1) - middle;
      for (const double decay : {0.5 / std::max(middle, 0.5), 0.0, -0.5 / std::max(to_end, 0.5)}) {
        if (decay < 0 && first > 0) continue;
        const Complex s(-decay, strongest_turn(behind));
        std::vector<Turn> turns = {{amplitude_at(behind, s), s}};
        ExponentialFit fit(behind, true);
        if (!fit.run(turns)) continue;
        double left = fit.left();
        for (std::size_t m = 0; m + smeared < first; ++m) left += std::norm(z_[m]);
        // One that hardly changes while it is looked at is steady, or something else.
        if (std::abs(turns[0].s.real()) * static_cast<double>(behind.size()) < 0.35) continue;
        const Exponential known = described(turns[0], fit.covariance(turns), 0, 4, 1);
        if (std::abs(known.decay_per_s) < 5 * known.decay_std_per_s) continue;
        // Noise that is louder for a while has a peak that looks like it, but for what is left where it is.
        const Values rest = fit.remainder(turns);
        const auto seen =
            std::clamp(static_cast<std::size_t>(3 / std::max(1e-9, std::abs(turns[0].s.real()))),
                       std::size_t{8}, rest.size());
        double beside = 0;
        for (std::size_t m = 0; m < seen; ++m) beside += std::norm(rest[m]);
        double here = 0;
        for (std::size_t m = 0; m < seen; ++m) here += std::norm(behind[m]);
        if (beside > std::max(2 * static_cast<double>(seen) * band_.noise, 2e-3 * here)) continue;
        const double unknowns = first > 0 ? 5 + 2.0 * 2 * smeared : 4;
        if (!take(BandVerdict::Kind::decaying, cost(left, unknowns) + 10, left)) continue;
        const double misfit = std::max(1.0, left / noise_ / (static_cast<double>(count_) - 2));
        out.exponential = described(turns[0], fit.covariance(turns), 0, 4, misfit);
        // At its start, which lies before what was fitted.
        const double before = static_cast<double>(from - first) * band_.step_s,
                     d = out.exponential.decay_per_s;
        out.exponential.amplitude *= std::exp(d * before),
            out.exponential.amplitude_std *= std::exp(d * before);
        out.exponential.phase_deg = std::remainder(
            out.exponential.phase_deg - 360 * (out.exponential.frequency_hz - band_.centre_hz) * before,
            360.0);
        out.exponential.start_s = band_.time_s(first);
      }
    }
  }

  Exponential described(const Turn& t, const Matrix& covariance, Eigen::Index at, Eigen::Index each,
                        double misfit) const {
    // `noise_` is the mean of |n|^2: half of it in each part.
    const double v = noise_ / 2 * misfit, step = band_.step_s;
    Exponential e;
    e.frequency_hz = band_.centre_hz + t.s.imag() / (two_pi * step);
    e.frequency_std_hz = std::sqrt(std::max(0.0, v * covariance(at + 2, at + 2))) / (two_pi * step);
    e.amplitude = std::abs(t.a);
    const double c = std::cos(std::arg(t.a)), s = std::sin(std::arg(t.a));
    e.amplitude_std =
        std::sqrt(std::max(0.0, v * (c * c * covariance(at, at) + s * s * covariance(at + 1, at + 1) +
                                     2 * c * s * covariance(at, at + 1))));
    e.phase_deg = std::arg(t.a) * 180 / std::numbers::pi;
    e.start_s = band_.start_s;
    if (each == 4) {
      e.decay_per_s = -t.s.real() / step;
      e.decay_std_per_s = std::sqrt(std::max(0.0, v * covariance(at + 3, at + 3))) / step;
    }
    return e;
  }

  template <typename Take>
  void slow(BandVerdict& out, const Take& take) const {
    for (std::size_t knots = 4; knots <= std::min<std::size_t>(2 * count_ / 5, 128);
         knots += std::max<std::size_t>(1, knots / 3)) {
      const Values z = still(followed_hz_), a = smoothed(z, knots);
      const double left = square_between(z, a);
      if (!take(BandVerdict::Kind::wandering, cost(left, 2 * static_cast<double>(knots)) + 24, left))
        continue;
      out.wander_s = band_.span_s() / static_cast<double>(knots - 3);
      describe(out, a, knots);
    }
  }

  /// Values moved so that the power lies around zero, where splines are slow.
  Values still(double hz) const {
    const double w = two_pi * (hz - band_.centre_hz) * band_.step_s;
    Values out(count_);
    for (std::size_t m = 0; m < count_; ++m) out[m] = z_[m] * std::polar(1.0, -w * static_cast<double>(m));
    return out;
  }

  /// Lines further off than the model follows the one that wanders, far above what else it leaves.
  void lines_beside(BandVerdict& out) const {
    const auto knots = static_cast<std::size_t>(std::lround(band_.span_s() / out.wander_s)) + 3;
    const Values z = still(followed_hz_), a = smoothed(z, knots);
    FftArray<Complex> in(count_), bins(count_);
    for (std::size_t m = 0; m < count_; ++m)
      in.data()[m] =
          (z[m] - a[m]) *
          (0.5 - 0.5 * std::cos(two_pi * (static_cast<double>(m) + 0.5) / static_cast<double>(count_)));
    ComplexFft(count_).run(in, bins);
    std::vector<double> power;
    for (std::size_t k = 0; k < count_; ++k) power.push_back(std::norm(bins.data()[k]));
    std::vector<double> sorted = power;
    const double usual = median_in(sorted);
    const auto n = static_cast<std::ptrdiff_t>(count_);
    const auto at = [&](std::ptrdiff_t k) { return power[static_cast<std::size_t>((k % n + n) % n)]; };
    // One bin in a million of noise is higher.
    constexpr double high = 20;
    for (std::ptrdiff_t k = -(n / 2); k <= n / 2; ++k)
      if (std::abs(static_cast<double>(k)) > 2 * static_cast<double>(knots) && at(k) > high * usual &&
          at(k) >= at(k - 1) && at(k) > at(k + 1))
        out.beside_hz.push_back(followed_hz_ +
                                static_cast<double>(k) / (static_cast<double>(n) * band_.step_s));
  }

  template <typename Take>
  void stepping(BandVerdict& out, const Take& take) const {
    for (const std::size_t steps : {std::size_t{1}, std::size_t{2}}) {
      const auto fit = fit_level_steps(z_, steps, noise_);
      if (!fit || !take(BandVerdict::Kind::stepping,
                        cost(fit->left, fit->unknowns) + 10 * static_cast<double>(steps), fit->left))
        continue;
      out.frequency_hz = band_.centre_hz + fit->turn / (two_pi * band_.step_s);
      out.frequency_std_hz = fit->turn_std / (two_pi * band_.step_s);
      out.levels.clear();
      for (const LevelSteps::Piece& piece : fit->pieces)
        out.levels.push_back({band_.time_s(piece.from), band_.time_s(piece.to - 1), std::abs(piece.amplitude),
                              piece.std * std::sqrt(std::max(1.0, out.misfit))});
      // The step lies in the middle of what it smears.
      for (std::size_t p = 1; p < out.levels.size(); ++p)
        out.levels[p - 1].to_s = out.levels[p].from_s = (out.levels[p - 1].to_s + out.levels[p].from_s) / 2;
      out.levels.front().from_s -= band_.start_s;
      out.levels.back().to_s += band_.start_s;
    }
  }

  /// The shortest stretch that holds nine tenths of the energy; its share of all.
  double most_within(BandVerdict& out, const Values& a, double noise) const {
    std::size_t from = 0, best_from = 0, best = a.size();
    const auto energy = [&](std::size_t m) { return std::norm(a[m]) - noise; };
    double inside = 0, all = 0;
    for (std::size_t m = 0; m < a.size(); ++m) all += energy(m);
    for (std::size_t m = 0; m < a.size(); ++m) {
      inside += energy(m);
      while (from < m && inside - energy(from) >= 0.9 * all) inside -= energy(from++);
      if (inside >= 0.9 * all && m + 1 - from < best) best = m + 1 - from, best_from = from;
    }
    out.from_s = band_.time_s(best_from), out.to_s = band_.time_s(best_from + best);
    return static_cast<double>(best) / static_cast<double>(a.size());
  }

  /// What kind of slow signal it is.
  void describe(BandVerdict& out, const Values& a, std::size_t knots) const {
    double s1 = 0, s2 = 0, s4 = 0;
    for (const Complex& v : a) s1 += std::abs(v), s2 += std::norm(v), s4 += std::norm(v) * std::norm(v);
    const double n = static_cast<double>(a.size());
    out.fluctuation = s4 * n / (s2 * s2);
    out.followed_rms = std::sqrt(s2 / n / 2);
    out.amplitude_wander = std::sqrt(std::max(0.0, s2 * n / (s1 * s1) - 1));
    // The frequency from step to step, weighed by power.
    double sum = 0, first = 0, second = 0;
    for (std::size_t m = 1; m < a.size(); ++m) {
      const Complex turned = a[m] * std::conj(a[m - 1]);
      const double p = std::abs(turned), f = std::arg(turned) / (two_pi * band_.step_s);
      sum += p, first += p * f, second += p * f * f;
    }
    if (sum > 0)
      out.frequency_wander_hz = std::sqrt(std::max(0.0, second / sum - first / sum * (first / sum)));
    const double share = most_within(out, a, 0);
    if (share < 0.45 && out.fluctuation > 1.7) out.kind = BandVerdict::Kind::burst;
    // Noise turns as much as it breathes: what keeps its phase is a line.
    else if (out.fluctuation > 1.55 && two_pi * out.frequency_wander_hz * out.wander_s > 0.3)
      out.kind = knots >= 10 ? BandVerdict::Kind::noise : BandVerdict::Kind::unresolved;
  }

  const BandSignal& band_;
  const Values& z_;
  std::size_t count_, most_lines_;
  double noise_ = 0, followed_hz_ = 0;
};

}  // namespace

std::optional<Exponential> take_line_apart(BandSignal& band) {
  const std::size_t count = band.values.size();
  if (count < 32) return {};
  const Complex s(0, strongest_turn(band.values));
  std::vector<Turn> turns = {{amplitude_at(band.values, s), s}};
  ExponentialFit fit(band.values, false);
  if (!fit.run(turns) || fit.left() > 0.6 * square_of(band.values)) return {};
  const Values rest = fit.remainder(turns);
  // What is left around the line, beside what is left elsewhere: a Hann window keeps both apart.
  FftArray<Complex> in(count), bins(count);
  for (std::size_t m = 0; m < count; ++m)
    in.data()[m] =
        rest[m] *
        (0.5 - 0.5 * std::cos(two_pi * (static_cast<double>(m) + 0.5) / static_cast<double>(count)));
  ComplexFft(count).run(in, bins);
  const double at = turns[0].s.imag() / two_pi * static_cast<double>(count);
  std::vector<double> near, far;
  for (std::size_t k = 0; k < count; ++k) {
    const double away = std::abs(std::remainder(static_cast<double>(k) - at, static_cast<double>(count)));
    (away < 3.5 ? near : far).push_back(std::norm(bins.data()[k]));
  }
  if (near.size() < 4 || far.size() < 8) return {};
  double mean_near = 0, mean_far = 0;
  for (const double p : near) mean_near += p / static_cast<double>(near.size());
  for (const double p : far) mean_far += p / static_cast<double>(far.size());
  if (mean_near > 1.5 * mean_far) return {};
  // Its uncertainty is that of what lies beside it.
  const double v = mean_near / static_cast<double>(count) / 0.375 / 2;
  const Matrix covariance = fit.covariance(turns);
  Exponential line;
  line.frequency_hz = band.centre_hz + turns[0].s.imag() / (two_pi * band.step_s);
  line.frequency_std_hz = std::sqrt(std::max(0.0, v * covariance(2, 2))) / (two_pi * band.step_s);
  line.amplitude = std::abs(turns[0].a);
  line.amplitude_std = std::sqrt(std::max(0.0, v * covariance(0, 0)));
  line.phase_deg = std::arg(turns[0].a) * 180 / std::numbers::pi;
  line.start_s = band.start_s;
  band.values = rest;
  return line;
}

BandVerdict judge_band(const BandSignal& band, std::size_t most_lines) {
  return BandJudge(band, most_lines).run();
}

}  // namespace vprism
