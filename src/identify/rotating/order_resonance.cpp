// order_resonance.cpp: see order_resonance.h.
#include "identify/rotating/order_resonance.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "base/linear/linear.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

/// Powers of the relative speed that forces and answers at once may have.
constexpr std::size_t speed_powers = 3;
constexpr Eigen::Index swept_columns = 2 * static_cast<Eigen::Index>(speed_powers) + 1;

/// Places at equal angles, eight in a hop of the blocks, and the weights of those within each block.
struct Grid {
  std::vector<double> step_s, turn_rad, speed;  ///< Of the step that ends at each place.
  struct Block {
    std::size_t from = 0;
    std::vector<double> weights;
  };
  std::vector<Block> blocks;
};

Grid grid_of(const OrderCut& cut, const ShaftAngle& shaft, std::size_t first, std::size_t last,
             double usual) {
  Grid out;
  const double half = cut.revolutions / 2;
  const double step = (cut.turn[last] - cut.turn[first]) / static_cast<double>(last - first) / 8;
  const double start = cut.turn[first] - half, end = cut.turn[last] + half;
  const auto count = static_cast<std::size_t>(std::ceil((end - start) / step));
  double before = shaft.time_of(start);
  for (std::size_t k = 0; k < count; ++k) {
    const double at = shaft.time_of(start + (static_cast<double>(k) + 1) * step);
    out.step_s.push_back(at - before), out.turn_rad.push_back(2 * pi * cut.order * step);
    out.speed.push_back(step / std::max(1e-12, at - before) / usual - 1);
    before = at;
  }
  for (std::size_t b = first; b <= last; ++b) {
    Grid::Block block;
    double sum = 0;
    for (std::size_t k = 0; k < count; ++k) {
      const double u = (start + (static_cast<double>(k) + 1) * step - cut.turn[b]) / half;
      if (u <= -1 || u >= 1) continue;
      if (block.weights.empty()) block.from = k;
      block.weights.push_back(0.5 + 0.5 * std::cos(pi * u));
      sum += block.weights.back();
    }
    for (double& w : block.weights) w /= sum;
    out.blocks.push_back(std::move(block));
  }
  return out;
}

/// Means over the blocks of: the pole's answers to 1, s and s^2, what rings freely, and 1, s, s^2 themselves.
ComplexMatrix basis_of(const Grid& grid, Complex pole) {
  ComplexMatrix out = ComplexMatrix::Zero(static_cast<Eigen::Index>(grid.blocks.size()), swept_columns);
  const std::size_t count = grid.step_s.size();
  std::vector<std::array<Complex, swept_columns>> values(count);
  std::array<Complex, speed_powers> q{};
  Complex free = 1;
  for (std::size_t k = 0; k < count; ++k) {
    const Complex turn = pole * grid.step_s[k] - Complex(0, grid.turn_rad[k]), step = std::exp(turn);
    double power = 1;
    free *= step;
    for (std::size_t i = 0; i < speed_powers; ++i, power *= grid.speed[k]) {
      // At rest before: as if it had been at that speed for long.
      if (k == 0) q[i] = -power * grid.step_s[k] / turn;
      q[i] = step * q[i] + power * grid.step_s[k] * (step - 1.0) / turn;
      values[k][i] = q[i], values[k][speed_powers + 1 + i] = power;
    }
    values[k][speed_powers] = free;
  }
  for (std::size_t b = 0; b < grid.blocks.size(); ++b)
    for (std::size_t k = 0; k < grid.blocks[b].weights.size(); ++k)
      for (Eigen::Index i = 0; i < swept_columns; ++i)
        out(static_cast<Eigen::Index>(b), i) +=
            grid.blocks[b].weights[k] * values[grid.blocks[b].from + k][static_cast<std::size_t>(i)];
  return out;
}

/// What is left of the amplitudes when the best sum of a pole's swept_columns is taken off.
class Fit {
 public:
  Fit(const OrderCut& cut, const ShaftAngle& shaft, std::size_t first, std::size_t last, double usual)
      : grid_(grid_of(cut, shaft, first, last, usual)), y_(static_cast<Eigen::Index>(last - first + 1)) {
    for (std::size_t b = first; b <= last; ++b)
      y_(static_cast<Eigen::Index>(b - first)) = std::polar(cut.amplitude[b], cut.phase_deg[b] * pi / 180);
  }
  ComplexVector left(double hz, double damping) const {
    const double w = 2 * pi * hz;
    ComplexMatrix basis = basis_of(grid_, {-damping * w, w * std::sqrt(1 - damping * damping)});
    for (Eigen::Index i = 0; i < swept_columns; ++i)
      if (const double size = basis.col(i).norm(); size > 0) basis.col(i) /= size;
    const ComplexQr qr(basis);
    ComplexVector turned = qr.turned(y_);
    return turned.tail(turned.size() - qr.rank());
  }
  double cost(double hz, double damping) const { return left(hz, damping).squaredNorm(); }
  /// The same without the pole.
  double plain() const {
    ComplexMatrix basis = basis_of(grid_, {-1.0, 1.0}).rightCols(static_cast<Eigen::Index>(speed_powers));
    const ComplexQr qr(basis);
    const ComplexVector turned = qr.turned(y_);
    return turned.tail(turned.size() - qr.rank()).squaredNorm();
  }
  Eigen::Index size() const { return y_.size(); }
  const ComplexVector& amplitudes() const { return y_; }
  ComplexMatrix basis(double hz, double damping) const {
    const double w = 2 * pi * hz;
    return basis_of(grid_, {-damping * w, w * std::sqrt(1 - damping * damping)});
  }

 private:
  Grid grid_;
  ComplexVector y_;
};

/// How many times the variance of a sum over these is that of as many independent ones: from what the blocks
/// share as they overlap by three quarters under a Hann window, and from how these themselves go together.
double shared_variance(const ComplexVector& rest) {
  constexpr double by_overlap = 1 + 2 * (0.6592 + 0.1667 + 0.0075);
  const double all = rest.squaredNorm();
  double out = 1;
  for (Eigen::Index lag = 1; lag < rest.size() / 3 && all > 0; ++lag) {
    const double together = rest.head(rest.size() - lag).dot(rest.tail(rest.size() - lag)).real() / all;
    if (together <= 0) break;
    out += 2 * together;
  }
  return std::max(by_overlap, out);
}

}  // namespace

std::optional<SweptResonance> fit_swept_resonance(const OrderCut& cut, const ShaftAngle& shaft,
                                                  std::size_t top) {
  const double hz = cut.order * cut.speed[top];
  std::size_t first = top, last = top;
  const auto near = [&](std::size_t n) {
    const double f = cut.order * cut.speed[n];
    return f > 0.72 * hz && f < 1.35 * hz;
  };
  while (first > 0 && near(first - 1)) --first;
  while (last + 1 < cut.speed.size() && near(last + 1)) ++last;
  constexpr double parameters = 2.0 * static_cast<double>(swept_columns) + 2;
  const double values = 2.0 * static_cast<double>(last - first + 1);
  if (values < 4 * parameters || !(hz > 0)) return {};
  const Fit fit(cut, shaft, first, last, cut.speed[top]);

  // From a lattice, since a damping that is far off has no slope.
  double best_hz = hz, best_damping = 0.02, least = fit.cost(hz, 0.02);
  for (const double damping : {0.002, 0.005, 0.012, 0.03, 0.07})
    for (int k = -12; k <= 12; ++k) {
      const double at = hz * (1 + 0.005 * k), cost = fit.cost(at, damping);
      if (cost < least) least = cost, best_hz = at, best_damping = damping;
    }
  Vector p(2);
  p << std::log(best_hz), std::log(best_damping);
  Matrix normal(2, 2);
  ComplexVector rest;
  double damp = 1e-3;
  for (int round = 0; round < 60; ++round) {
    // By the swept_columns' own change, what they explain taken off (Kaufman 1975).
    const double f = std::exp(p(0)), z = std::exp(p(1)), w = 1e-5;
    const ComplexMatrix basis = fit.basis(f, z);
    const ComplexQr qr(basis);
    const ComplexVector weights = qr.solve(fit.amplitudes());
    rest = fit.amplitudes() - product(basis, ComplexMatrix(weights));
    ComplexMatrix change(fit.size(), 2);
    change.col(0) =
        product(ComplexMatrix((fit.basis(f * std::exp(w), z) - fit.basis(f * std::exp(-w), z)) / (2 * w)),
                ComplexMatrix(weights));
    change.col(1) =
        product(ComplexMatrix((fit.basis(f, z * std::exp(w)) - fit.basis(f, z * std::exp(-w))) / (2 * w)),
                ComplexMatrix(weights));
    for (Eigen::Index i = 0; i < 2; ++i)
      change.col(i) -= product(basis, ComplexMatrix(qr.solve(ComplexVector(change.col(i)))));
    normal = turned_product(change, change).real();
    const Vector slope = turned_product(change, ComplexMatrix(rest)).real();
    Matrix stiff = normal;
    stiff.diagonal() *= 1 + damp;
    const Vector step = solve_symmetric(stiff, slope);
    const Vector next = p + step;
    const double cost = std::exp(next(1)) < 0.3 && std::abs(next(0) - std::log(hz)) < 0.2
                            ? fit.cost(std::exp(next(0)), std::exp(next(1)))
                            : 2 * least;
    if (cost <= least) {
      const bool still = step.norm() < 1e-9;
      p = next, least = cost, damp = std::max(1e-9, damp / 10);
      if (still) break;
    } else if ((damp *= 10) > 1e6) {
      break;
    }
  }
  const double plain = fit.plain();
  if (!(least < 0.04 * plain)) return {};
  const double shared = shared_variance(rest), freedom = std::max(values / 4, values - shared * parameters);
  const Matrix spread = inverse_of_symmetric(normal) * (shared * least / freedom);
  SweptResonance out{std::exp(p(0)), 0, std::exp(p(1)), 0};
  // What the speed's own error, other orders that rise at the time and the places' steps leave does not look
  // like noise: on runs of known truth errors were one and a half times as wide, and a floor is left.
  constexpr double wider = 1.5, floor_hz = 1e-5, floor_damping = 5e-4;
  out.hz_std = out.hz * std::hypot(wider * std::sqrt(spread(0, 0)), floor_hz);
  out.damping_std = out.damping * std::hypot(wider * std::sqrt(spread(1, 1)), floor_damping);
  if (!(spread(1, 1) > 0) || !(out.damping_std < 0.5 * out.damping) || !std::isfinite(out.hz_std)) return {};
  return out;
}

}  // namespace vprism
