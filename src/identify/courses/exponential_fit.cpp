// exponential_fit.cpp: see exponential_fit.h.
#include "identify/courses/exponential_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/fft.h"
#include "base/turns.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using Values = std::vector<Complex>;

}  // namespace

double square_of(const Values& z) {
  double sum = 0;
  for (const Complex& v : z) sum += std::norm(v);
  return sum;
}

bool ExponentialFit::run(std::vector<Turn>& turns) {
  for (int round = 0; round < 40; ++round) {
    const double moved = step(turns);
    for (const Turn& t : turns)
      if (!std::isfinite(std::abs(t.a)) || std::abs(t.s.real()) > 2) return false;
    if (moved < 1e-10) break;
  }
  left_ = square_of(remainder(turns));
  return std::isfinite(left_);
}

Values ExponentialFit::remainder(const std::vector<Turn>& turns) const {
  Values rest = z_;
  for (const Turn& t : turns)
    for (std::size_t m = 0; m < rest.size(); ++m) rest[m] -= t.a * std::exp(t.s * static_cast<double>(m));
  return rest;
}

Matrix ExponentialFit::covariance(const std::vector<Turn>& turns) {
  gather(turns);
  return inverse_of_symmetric(normal_);
}

void ExponentialFit::gather(const std::vector<Turn>& turns) {
  const Eigen::Index n = each() * static_cast<Eigen::Index>(turns.size());
  const auto rows = static_cast<Eigen::Index>(z_.size());
  Matrix slopes = Matrix::Zero(2 * rows, n);
  const Values rest = remainder(turns);
  Vector left(2 * rows);
  for (Eigen::Index m = 0; m < rows; ++m)
    left[m] = rest[static_cast<std::size_t>(m)].real(),
    left[rows + m] = rest[static_cast<std::size_t>(m)].imag();
  for (std::size_t k = 0; k < turns.size(); ++k) {
    const Turn& t = turns[k];
    const Eigen::Index at = each() * static_cast<Eigen::Index>(k);
    for (std::size_t m = 0; m < z_.size(); ++m) {
      const double along = static_cast<double>(m);
      const Complex e = std::exp(t.s * along);
      const Complex parts[4] = {e, Complex(0, 1) * e, Complex(0, 1) * t.a * along * e, t.a * along * e};
      for (Eigen::Index i = 0; i < each(); ++i) {
        slopes(static_cast<Eigen::Index>(m), at + i) = parts[i].real();
        slopes(rows + static_cast<Eigen::Index>(m), at + i) = parts[i].imag();
      }
    }
  }
  normal_ = turned_product(slopes, slopes);
  gradient_ = turned_product(slopes, left);
}

double ExponentialFit::step(std::vector<Turn>& turns) {
  gather(turns);
  const Vector scale = normal_.diagonal().cwiseSqrt().cwiseMax(1e-300).cwiseInverse();
  Matrix scaled = scale.asDiagonal() * normal_ * scale.asDiagonal();
  for (Eigen::Index i = 0; i < scaled.rows(); ++i) scaled(i, i) *= 1 + 1e-12;
  const Vector change = scale.asDiagonal() * solve_symmetric(scaled, Vector(scale.asDiagonal() * gradient_));
  double moved = 0;
  const double most = 0.5 / static_cast<double>(z_.size());  // Turns over the record, in radians per step.
  for (std::size_t k = 0; k < turns.size(); ++k) {
    Turn& t = turns[k];
    const Eigen::Index at = each() * static_cast<Eigen::Index>(k);
    const Complex by(change[at], change[at + 1]);
    moved = std::max(moved, std::abs(by) / std::max(std::abs(t.a), 1e-300));
    t.a += by;
    const double w = std::clamp(change[at + 2], -most, most);
    const double d = decays_ ? std::clamp(change[at + 3], -4 * most, 4 * most) : 0;
    t.s += Complex(d, w);
    moved = std::max(moved, (std::abs(w) + std::abs(d)) / most);
  }
  return moved;
}

double strongest_turn(const Values& z) {
  const std::size_t size = 4 * z.size();
  FftArray<Complex> in(size), out(size);
  std::fill(in.data(), in.data() + size, Complex{});
  std::copy(z.begin(), z.end(), in.data());
  ComplexFft(size).run(in, out);
  std::size_t top = 0;
  for (std::size_t k = 0; k < size; ++k)
    if (std::norm(out.data()[k]) > std::norm(out.data()[top])) top = k;
  const double w = two_pi * static_cast<double>(top) / static_cast<double>(size);
  return w > std::numbers::pi ? w - two_pi : w;
}

Complex amplitude_at(const Values& z, Complex s) {
  Complex sum = 0;
  double square = 0;
  for (std::size_t m = 0; m < z.size(); ++m) {
    const Complex e = std::exp(s * static_cast<double>(m));
    sum += std::conj(e) * z[m];
    square += std::norm(e);
  }
  return square > 0 ? sum / square : 0;
}

}  // namespace vprism
