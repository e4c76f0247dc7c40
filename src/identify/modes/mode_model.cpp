// mode_model.cpp: see mode_model.h; the model is written down in mode_fit.cpp.
#include "identify/modes/mode_model.h"

#include <oneapi/tbb/parallel_for.h>

#include <cmath>
#include <numbers>

#include "base/turns.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

}  // namespace

ModeModel::ModeModel(const ModeData& data, std::size_t low, std::size_t high) : data_(data) {
  centre_ = two_pi * (data.frequency_hz[low] + data.frequency_hz[high - 1]) / 2;
  for (std::size_t o = 0; o < data.curves.size(); ++o) {
    CurveRows rows;
    for (std::size_t k = low; k < high; ++k)
      if (data.error[o][k] > 0 && data.frequency_hz[k] > 0) rows.bins.push_back(k);
    rows.weight.resize(static_cast<Eigen::Index>(rows.bins.size()));
    rows.data.resize(2 * rows.weight.size());
    for (std::size_t i = 0; i < rows.bins.size(); ++i) {
      const auto n = static_cast<Eigen::Index>(i);
      const double w = 1 / data.error[o][rows.bins[i]];
      rows.weight(n) = w;
      rows.data(2 * n) = w * data.curves[o][rows.bins[i]].real();
      rows.data(2 * n + 1) = w * data.curves[o][rows.bins[i]].imag();
    }
    curves_.push_back(std::move(rows));
  }
}

Matrix ModeModel::basis(const CurveRows& rows, const std::vector<Complex>& poles) const {
  const auto m = static_cast<Eigen::Index>(poles.size());
  Matrix phi(2 * rows.weight.size(), 2 * m + outside_terms);
  for (Eigen::Index n = 0; n < rows.weight.size(); ++n) {
    const Complex s(0, two_pi * data_.frequency_hz[rows.bins[static_cast<std::size_t>(n)]]);
    const double w = rows.weight(n);
    const auto put = [&](Eigen::Index column, Complex v) {
      phi(2 * n, column) = w * v.real(), phi(2 * n + 1, column) = w * v.imag();
    };
    for (Eigen::Index i = 0; i < m; ++i) {
      const Complex p = poles[static_cast<std::size_t>(i)];
      const Complex a = -p.real() / (s - p), b = -p.real() / (s - std::conj(p));  // of order one at the top
      put(2 * i, a + b);
      put(2 * i + 1, Complex(0, 1) * (a - b));
    }
    const Complex u = s / centre_;
    Complex power = 1.0 / (u * u);
    for (int q = 0; q < outside_terms; ++q, power *= u) put(2 * m + q, power);
  }
  return phi;
}

ModeModel::State ModeModel::at(const std::vector<Complex>& poles, bool slopes) const {
  const auto m = static_cast<Eigen::Index>(poles.size());
  std::vector<State> parts(curves_.size());
  oneapi::tbb::parallel_for(std::size_t{0}, curves_.size(), [&](std::size_t o) {
    const CurveRows& rows = curves_[o];
    State& out = parts[o];
    const Matrix phi = basis(rows, poles);
    // Columns of like size, so that the rank is judged by direction.
    const Vector size = phi.colwise().norm().cwiseMax(1e-300);
    const PivotedQr qr(phi * size.cwiseInverse().asDiagonal());
    const Vector x = size.cwiseInverse().asDiagonal() * qr.solve(rows.data);
    out.linear = {x};
    const Vector left = rows.data - product(phi, x);
    out.squares = left.squaredNorm();
    if (!slopes) return;
    Matrix j(phi.rows(), 2 * m);
    for (Eigen::Index n = 0; n < rows.weight.size(); ++n) {
      const Complex s(0, two_pi * data_.frequency_hz[rows.bins[static_cast<std::size_t>(n)]]);
      for (Eigen::Index i = 0; i < m; ++i) {
        const Complex p = poles[static_cast<std::size_t>(i)];
        const Complex residue = -p.real() * Complex(x(2 * i), x(2 * i + 1));
        const Complex a = residue / ((s - p) * (s - p)),
                      b = std::conj(residue) / ((s - std::conj(p)) * (s - std::conj(p)));
        // By Re p and by Im p, the residue held.
        const Complex by_re = rows.weight(n) * (a + b), by_im = rows.weight(n) * Complex(0, 1) * (a - b);
        j(2 * n, 2 * i) = by_re.real(), j(2 * n + 1, 2 * i) = by_re.imag();
        j(2 * n, 2 * i + 1) = by_im.real(), j(2 * n + 1, 2 * i + 1) = by_im.imag();
      }
    }
    const Eigen::Index rank = qr.rank();
    // The linear part projected out: rows of Q beyond the rank.
    Matrix turned = qr.turned(j);
    Vector rest = qr.turned(left);
    turned.topRows(rank).setZero(), rest.head(rank).setZero();
    out.normal = turned_product(turned, turned);
    out.gradient = turned_product(turned, rest);
  });
  State out;
  if (slopes) out.normal = Matrix::Zero(2 * m, 2 * m), out.gradient = Vector::Zero(2 * m);
  for (std::size_t o = 0; o < parts.size(); ++o) {
    out.linear.push_back(std::move(parts[o].linear.front()));
    out.squares += parts[o].squares;
    out.rows += 2 * curves_[o].bins.size();
    if (slopes) out.normal += parts[o].normal, out.gradient += parts[o].gradient;
  }
  return out;
}

Vector ModeModel::linear_std(std::size_t o, const std::vector<Complex>& poles) const {
  const Matrix phi = basis(curves_[o], poles);
  const Vector size = phi.colwise().norm().cwiseMax(1e-300);
  const Matrix scaled = phi * size.cwiseInverse().asDiagonal();
  const Matrix inverse = inverse_of_symmetric(turned_product(scaled, scaled));
  return size.cwiseInverse().cwiseProduct(inverse.diagonal().cwiseMax(0).cwiseSqrt());
}

std::vector<Complex> ModeModel::curve(const std::vector<Complex>& poles, const Vector& x) const {
  CurveRows every;
  for (std::size_t k = 0; k < data_.frequency_hz.size(); ++k)
    if (data_.frequency_hz[k] > 0) every.bins.push_back(k);
  every.weight = Vector::Ones(static_cast<Eigen::Index>(every.bins.size()));
  const Vector values = product(basis(every, poles), x);
  std::vector<Complex> out(data_.frequency_hz.size(), 0.0);
  for (std::size_t i = 0; i < every.bins.size(); ++i) {
    const auto n = static_cast<Eigen::Index>(2 * i);
    out[every.bins[i]] = {values(n), values(n + 1)};
  }
  return out;
}

}  // namespace vprism
