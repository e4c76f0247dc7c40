// record_band.cpp: see record_band.h.
//
// Linear in A, B, P, Q: those are projected out (QR), and the poles go by Gauss-Newton on what is left, all
// complex: a pole's column changes by (A X + B) / (i w - s)^2 times the pole's change (variable projection,
// Kaufman 1975). With rows in standard errors, complex noise of variance 1 gives the poles the covariance
// (J^H J)^-1, half of it in each part.
#include "identify/modes/record_band.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/turns.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr std::size_t bins_together = 32;  ///< Bins that are kept together where not all are.

/// Means over `reach` neighbours to either side.
Vector smoothed_squares(const Vector& squares, Eigen::Index reach) {
  const Eigen::Index rows = squares.size();
  Vector sums(rows + 1), out(rows);
  sums(0) = 0;
  for (Eigen::Index n = 0; n < rows; ++n) sums(n + 1) = sums(n) + squares(n);
  for (Eigen::Index n = 0; n < rows; ++n) {
    const Eigen::Index low = std::max<Eigen::Index>(0, n - reach), high = std::min(rows, n + reach + 1);
    out(n) = (sums(high) - sums(low)) / static_cast<double>(high - low);
  }
  return out;
}

/// A level and a multiple of a gain, neither below zero, that the squares scatter about: least squares, each
/// weighed by what is expected there.
Vector squares_by_gain(const Vector& squares, const Vector& gain) {
  const double mean_gain = gain.mean();
  Vector v = Vector::Constant(squares.size(), std::max(squares.mean(), 1e-300));
  if (!(mean_gain > 0)) return v;
  const Vector g = gain / mean_gain;
  for (int round = 0; round < 12; ++round) {
    const Vector w = v.cwiseProduct(v).cwiseInverse();
    const double s0 = w.sum(), s1 = w.dot(g), s2 = w.dot(g.cwiseProduct(g)), y0 = w.dot(squares),
                 y1 = w.dot(g.cwiseProduct(squares)), all = s0 * s2 - s1 * s1;
    if (!(all > 0)) break;
    double level = (s2 * y0 - s1 * y1) / all, slope = (s0 * y1 - s1 * y0) / all;
    if (!(slope > 0)) slope = 0, level = y0 / s0;
    if (!(level > 0)) level = 0, slope = y1 / s2;
    v = ((level + slope * g.array()).matrix()).cwiseMax(1e-6 * squares.mean() + 1e-300);
  }
  return v;
}

}  // namespace

RecordBand::RecordBand(const RecordSpectra& record, std::vector<std::size_t> channels, std::size_t from,
                       std::size_t to, std::vector<Complex> others, Eigen::Index terms)
    : record_(&record), channels_(std::move(channels)), others_(std::move(others)), terms_(terms) {
  // Where there are more bins than are needed: runs of them, so that lines of a repeating excitation and
  // what lies between them are both seen.
  const std::size_t most = std::clamp<std::size_t>(12000 / channels_.size(), 600, 3000);
  const std::size_t every = (to - from + most - 1) / most;
  for (std::size_t k = from; k < to; ++k)
    if ((k / bins_together) % every == 0) bins_.push_back(k);
  middle_ = static_cast<double>(from + to) / 2, half_ = static_cast<double>(to - from) / 2;
  for (const std::size_t c : channels_) {
    ComplexVector y(rows());
    for (Eigen::Index n = 0; n < rows(); ++n) y(n) = record.values[c][bins_[static_cast<std::size_t>(n)]];
    data_.push_back(std::move(y));
    weight_.push_back(Vector::Ones(rows()));
  }
}

Eigen::Index RecordBand::unknowns(std::size_t poles) const {
  const auto each = static_cast<Eigen::Index>(poles + others_.size()) + terms_;
  return each * static_cast<Eigen::Index>(record_->references.size() + 1);
}

double RecordBand::price(double more, double sets) const {
  const auto channels = static_cast<double>(channels_.size());
  return 2 * more * sets * channels * std::log(2 * static_cast<double>(rows()) * channels);
}

double RecordBand::price_of_terms(double more) const {
  return price(more, static_cast<double>(record_->references.size() + 1));
}

RecordBand::State RecordBand::at(const std::vector<Complex>& poles, bool slopes) const {
  const ComplexMatrix phi = basis(poles);
  const auto m = static_cast<Eigen::Index>(poles.size());
  std::vector<State> parts(channels_.size());
  oneapi::tbb::parallel_for(std::size_t{0}, channels_.size(), [&](std::size_t c) {
    State& out = parts[c];
    ComplexMatrix used = weight_[c].asDiagonal() * phi;
    const Vector size = used.colwise().norm().cwiseMax(1e-300);
    used = used * size.cwiseInverse().asDiagonal();
    const ComplexQr qr(used);
    const ComplexVector y = weight_[c].asDiagonal() * data_[c];
    const ComplexVector x = qr.solve(y);
    const ComplexVector left = y - product(used, ComplexMatrix(x)).col(0);
    out.squares = left.squaredNorm();
    out.all = y.squaredNorm();
    out.log_squares = static_cast<double>(rows()) * std::log(std::max(out.squares, 1e-300));
    out.left = {left};
    if (!slopes) return;
    ComplexMatrix j(rows(), m);
    const ComplexVector own = size.cwiseInverse().asDiagonal() * x;
    for (Eigen::Index n = 0; n < rows(); ++n)
      for (Eigen::Index i = 0; i < m; ++i) {
        const Complex p = poles[static_cast<std::size_t>(i)], away = s_of(n) - p;
        Complex sum = 0;
        for (Eigen::Index r = 0; r <= static_cast<Eigen::Index>(record_->references.size()); ++r)
          sum += own(first_of(r, poles.size()) + i) * drive(r, n);
        j(n, i) = -weight_[c](n) * sum * p.real() / (away * away);
      }
    ComplexMatrix turned = qr.turned(j);
    ComplexVector rest = qr.turned(left);
    turned.topRows(qr.rank()).setZero(), rest.head(qr.rank()).setZero();
    out.normal = turned_product(turned, turned);
    out.gradient = turned_product(turned, ComplexMatrix(rest)).col(0);
  });
  State out;
  if (slopes) out.normal = ComplexMatrix::Zero(m, m), out.gradient = ComplexVector::Zero(m);
  for (State& part : parts) {
    out.squares += part.squares, out.log_squares += part.log_squares, out.all += part.all;
    if (slopes) out.normal += part.normal, out.gradient += part.gradient;
    out.left.push_back(std::move(part.left.front()));
  }
  return out;
}

RecordBand::State RecordBand::settle(std::vector<Complex>& poles, int steps) const {
  State state = at(poles, true);
  double damping = 1e-6;
  for (int step = 0; step < steps && damping < 1e6; ++step) {
    ComplexMatrix normal = state.normal;
    normal.diagonal() *= 1 + damping;
    normal.diagonal().array() += 1e-300;
    const ComplexVector change = solve_symmetric(normal, ComplexMatrix(state.gradient)).col(0);
    std::vector<Complex> trial = poles;
    double moved = 0;
    bool inside = change.allFinite();
    for (std::size_t i = 0; i < poles.size() && inside; ++i) {
      Complex by = change(static_cast<Eigen::Index>(i));
      const double most = 0.5 * std::abs(poles[i].real());
      if (std::abs(by) > most) by *= most / std::abs(by);
      trial[i] += by;
      moved = std::max(moved, std::abs(by) / std::abs(poles[i].real()));
      inside = trial[i].real() < 0 && trial[i].imag() > 0;
    }
    State next;
    if (inside) next = at(trial, true);
    if (inside && next.squares <= state.squares) {
      poles = trial, state = std::move(next), damping = std::max(damping / 10, 1e-12);
      if (moved < 1e-7) break;
    } else {
      damping *= 10;
    }
  }
  return state;
}

void RecordBand::weigh(const State& state, std::size_t poles) {
  const double share = static_cast<double>(rows()) / static_cast<double>(rows() - unknowns(poles));
  for (std::size_t c = 0; c < channels_.size(); ++c) {
    Vector squares(rows()), gain(rows());
    for (Eigen::Index n = 0; n < rows(); ++n) {
      const double w = weight_[c](n);
      squares(n) = std::norm(state.left[c](n)) / (w * w);
      const double drives = record_->references.size() == 1 ? std::norm(drive(0, n)) : 0;
      gain(n) = drives > 0 ? std::norm(data_[c](n) - state.left[c](n) / w) / drives : 0;
    }
    const double least = std::max(0.05 * squares.mean(), 1e-300);
    const Vector near = smoothed_squares(squares, std::max<Eigen::Index>(12, rows() / 24)).cwiseMax(least),
                 driven = squares_by_gain(squares, gain).cwiseMax(least);
    // Noise of what drives comes through the resonance, narrower than what is smoothed.
    const auto cost = [&](const Vector& v, double unknown) {
      return 2 * (v.array().log() + squares.array() / v.array()).sum() +
             unknown * std::log(static_cast<double>(rows()));
    };
    const bool through = cost(driven, 2) < cost(near, 12);
    weight_[c] = ((through ? driven : near) * share).cwiseSqrt().cwiseInverse();
  }
}

double RecordBand::alike(const State& state) const {
  double most = 1;
  for (const ComplexVector& left : state.left) {
    double sum = 1;
    const double all = left.squaredNorm(), chance = 2 / std::sqrt(static_cast<double>(rows()));
    for (Eigen::Index lag = 1; lag <= 8; ++lag) {
      const Complex both = left.head(rows() - lag).dot(left.tail(rows() - lag));
      const double like = all > 0 ? std::abs(both) / all : 0;
      if (like < chance) break;
      sum += 2 * like;
    }
    most = std::max(most, sum);
  }
  return most;
}

Complex RecordBand::s_of(Eigen::Index n) const {
  return {0, two_pi * static_cast<double>(bins_[static_cast<std::size_t>(n)]) * record_->bin_hz()};
}

Complex RecordBand::drive(Eigen::Index r, Eigen::Index n) const {
  const auto i = static_cast<std::size_t>(r);
  return i == record_->references.size()
             ? Complex(1)
             : record_->values[record_->references[i]][bins_[static_cast<std::size_t>(n)]];
}

Eigen::Index RecordBand::first_of(Eigen::Index r, std::size_t poles) const {
  return r * (static_cast<Eigen::Index>(poles + others_.size()) + terms_);
}

ComplexMatrix RecordBand::basis(const std::vector<Complex>& poles) const {
  ComplexMatrix phi(rows(), unknowns(poles.size()));
  std::vector<Complex> all = poles;
  all.insert(all.end(), others_.begin(), others_.end());
  for (Eigen::Index n = 0; n < rows(); ++n) {
    const double u = (static_cast<double>(bins_[static_cast<std::size_t>(n)]) - middle_) / half_;
    for (Eigen::Index r = 0; r <= static_cast<Eigen::Index>(record_->references.size()); ++r) {
      const Complex x = drive(r, n);
      Eigen::Index column = first_of(r, poles.size());
      for (const Complex p : all) phi(n, column++) = -p.real() / (s_of(n) - p) * x;
      // Legendre's polynomials.
      double before = 0, here = 1;
      for (Eigen::Index q = 0; q < terms_; ++q) {
        phi(n, column++) = here * x;
        const double next = ((2 * static_cast<double>(q) + 1) * u * here - static_cast<double>(q) * before) /
                            (static_cast<double>(q) + 1);
        before = here, here = next;
      }
    }
  }
  return phi;
}

}  // namespace vprism
