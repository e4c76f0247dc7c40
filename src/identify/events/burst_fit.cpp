// burst_fit.cpp: see burst_fit.h.
//
// Amplitude, phase and the straight line are linear and solved for; time, width and frequency go by
// Gauss-Newton on what is left, slopes by differences. Long stretches are averaged down to a few thousand
// numbers first, the frequency below a sixth of what is left of the rate. A decay's beginning is a jump: it
// is tried on a grid and then between samples.
#include "identify/events/burst_fit.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/linear/linear.h"

namespace vprism {

namespace {

using std::numbers::pi;

double envelope(BurstShape shape, double u) {
  if (shape == BurstShape::bell) return std::exp(-u * u / 2);
  return u < 0 ? 0 : std::exp(-u);
}

/// Time, logarithm of the width, frequency.
using Place = Eigen::Vector3d;

class Stretch {
 public:
  Stretch(std::span<const double> x, double rate_hz, double hz) {
    constexpr std::size_t most = 1500;
    std::size_t together = std::max<std::size_t>(1, x.size() / most);
    together = std::min(together, std::max<std::size_t>(1, static_cast<std::size_t>(rate_hz / (6 * hz))));
    step_ = static_cast<double>(together) / rate_hz;
    first_ = static_cast<double>(together - 1) / 2 / rate_hz;
    for (std::size_t n = 0; n + together <= x.size(); n += together) {
      double sum = 0;
      for (std::size_t i = n; i < n + together; ++i) sum += x[i];
      values_.conservativeResize(values_.size() + 1);
      values_(values_.size() - 1) = sum / static_cast<double>(together);
    }
  }
  Eigen::Index size() const { return values_.size(); }
  double step() const { return step_; }
  double time(Eigen::Index n) const { return first_ + static_cast<double>(n) * step_; }
  double length() const { return static_cast<double>(size()) * step_; }

  struct Left {
    Vector rest, linear;
    double squares = 0;
  };
  Left at(BurstShape shape, const Place& place) const {
    const Matrix phi = basis(shape, place);
    Left out;
    out.linear = PivotedQr(phi).solve(values_);
    out.rest = values_ - product(phi, out.linear);
    out.squares = out.rest.squaredNorm();
    return out;
  }
  /// Changes of what is left with time, logarithm of the width and frequency, the linear part projected out.
  Matrix slopes(BurstShape shape, const Place& place, const Left& left) const {
    Matrix j(size(), 3);
    const Matrix phi = basis(shape, place);
    const double width = std::exp(place[1]);
    for (Eigen::Index n = 0; n < size(); ++n) {
      const double t = time(n) - place[0], u = t / width;
      const double wave = left.linear(0) * phi(n, 0) + left.linear(1) * phi(n, 1),
                   slope = left.linear(1) * phi(n, 0) - left.linear(0) * phi(n, 1);
      // The envelope by u: -u times itself of a bell, -1 of a decay.
      const double by_u = (shape == BurstShape::bell ? -u : -1) * wave;
      j(n, 0) = by_u / width + slope * 2 * pi * place[2];
      j(n, 1) = by_u * u;
      j(n, 2) = -slope * 2 * pi * t;
    }
    const PivotedQr qr(phi);
    for (Eigen::Index i = 0; i < 3; ++i) j.col(i) -= product(phi, qr.solve(Vector(j.col(i))));
    return j;
  }
  double about_line() const {
    Matrix phi(size(), 2);
    for (Eigen::Index n = 0; n < size(); ++n) phi(n, 0) = 1, phi(n, 1) = static_cast<double>(n);
    return (values_ - product(phi, PivotedQr(phi).solve(values_))).squaredNorm();
  }

 private:
  Matrix basis(BurstShape shape, const Place& place) const {
    Matrix phi(size(), 4);
    const double width = std::exp(place[1]), half = length() / 2, w = 2 * pi * place[2];
    std::complex<double> wave = std::polar(1.0, w * (time(0) - place[0]));
    const std::complex<double> turn = std::polar(1.0, w * step_);
    for (Eigen::Index n = 0; n < size(); ++n) {
      const double e = envelope(shape, (time(n) - place[0]) / width);
      phi(n, 0) = e * wave.real(), phi(n, 1) = e * wave.imag();
      wave *= turn;
      phi(n, 2) = 1, phi(n, 3) = (time(n) - half) / half;
    }
    return phi;
  }
  Vector values_;
  double step_ = 1, first_ = 0;
};

struct Settled {
  Place place;
  Stretch::Left left;
};

Settled settle(const Stretch& stretch, BurstShape shape, Place place) {
  Settled out{place, stretch.at(shape, place)};
  double damping = 1e-3;
  for (int step = 0; step < 25 && damping < 1e6; ++step) {
    const Matrix j = stretch.slopes(shape, out.place, out.left);
    Matrix normal = turned_product(j, j);
    // A decay's beginning is a jump from sample to sample and is sought apart.
    if (shape == BurstShape::decay) normal(0, 0) += 1e12 * (normal(0, 0) + normal.diagonal().maxCoeff());
    normal.diagonal() *= 1 + damping;
    normal.diagonal().array() += 1e-300;
    const Vector change = solve_symmetric(normal, Vector(-turned_product(j, out.left.rest)));
    if (!change.allFinite()) break;
    Place trial = out.place;
    const double width = std::exp(out.place[1]);
    trial[0] += std::clamp(change(0), -width, width);
    trial[1] += std::clamp(change(1), -0.5, 0.5);
    trial[2] += std::clamp(change(2), -0.2 * out.place[2], 0.2 * out.place[2]);
    const bool inside = trial[0] > 0 && trial[0] < stretch.length() && trial[2] > 0 &&
                        trial[2] < 0.5 / stretch.step() && std::exp(trial[1]) > 0.2 * stretch.step() &&
                        std::exp(trial[1]) < 2 * stretch.length();
    Stretch::Left next;
    if (inside) next = stretch.at(shape, trial);
    if (inside && next.squares <= out.left.squares) {
      const bool still = out.left.squares - next.squares < 1e-8 * out.left.squares;
      out = {trial, std::move(next)}, damping = std::max(damping / 10, 1e-9);
      if (still) break;
    } else {
      damping *= 10;
    }
  }
  return out;
}

/// Samples that stand for one in what is left over.
double alike(const Vector& rest) {
  double sum = 1;
  const double all = rest.squaredNorm(), chance = 2 / std::sqrt(static_cast<double>(rest.size()));
  for (Eigen::Index lag = 1; lag < std::min<Eigen::Index>(60, rest.size() / 4); ++lag) {
    const double like =
        rest.head(rest.size() - lag).dot(rest.tail(rest.size() - lag)) / std::max(all, 1e-300);
    if (std::abs(like) < chance) break;
    sum += 2 * like * like;
  }
  return sum;
}

BurstFit described(const Stretch& stretch, BurstShape shape, const Settled& found) {
  BurstFit out;
  out.shape = shape, out.decays = shape == BurstShape::decay;
  out.time_s = found.place[0], out.width_s = std::exp(found.place[1]), out.hz = found.place[2];
  out.cosine = found.left.linear(0), out.sine = found.left.linear(1);
  out.amplitude = std::hypot(out.cosine, out.sine);
  out.explained = 1 - found.left.squares / std::max(stretch.about_line(), 1e-300);
  const double free = std::max(1.0, static_cast<double>(stretch.size()) - 7);
  const double variance = found.left.squares / free * alike(found.left.rest);
  const Matrix j = stretch.slopes(shape, found.place, found.left);
  Matrix normal = turned_product(j, j);
  normal.diagonal().array() += 1e-300;
  if (shape == BurstShape::decay) normal(0, 0) += 1e12 * (normal(0, 0) + normal.diagonal().maxCoeff());
  const Matrix covariance = inverse_of_symmetric(normal) * variance;
  const auto std = [&](int i) { return std::sqrt(std::max(0.0, covariance(i, i))); };
  out.time_std_s = std(0);
  if (shape == BurstShape::decay) {
    // A jump is no smooth unknown: as far as the squares rise by no more than the noise, and the step itself.
    const auto reach = [&](double by) {
      for (int i = 1; i < 80; ++i) {
        Place place = found.place;
        place[0] += i * by;
        if (stretch.at(shape, place).squares > found.left.squares + variance) return i * std::abs(by);
      }
      return 80 * std::abs(by);
    };
    const double quarter = stretch.step() / 4;
    out.time_std_s = std::hypot((reach(quarter) + reach(-quarter)) / 2, stretch.step() / std::sqrt(12.0));
  }
  out.width_std_s = out.width_s * std(1), out.hz_std = std(2);
  // The level is known with the width: both weigh the same energy.
  double energy = 0;
  for (Eigen::Index n = 0; n < stretch.size(); ++n)
    energy += std::pow(envelope(shape, (stretch.time(n) - out.time_s) / out.width_s), 2) / 2;
  out.amplitude_std = std::hypot(std::sqrt(variance / std::max(energy, 1e-300)), out.amplitude * std(1) / 2);
  if (shape == BurstShape::decay)
    out.amplitude_std = std::hypot(out.amplitude_std, out.amplitude * out.time_std_s / out.width_s);
  const double lasts = out.end_s() - out.start_s();
  if (lasts * out.hz < 0.5 || out.hz_std > 0.3 * out.hz) out.shape = BurstShape::click;
  // What is over within a sample or two lies anywhere in one.
  if (lasts < 2 * stretch.step())
    out.time_std_s = std::hypot(out.time_std_s, stretch.step() / std::sqrt(12.0));
  return out;
}

}  // namespace

double BurstFit::start_s() const {
  return decays ? time_s : time_s - width_s * std::sqrt(2 * std::numbers::ln2);
}
double BurstFit::end_s() const {
  return time_s + width_s * (decays ? std::numbers::ln2 : std::sqrt(2 * std::numbers::ln2));
}
double BurstFit::at(double t) const {
  const double u = t - time_s, turn = 2 * pi * hz * u;
  const double e = envelope(decays ? BurstShape::decay : BurstShape::bell, u / width_s);
  return e * (cosine * std::cos(turn) + sine * std::sin(turn));
}

double BurstFit::half_hz() const {
  return (decays ? std::sqrt(3.0) : std::sqrt(2 * std::numbers::ln2)) / (2 * pi * width_s);
}

std::optional<BurstFit> fit_burst(std::span<const double> x, double rate_hz, double time_s, double length_s,
                                  double hz, double least_explained) {
  if (x.size() < 16 || !(hz > 0) || !(length_s > 0)) return std::nullopt;
  const Stretch stretch(x, rate_hz, hz);
  if (stretch.size() < 16) return std::nullopt;
  std::optional<Settled> bell, decay;
  const auto keep = [](std::optional<Settled>& best, Settled one) {
    if (!best || one.left.squares < best->left.squares) best = std::move(one);
  };
  for (const double size : {0.4, 1.0})
    keep(bell, settle(stretch, BurstShape::bell, {time_s, std::log(size * length_s / 2.355), hz}));
  // A decay begins before its greatest reading, by up to a length.
  std::optional<Settled> grid;
  for (int i = -24; i <= 6; ++i)
    for (const double size : {0.3, 0.7, 1.5}) {
      const Place place(time_s + i * length_s / 12, std::log(size * length_s), hz);
      if (place[0] > 0 && place[0] < stretch.length())
        keep(grid, {place, stretch.at(BurstShape::decay, place)});
    }
  if (grid) {
    decay = settle(stretch, BurstShape::decay, grid->place);
    // Its beginning from coarse to fine, to quarters of a sample, the rest anew in between.
    for (const double step : {16.0, 4.0, 1.0, 1.0, 0.25}) {
      Settled best = *decay;
      for (int i = -6; i <= 6; ++i) {
        Place place = decay->place;
        place[0] += i * step * stretch.step();
        if (!(place[0] > 0 && place[0] < stretch.length())) continue;
        Stretch::Left left = stretch.at(BurstShape::decay, place);
        if (left.squares < best.left.squares) best = {place, std::move(left)};
      }
      decay = settle(stretch, BurstShape::decay, best.place);
    }
  }
  const bool rings = decay && decay->left.squares < bell->left.squares;
  BurstFit fit = described(stretch, rings ? BurstShape::decay : BurstShape::bell, rings ? *decay : *bell);
  if (!(fit.explained > least_explained) || !std::isfinite(fit.time_std_s + fit.hz_std + fit.amplitude_std))
    return std::nullopt;
  return fit;
}

Stretches::Stretches(std::vector<std::pair<std::int64_t, std::int64_t>> wanted) {
  std::sort(wanted.begin(), wanted.end());
  for (const auto& [from, to] : wanted)
    if (!pieces_.empty() && from <= pieces_.back().to)
      pieces_.back().to = std::max(pieces_.back().to, to);
    else if (to > from)
      pieces_.push_back({from, to, {}});
}

std::size_t Stretches::samples() const {
  std::size_t sum = 0;
  for (const Piece& piece : pieces_) sum += static_cast<std::size_t>(piece.to - piece.from);
  return sum;
}

void Stretches::add(std::int64_t first, std::span<const double> x) {
  const auto end = first + static_cast<std::int64_t>(x.size());
  for (Piece& piece : pieces_) {
    const std::int64_t from = std::max(piece.from, first), to = std::min(piece.to, end);
    if (to > from)
      piece.values.insert(piece.values.end(), x.begin() + (from - first), x.begin() + (to - first));
  }
}

std::span<double> Stretches::part(std::int64_t from, std::int64_t to) {
  for (Piece& piece : pieces_)
    if (from >= piece.from && to <= piece.from + static_cast<std::int64_t>(piece.values.size()) && to > from)
      return {piece.values.data() + (from - piece.from), static_cast<std::size_t>(to - from)};
  return {};
}

}  // namespace vprism
