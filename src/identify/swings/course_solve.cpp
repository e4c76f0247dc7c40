// course_solve.cpp: see course_solve.h.
#include "identify/swings/course_solve.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "base/fft.h"
#include "base/turned_sine.h"
#include "identify/lines/whole_lines.h"

namespace vprism {

namespace {

constexpr double tau = 2 * std::numbers::pi;

/// What a fit leaves is seldom white: frequencies are differences of phases.
class NoiseColour {
 public:
  NoiseColour(const std::vector<double>& residual, double rate_hz) {
    if (residual.size() < 128) return;
    spectrum_ = whole_spectrum(residual, rate_hz);
    for (std::size_t k = 1; k < spectrum_->bins(); ++k)
      mean_ += spectrum_->power[k] / static_cast<double>(spectrum_->bins() - 1);
  }
  /// Amplitude density around a frequency over that of white noise of the same power.
  double around(double hz) const {
    if (!spectrum_ || !(mean_ > 0)) return 1;
    constexpr double reach = 12;
    const double at = spectrum_->bins_at(hz);
    const auto low = static_cast<std::size_t>(std::max(2.0, at - reach));
    const auto high = std::min(spectrum_->bins(), static_cast<std::size_t>(at + reach) + 1);
    double sum = 0;
    for (std::size_t k = low; k < high; ++k) sum += spectrum_->power[k];
    return high > low ? std::sqrt(sum / static_cast<double>(high - low) / mean_) : 1;
  }

 private:
  std::optional<Spectrum> spectrum_;
  double mean_ = 0;
};

/// The standard deviation of sum w[n] e[n] for noise that is coloured as `residual` is: sums over lags of the
/// weights' correlation times the residual's, under a Bartlett window of an eighth of the series. Of a
/// frequency, whose noise is the difference of a phase's, the ends of the series count most.
double deviation_of(std::span<const double> weights, const std::vector<double>& residual) {
  const std::size_t count = residual.size();
  std::size_t size = 16;
  while (size < 2 * count) size *= 2;
  const RealFft fft(size);
  const auto correlation = [&](auto value) {
    FftArray<double> x(size);
    FftArray<std::complex<double>> bins(fft.bins());
    std::fill_n(x.data(), size, 0.0);
    for (std::size_t n = 0; n < count; ++n) x.data()[n] = value(n);
    fft.run(x, bins);
    for (std::complex<double>& b : bins.span()) b = std::norm(b) / static_cast<double>(size);
    fft.back(bins, x);
    return x;
  };
  const FftArray<double> of_weights = correlation([&](std::size_t n) { return weights[n]; }),
                         of_rest = correlation([&](std::size_t n) { return residual[n]; });
  const std::size_t lags = std::max<std::size_t>(4, count / 8);
  double sum = 0;
  for (std::size_t m = 0; m < std::min(lags, count); ++m) {
    const double bartlett = 1 - static_cast<double>(m) / static_cast<double>(lags);
    sum +=
        (m == 0 ? 1 : 2) * bartlett * of_weights.data()[m] * of_rest.data()[m] / static_cast<double>(count);
  }
  return std::sqrt(std::max(0.0, sum));
}

/// The columns of the fit by blocks of values; rows beside a step, where filters ring, are zero.
class CourseColumns {
 public:
  CourseColumns(std::size_t count, double rate_hz, const std::vector<double>& steps_s,
                const std::vector<double>& hz)
      : count_(count),
        rate_hz_(rate_hz),
        middle_s_(static_cast<double>(count - 1) / 2 / rate_hz),
        whole_s_(static_cast<double>(count) / rate_hz),
        guard_s_((count > 2000 ? 16 : 4) / rate_hz),
        steps_s_(steps_s) {
    for (const double f : hz) sines_.emplace_back(tau * f / rate_hz);
  }
  Eigen::Index columns() const { return static_cast<Eigen::Index>(2 + steps_s_.size() + 2 * sines_.size()); }
  bool beside_step(std::size_t n) const {
    const double t = static_cast<double>(n) / rate_hz_;
    return std::any_of(steps_s_.begin(), steps_s_.end(),
                       [&](double at) { return std::abs(t - at) < guard_s_; });
  }
  /// `take(first row, rows)` for each block; `whole`: the rows beside steps as well.
  template <typename Take>
  void by_blocks(Take take, bool whole = false) const {
    Matrix block;
    for (std::size_t from = 0; from < count_; from += TurnedSine::block) {
      fill(from, std::min(TurnedSine::block, count_ - from), block);
      for (Eigen::Index n = 0; !whole && !steps_s_.empty() && n < block.rows(); ++n)
        if (beside_step(from + static_cast<std::size_t>(n))) block.row(n).setZero();
      take(from, block);
    }
  }
  /// Of all pairs of columns: near enough to orthogonal.
  Matrix products() const {
    Matrix square = Matrix::Zero(columns(), columns());
    by_blocks([&](std::size_t, const Matrix& block) {
      square.selfadjointView<Eigen::Lower>().rankUpdate(block.transpose());
    });
    return square;
  }

 private:
  void fill(std::size_t from, std::size_t count, Matrix& out) const {
    out.resize(static_cast<Eigen::Index>(count), columns());
    for (std::size_t n = 0; n < count; ++n) {
      const double t = static_cast<double>(from + n) / rate_hz_;
      const auto row = static_cast<Eigen::Index>(n);
      out(row, 0) = 1, out(row, 1) = (t - middle_s_) / whole_s_;
      for (std::size_t i = 0; i < steps_s_.size(); ++i)
        out(row, static_cast<Eigen::Index>(2 + i)) = t >= steps_s_[i] ? 1 : 0;
    }
    auto at = static_cast<Eigen::Index>(2 + steps_s_.size());
    for (const TurnedSine& sine : sines_) {
      sine.fill(static_cast<double>(from), count, out.col(at).data(), out.col(at + 1).data());
      at += 2;
    }
  }

  std::size_t count_;
  double rate_hz_, middle_s_, whole_s_, guard_s_;
  const std::vector<double>& steps_s_;
  std::vector<TurnedSine> sines_;
};

}  // namespace

CourseFit solve_course(std::span<const double> f, double rate_hz, const std::vector<double>& steps_s,
                       const std::vector<double>& hz) {
  const CourseColumns columns(f.size(), rate_hz, steps_s, hz);
  const auto values_at = [&](std::size_t from, Eigen::Index count) {
    return Eigen::Map<const Vector>(f.data() + from, count);
  };
  Vector right = Vector::Zero(columns.columns());
  Matrix square = Matrix::Zero(columns.columns(), columns.columns());
  columns.by_blocks([&](std::size_t from, const Matrix& block) {
    square.selfadjointView<Eigen::Lower>().rankUpdate(block.transpose());
    right += block.transpose() * values_at(from, block.rows());
  });
  CourseFit fit{rate_hz, f.size(), steps_s, hz, solve_symmetric(square, right), {}, {}, 0, {}};
  fit.residual.reserve(f.size());
  columns.by_blocks(
      [&](std::size_t from, const Matrix& block) {
        const Vector left = values_at(from, block.rows()) - block * fit.values;
        fit.residual.insert(fit.residual.end(), left.begin(), left.end());
      },
      true);
  double sum = 0, used = 0;
  for (std::size_t n = 0; n < f.size(); ++n)
    if (steps_s.empty() || !columns.beside_step(n)) sum += fit.residual[n] * fit.residual[n], ++used;
  fit.rms = std::sqrt(sum / std::max(1.0, used - static_cast<double>(columns.columns())));
  return fit;
}

void add_deviations(CourseFit& fit) {
  const CourseColumns columns(fit.count, fit.rate_hz, fit.steps_s, fit.hz);
  const Matrix inverse = inverse_of_symmetric(columns.products());
  fit.deviations = inverse.diagonal().cwiseMax(0).cwiseSqrt() * fit.rms;
  const NoiseColour colour(fit.residual, fit.rate_hz);
  for (Eigen::Index i = 0; i < fit.deviations.size(); ++i) {
    const Eigen::Index k = i - 2 - static_cast<Eigen::Index>(fit.steps_s.size());
    fit.deviations(i) *= colour.around(k < 0 ? 0 : fit.hz[static_cast<std::size_t>(k / 2)]);
  }
  std::vector<double> weights[2];
  columns.by_blocks([&](std::size_t, const Matrix& block) {
    for (Eigen::Index i = 0; i < 2; ++i) {
      const Vector w = block * inverse.row(i).transpose();
      weights[i].insert(weights[i].end(), w.begin(), w.end());
    }
  });
  for (Eigen::Index i = 0; i < 2; ++i)
    fit.deviations(i) = std::max(fit.deviations(i), deviation_of(weights[i], fit.residual));
}

double density_around(const CourseFit& fit, double hz) {
  return NoiseColour(fit.residual, fit.rate_hz).around(hz);
}

void CourseFit::take_off(std::span<double> x, double rate_hz_of_x, double start_s, double below_hz) const {
  const double whole_s = static_cast<double>(count) / rate_hz,
               middle_s = static_cast<double>(count - 1) / 2 / rate_hz;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = start_s + static_cast<double>(n) / rate_hz_of_x;
    x[n] -= values(0) + values(1) * (t - middle_s) / whole_s;
    for (std::size_t i = 0; i < steps_s.size(); ++i)
      if (t >= steps_s[i]) x[n] -= values(static_cast<Eigen::Index>(2 + i));
  }
  auto at = static_cast<Eigen::Index>(2 + steps_s.size());
  for (const double f : hz) {
    const double c = values(at), s = values(at + 1);
    at += 2;
    if (f >= below_hz) continue;
    const TurnedSine sine(tau * f / rate_hz_of_x);
    for (std::size_t from = 0; from < x.size(); from += TurnedSine::block)
      sine.add(start_s * rate_hz_of_x + static_cast<double>(from), -c, -s,
               std::min(TurnedSine::block, x.size() - from), x.data() + from);
  }
}

}  // namespace vprism
