// sine_fit.cpp: see sine_fit.h. Gauss-Newton on a = A cos p, b = -A sin p, the frequency and the decay:
//
//     x[n] = m + sum_k (a_k cos w_k t + b_k sin w_k t) exp(-d_k t),   t = n - (N - 1) / 2
//
// Time counts from the middle of the record, where frequency and phase are independent of each other. Normal
// equations are added up in blocks of samples.
#include "identify/lines/sine_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/dot.h"
#include "base/error.h"
#include "base/machine/clones.h"
#include "base/turned_sine.h"
#include "identify/lines/least_squares.h"

namespace vprism {

namespace {

/// One sine about the middle of the record.
struct Turning {
  double w = 0, a = 0, b = 0, d = 0;  ///< Radians and decay per sample.
  bool decays = false, fixed = false;
  Eigen::Index unknowns() const { return 2 + (fixed ? 0 : 1) + (decays ? 1 : 0); }
};

constexpr std::size_t block = TurnedSine::block;

using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

/// t (a c + b q), t from `start` on.
VPRISM_WIDE void slope(double start, double a, double b, const double* c, const double* q, std::size_t count,
                       double* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = (start + static_cast<double>(k)) * (a * c[k] + b * q[k]);
}

/// Products of the first `normal.rows()` rows with each other, below the diagonal and on it, and with `x`.
/// Rows are taken four at a time: there are as many as makes fours.
void add_products(const Rows& rows, std::size_t count, const double* x, Matrix& normal, Vector& gradient) {
  const auto stride = static_cast<std::size_t>(rows.cols());
  double four[4];
  for (Eigen::Index j = 0; j < normal.rows(); j += 4) {
    const Eigen::Index end = std::min(normal.rows(), j + 4);
    four_dots(x, &rows(j, 0), stride, count, four);
    for (Eigen::Index k = j; k < end; ++k) gradient(k) += four[k - j];
    for (Eigen::Index i = j; i < normal.rows(); ++i) {
      four_dots(&rows(i, 0), &rows(j, 0), stride, count, four);
      for (Eigen::Index k = j; k < std::min(end, i + 1); ++k) normal(i, k) += four[k - j];
    }
  }
}

TurnedSine turned(const Turning& s) { return TurnedSine(s.w, s.decays ? s.d : 0); }

class SampleFit {
 public:
  SampleFit(std::span<const double> x, std::vector<Turning> sines)
      : left_(x.begin(), x.end()),
        sines_(std::move(sines)),
        middle_((static_cast<double>(x.size()) - 1) / 2) {
    for (const double v : x) mean_ += v / static_cast<double>(x.size());
    for (double& v : left_) v -= mean_;
    for (const Turning& s : sines_) {
      const TurnedSine sine = turned(s);
      for_blocks([&](std::size_t at, std::size_t count, double t) {
        sine.add(t, -s.a, -s.b, count, left_.data() + at);
      });
    }
  }

  void run(const std::vector<std::vector<std::size_t>>& clusters, double still) {
    constexpr int most_rounds = 30;
    for (int round = 0; round < most_rounds; ++round) {
      double moved = 0;
      for (const auto& cluster : clusters) moved = std::max(moved, improve(cluster));
      double sum = 0;
      for (const double v : left_) sum += v;
      const double shift = sum / static_cast<double>(left_.size());
      mean_ += shift;
      for (double& v : left_) v -= shift;
      if (moved < still) break;
    }
  }

  /// Covariance of a cluster's unknowns for noise of variance 1.
  Matrix covariance(const std::vector<std::size_t>& cluster) const {
    Matrix normal;
    Vector gradient;
    gather(cluster, normal, gradient);
    return inverse_of_symmetric(normal);
  }

  const std::vector<Turning>& sines() const { return sines_; }
  double mean() const { return mean_; }
  /// Ends the fit.
  std::vector<double> release() { return std::move(left_); }
  double square() const {
    double sum = 0;
    for (const double v : left_) sum += v * v;
    return sum;
  }

 private:
  /// Calls work(first sample, samples, time of the first) for each block.
  template <typename Work>
  void for_blocks(const Work& work) const {
    for (std::size_t at = 0; at < left_.size(); at += block)
      work(at, std::min(block, left_.size() - at), static_cast<double>(at) - middle_);
  }

  /// One sine in place of another.
  void exchange(const Turning& before, const Turning& after) {
    const TurnedSine old = turned(before);
    if (after.w == before.w && after.d == before.d)
      return for_blocks([&](std::size_t at, std::size_t count, double t) {
        old.add(t, before.a - after.a, before.b - after.b, count, left_.data() + at);
      });
    const TurnedSine now = turned(after);
    for_blocks([&](std::size_t at, std::size_t count, double t) {
      old.add(t, before.a, before.b, count, left_.data() + at);
      now.add(t, -after.a, -after.b, count, left_.data() + at);
    });
  }

  /// Normal equations of one cluster at its present values.
  void gather(const std::vector<std::size_t>& cluster, Matrix& normal, Vector& gradient) const {
    Eigen::Index unknowns = 0;
    std::vector<TurnedSine> sines;
    for (const std::size_t k : cluster) {
      unknowns += sines_[k].unknowns();
      sines.push_back(turned(sines_[k]));
    }
    normal = Matrix::Zero(unknowns, unknowns);
    gradient = Vector::Zero(unknowns);
    Rows rows = Rows::Zero((unknowns + 3) / 4 * 4, static_cast<Eigen::Index>(block));
    for_blocks([&](std::size_t at, std::size_t count, double start) {
      Eigen::Index row = 0;
      for (std::size_t i = 0; i < cluster.size(); ++i) {
        const Turning& s = sines_[cluster[i]];
        double *const c = &rows(row, 0), *const q = &rows(row + 1, 0);
        sines[i].fill(start, count, c, q);
        if (!s.fixed) slope(start, s.b, -s.a, c, q, count, &rows(row + 2, 0));
        if (s.decays) slope(start, -s.a, -s.b, c, q, count, &rows(row + s.unknowns() - 1, 0));
        row += s.unknowns();
      }
      add_products(rows, count, left_.data() + at, normal, gradient);
    });
    normal.triangularView<Eigen::StrictlyUpper>() = normal.transpose();
  }

  /// One step; how far it went, in amplitudes and in turns over the record.
  double improve(const std::vector<std::size_t>& cluster) {
    Matrix normal;
    Vector gradient;
    gather(cluster, normal, gradient);
    // Rows are scaled alike first: slopes over time are long.
    const Vector scale = normal.diagonal().cwiseSqrt().cwiseMax(1e-300).cwiseInverse();
    const Matrix scaled = scale.asDiagonal() * normal * scale.asDiagonal();
    const Vector change = scale.asDiagonal() * solve_symmetric(scaled, Vector(scale.asDiagonal() * gradient));
    // Lines so close that the record hardly tells them apart ask for steps that would make it all worse: then
    // half of it, and half of that.
    constexpr int most_halvings = 6;
    const double before = square();
    std::vector<Turning> kept;
    for (const std::size_t k : cluster) kept.push_back(sines_[k]);
    double share = 1;
    for (int halving = 0; halving < most_halvings; ++halving, share /= 2) {
      const double moved = step(cluster, change, share);
      if (square() <= before * (1 + 1e-9)) return moved;
      for (std::size_t i = 0; i < cluster.size(); ++i) {
        exchange(sines_[cluster[i]], kept[i]);
        sines_[cluster[i]] = kept[i];
      }
    }
    return 0;
  }

  /// A share of a change made; how far it went.
  double step(const std::vector<std::size_t>& cluster, const Vector& change, double share) {
    double moved = 0, largest = 0;
    for (const Turning& s : sines_) largest = std::max(largest, std::hypot(s.a, s.b));
    Eigen::Index row = 0;
    const double record = static_cast<double>(left_.size());
    for (const std::size_t k : cluster) {
      Turning& s = sines_[k];
      const Turning before = s;
      // Of a small sine beside a large one no more than that leaves.
      const double size = std::max({std::hypot(s.a, s.b), 1e-3 * largest, 1e-300});
      moved = std::max(moved, share * std::hypot(change[row], change[row + 1]) / size);
      s.a += share * change[row], s.b += share * change[row + 1];
      if (!s.fixed) {
        // No further than a quarter of a bin at once.
        const double most = 0.5 * std::numbers::pi / record;
        const double turn = share * std::clamp(change[row + 2], -most, most);
        s.w += turn;
        moved = std::max(moved, std::abs(turn) * record);
      }
      if (s.decays) {
        const double decay = share * std::clamp(change[row + s.unknowns() - 1], -2 / record, 2 / record);
        s.d += decay;
        moved = std::max(moved, std::abs(decay) * record);
      }
      row += s.unknowns();
      exchange(before, s);
    }
    return moved;
  }

  std::vector<double> left_;  ///< What mean and sines leave.
  std::vector<Turning> sines_;
  double middle_, mean_ = 0;
};

}  // namespace

SineFit fit_sines(std::span<const double> samples, double rate_hz, std::vector<Sine> first, double joint_bins,
                  double still) {
  std::size_t unknowns = 1;
  for (const Sine& s : first) unknowns += 3 + (s.decays ? 1u : 0u);
  if (samples.size() < unknowns + 1)
    throw Error(Status::analysis, std::to_string(samples.size()) + " samples are too few to fit " +
                                      std::to_string(first.size()) + " sines to");
  const auto count = static_cast<double>(samples.size());
  const double middle = (count - 1) / 2, turn = 2 * std::numbers::pi;
  std::sort(first.begin(), first.end(),
            [](const Sine& a, const Sine& b) { return a.frequency_hz < b.frequency_hz; });
  std::vector<Turning> sines;
  std::vector<std::vector<std::size_t>> clusters;
  constexpr std::size_t most_together = 12;
  for (std::size_t k = 0; k < first.size(); ++k) {
    const Sine& s = first[k];
    Turning t;
    t.w = turn * s.frequency_hz / rate_hz;
    t.d = s.decay_per_s / rate_hz;
    t.decays = s.decays;
    t.fixed = s.fixed;
    const double phase = s.phase_deg * std::numbers::pi / 180 + t.w * middle;
    const double size = s.amplitude * std::exp(-t.d * middle);
    t.a = size * std::cos(phase);
    t.b = -size * std::sin(phase);
    sines.push_back(t);
    const bool near = k > 0 && (s.frequency_hz - first[k - 1].frequency_hz) * count / rate_hz < joint_bins;
    if (near && clusters.back().size() < most_together)
      clusters.back().push_back(k);
    else
      clusters.push_back({k});
  }
  SampleFit fit(samples, std::move(sines));
  fit.run(clusters, still);

  SineFit out;
  out.mean = fit.mean();
  const double square = fit.square();
  out.residual_rms = std::sqrt(square / count);
  const double own_variance = square / (count - static_cast<double>(unknowns));
  out.sines = std::move(first);
  for (const auto& cluster : clusters) {
    const Matrix covariance = fit.covariance(cluster);
    Eigen::Index row = 0;
    for (const std::size_t k : cluster) {
      const Turning& t = fit.sines()[k];
      Sine& s = out.sines[k];
      const double variance = s.noise_variance > 0 ? s.noise_variance : own_variance;
      const double size = std::hypot(t.a, t.b);
      s.frequency_hz = t.w * rate_hz / turn;
      s.decay_per_s = t.d * rate_hz;
      s.amplitude = size * std::exp(t.d * middle);
      s.phase_deg = std::remainder(std::atan2(-t.b, t.a) - t.w * middle, turn) * 180 / std::numbers::pi;
      // Radial and tangential parts of the uncertainty of (a, b).
      const double ua = size > 0 ? t.a / size : 1, ub = size > 0 ? t.b / size : 0;
      const double radial = ua * ua * covariance(row, row) + ub * ub * covariance(row + 1, row + 1) +
                            2 * ua * ub * covariance(row, row + 1);
      s.amplitude_std = std::sqrt(variance * radial) * std::exp(t.d * middle);
      // The phase at the record's start is that in the middle less w times the way there.
      const double away = t.fixed ? 0 : middle;
      const double w_part = t.fixed ? 0 : covariance(row + 2, row + 2);
      const double tangential = ub * ub * covariance(row, row) + ua * ua * covariance(row + 1, row + 1) -
                                2 * ua * ub * covariance(row, row + 1);
      const double mixed =
          t.fixed ? 0 : (ub * covariance(row, row + 2) - ua * covariance(row + 1, row + 2)) / size;
      const double phase_variance = tangential / (size * size) + away * away * w_part - 2 * away * mixed;
      s.phase_std_deg = std::sqrt(variance * std::max(0.0, phase_variance)) * 180 / std::numbers::pi;
      s.frequency_std_hz = std::sqrt(variance * w_part) * rate_hz / turn;
      if (t.decays)
        s.decay_std_per_s =
            std::sqrt(variance * covariance(row + t.unknowns() - 1, row + t.unknowns() - 1)) * rate_hz;
      row += t.unknowns();
    }
  }
  out.residual = fit.release();
  return out;
}

}  // namespace vprism
