// transfer_modes.cpp: pole pairs of a response at any frequencies, each on the points around it.
#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "base/linear/linear.h"
#include "identify/responses/transfer.h"

namespace vprism {

namespace {

using PoleNumber = std::complex<double>;
constexpr double turn_of_poles = 2 * std::numbers::pi;
constexpr double most_pole_damping = 0.7;
constexpr Eigen::Index background_powers = 4;  ///< Complex powers of frequency beside the poles.

PoleNumber pole_of(double frequency_hz, double damping) {
  const double w = turn_of_poles * frequency_hz;
  return {-damping * w, w * std::sqrt(std::max(0.0, 1 - damping * damping))};
}

/// One fit: the poles given, powers of frequency, and what they leave.
struct PoleFit {
  Vector residual;
  Vector linear;
  double square = 0;
};

/// The points of one fit, and the poles beside the one that is sought.
class PolePoints {
 public:
  PolePoints(const TransferCurve& curve, std::size_t from, std::size_t to, std::vector<PoleNumber> beside)
      : curve_(curve), from_(from), to_(to), beside_(std::move(beside)) {}

  std::size_t points() const { return to_ - from_; }
  Eigen::Index unknowns() const {
    return 2 * background_powers + 2 + 2 * static_cast<Eigen::Index>(beside_.size());
  }
  double middle_hz() const { return (curve_.hz[from_] + curve_.hz[to_ - 1]) / 2; }

  /// With a pole, or without one.
  PoleFit fit(std::optional<PoleNumber> pole) const {
    const auto rows = static_cast<Eigen::Index>(2 * points());
    Matrix a = Matrix::Zero(rows, unknowns() - (pole ? 0 : 2));
    Vector y(rows);
    std::vector<PoleNumber> poles = beside_;
    if (pole) poles.insert(poles.begin(), *pole);
    const double middle = middle_hz(), half = std::max(1e-300, (curve_.hz[to_ - 1] - curve_.hz[from_]) / 2);
    for (std::size_t k = from_; k < to_; ++k) {
      const auto row = static_cast<Eigen::Index>(2 * (k - from_));
      const PoleNumber s(0, turn_of_poles * curve_.hz[k]);
      Eigen::Index column = 0;
      const auto put = [&](PoleNumber v) {
        a(row, column) = v.real(), a(row + 1, column) = v.imag();
        ++column;
      };
      for (const PoleNumber& p : poles) {
        const double size = -p.real();  // Of height 1.
        const PoleNumber up = size / (s - p), down = size / (s - std::conj(p));
        put(up + down);
        put(PoleNumber(0, 1) * (up - down));
      }
      double power = 1;
      for (Eigen::Index i = 0; i < background_powers; ++i, power *= (curve_.hz[k] - middle) / half)
        put(power), put(PoleNumber(0, power));
      y(row) = curve_.value[k].real(), y(row + 1) = curve_.value[k].imag();
    }
    PoleFit out;
    const Vector scale = a.colwise().norm().cwiseMax(1e-300).cwiseInverse();
    a = a * scale.asDiagonal();
    out.linear = scale.asDiagonal() * solve_symmetric(turned_product(a, a), turned_product(a, y));
    a = a * scale.cwiseInverse().asDiagonal();
    out.residual = y - product(a, out.linear);
    out.square = out.residual.squaredNorm();
    return out;
  }

 private:
  const TransferCurve& curve_;
  std::size_t from_, to_;
  std::vector<PoleNumber> beside_;
};

struct PoleCandidate {
  PoleNumber pole;
  TransferMode mode;
  bool known = false;
};

/// Gauss and Newton on the pole, the rest solved for at every step.
PoleCandidate settle_pole(const PolePoints& window, PoleNumber pole) {
  PoleCandidate out;
  const auto rows = static_cast<Eigen::Index>(2 * window.points());
  const double degrees_left = static_cast<double>(rows - window.unknowns() - 2);
  if (degrees_left < 4) return out;
  PoleFit now = window.fit(pole);
  Matrix slopes(rows, 2);
  for (int round = 0; round < 30; ++round) {
    const double step = 1e-5 * -pole.real();
    slopes.col(0) = (window.fit(pole + step).residual - now.residual) / step;
    slopes.col(1) = (window.fit(pole + PoleNumber(0, step)).residual - now.residual) / step;
    const Matrix square = turned_product(slopes, slopes);
    Vector move = -solve_symmetric(square, turned_product(slopes, now.residual));
    // No further than half a width at once, and only downhill.
    const double most = 0.5 * -pole.real(), size = move.norm();
    if (!(size < 1e300)) return out;
    if (size > most) move *= most / size;
    double factor = 1;
    PoleFit next = now;
    PoleNumber there = pole;
    for (int tries = 0; tries < 6; ++tries, factor /= 4) {
      there = pole + factor * PoleNumber(move(0), move(1));
      if (there.real() < 0) next = window.fit(there);
      if (there.real() < 0 && next.square <= now.square) break;
    }
    if (!(there.real() < 0) || !(next.square <= now.square)) break;
    const bool still = std::abs(there - pole) < 1e-7 * std::abs(pole.real()) ||
                       now.square - next.square < 1e-8 * next.square;
    pole = there, now = next;
    if (still) break;
  }
  const double variance = now.square / degrees_left;
  const Matrix covariance = inverse_of_symmetric(turned_product(slopes, slopes));
  // What is left is no noise where neighbours agree on it.
  double product_sum = 0;
  for (Eigen::Index k = 2; k < rows; ++k) product_sum += now.residual(k) * now.residual(k - 2);
  const double likeness = now.square > 0 ? std::clamp(product_sum / now.square, 0.0, 0.95) : 0;
  const double scale = variance * (1 + likeness) / (1 - likeness);
  const double size = std::abs(pole), damping = -pole.real() / size;
  // Of |s| and of its share along the real axis.
  const Vector along_size = (Vector(2) << pole.real() / size, pole.imag() / size).finished();
  const Vector along_damping =
      (Vector(2) << (damping * damping - 1) / size, -damping * pole.imag() / (size * size)).finished();
  const auto deviation = [&](const Vector& along) {
    return std::sqrt(std::max(0.0, scale * along.dot(product(covariance, along))));
  };
  const double height = std::hypot(now.linear(0), now.linear(1));
  out.pole = pole;
  out.mode.frequency_hz = size / turn_of_poles;
  out.mode.frequency_std_hz = deviation(along_size) / turn_of_poles;
  out.mode.damping = damping;
  out.mode.damping_std = deviation(along_damping);
  out.mode.misfit = height > 0 ? std::sqrt(now.square / static_cast<double>(rows)) / height : 1e300;
  out.mode.points = window.points();
  out.known = damping > 0 && damping < most_pole_damping && pole.imag() > 0 && out.mode.misfit < 0.2 &&
              out.mode.damping_std < 0.3 * damping &&
              out.mode.frequency_std_hz < 0.3 * damping * out.mode.frequency_hz;
  return out;
}

/// The points within `widths` half-power widths of a pole, 10 at least.
std::pair<std::size_t, std::size_t> points_around(const TransferCurve& curve, PoleNumber pole, double widths,
                                                  std::size_t least) {
  const double hz = std::abs(pole) / turn_of_poles, reach = widths * -pole.real() / turn_of_poles;
  const auto place = [&](double at) {
    return static_cast<std::size_t>(std::lower_bound(curve.hz.begin(), curve.hz.end(), at) -
                                    curve.hz.begin());
  };
  std::size_t from = place(hz - reach), to = place(hz + reach);
  while (to - from < least && (from > 0 || to < curve.hz.size())) {
    const double below = from > 0 ? hz - curve.hz[from - 1] : 1e300,
                 above = to < curve.hz.size() ? curve.hz[to] - hz : 1e300;
    below < above ? --from : ++to;
  }
  return {from, to};
}

/// First guesses: tops of the gain, and where the phase turns most within a width of its own; with the
/// damping that explains the points around best, where that is more than chance would. The clearest
/// first.
std::vector<PoleNumber> pole_guesses(const TransferCurve& curve, double low_hz, double high_hz) {
  std::vector<std::pair<double, PoleNumber>> found;
  const std::vector<double> phase = unwrapped_phase(curve).degrees;
  const std::size_t n = curve.hz.size();
  const auto turn_at = [&](std::size_t k) {
    // Radians for each relative change of frequency: -1 / damping at a resonance.
    return std::abs(phase[k + 1] - phase[k - 1]) * std::numbers::pi / 180 /
           std::log(curve.hz[k + 1] / curve.hz[k - 1]);
  };
  for (std::size_t k = 1; k + 1 < n; ++k) {
    if (curve.hz[k] < low_hz || curve.hz[k] > high_hz || !(curve.hz[k - 1] > 0)) continue;
    const double here = std::abs(curve.value[k]);
    const bool top = here >= std::abs(curve.value[k - 1]) && here > std::abs(curve.value[k + 1]);
    const bool turns = k > 1 && k + 2 < n && curve.hz[k - 2] > 0 && turn_at(k) > 1.5 &&
                       turn_at(k) >= turn_at(k - 1) && turn_at(k) > turn_at(k + 1);
    if (!top && !turns) continue;
    double best = 0;
    PoleNumber pole;
    for (const double damping :
         {std::clamp(1 / std::max(turn_at(k), 1e-9), 1e-6, 0.5), 0.003, 0.01, 0.03, 0.1}) {
      const PoleNumber tried = pole_of(curve.hz[k], damping);
      const auto [from, to] = points_around(curve, tried, 6, 16);
      const PolePoints window(curve, from, std::min(to, from + 4000), {});
      const auto rows = static_cast<double>(2 * window.points());
      if (rows < 16) continue;
      const double gain =
          rows * std::log(window.fit({}).square / std::max(window.fit(tried).square, 1e-300)) -
          4 * std::log(rows);
      if (gain > best) best = gain, pole = tried;
    }
    if (best > 10) found.emplace_back(best, pole);
  }
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& a, const auto& b) { return a.first > b.first; });
  if (found.size() > 100) found.resize(100);
  std::vector<PoleNumber> out;
  for (const auto& [gain, pole] : found) out.push_back(pole);
  return out;
}

/// The window in which the damping is known best.
PoleCandidate best_pole(const TransferCurve& curve, const PoleNumber first,
                        const std::vector<PoleNumber>& all) {
  PoleCandidate best;
  PoleNumber pole = first;
  for (const double widths : {3.0, 6.0, 12.0, 30.0}) {
    for (const std::size_t least : {std::size_t{10}, std::size_t{16}, std::size_t{24}}) {
      const auto [from, to] = points_around(curve, pole, widths, least);
      std::vector<PoleNumber> beside;
      for (const PoleNumber& other : all)
        if (std::abs(other - pole) > 1e-3 * -pole.real() && to > from &&
            std::abs(other) / turn_of_poles > curve.hz[from] &&
            std::abs(other) / turn_of_poles < curve.hz[to - 1])
          beside.push_back(other);
      if (to - from > 4000 || beside.size() > 6) continue;
      const PoleCandidate found = settle_pole(PolePoints(curve, from, to, beside), pole);
      const double moved = std::abs(found.pole - first);
      if (!found.known || moved > std::max(6 * -first.real(), 0.2 * std::abs(first))) continue;
      pole = found.pole;
      if (!best.known || found.mode.damping_std < best.mode.damping_std) best = found;
      if (to - from > least) break;  // The width decides.
    }
  }
  return best;
}

}  // namespace

std::vector<TransferMode> transfer_modes(const TransferCurve& curve, double low_hz, double high_hz) {
  std::vector<PoleCandidate> found;
  const auto take = [&](const PoleCandidate& candidate) {
    if (!candidate.known || candidate.mode.frequency_hz < low_hz || candidate.mode.frequency_hz > high_hz)
      return;
    for (PoleCandidate& other : found)
      if (std::abs(candidate.pole - other.pole) <
          0.3 * std::min(-candidate.pole.real(), -other.pole.real())) {
        if (candidate.mode.damping_std < other.mode.damping_std) other = candidate;
        return;
      }
    found.push_back(candidate);
  };
  for (const PoleNumber& start : pole_guesses(curve, low_hz, high_hz)) {
    const bool known = std::any_of(found.begin(), found.end(), [&](const PoleCandidate& c) {
      return std::abs(start.imag() - c.pole.imag()) < -0.7 * c.pole.real();
    });
    if (!known) take(best_pole(curve, start, {}));
  }
  // Again, each beside the others.
  for (int round = 0; round < 2 && found.size() > 1; ++round) {
    std::vector<PoleNumber> all;
    for (const PoleCandidate& c : found) all.push_back(c.pole);
    std::vector<PoleCandidate> before = std::move(found);
    found.clear();
    for (const PoleCandidate& c : before) {
      const PoleCandidate again = best_pole(curve, c.pole, all);
      take(again.known && again.mode.damping_std < c.mode.damping_std ? again : c);
    }
  }
  std::sort(found.begin(), found.end(), [](const PoleCandidate& a, const PoleCandidate& b) {
    return a.mode.frequency_hz < b.mode.frequency_hz;
  });
  const TransferBetween between(curve);
  std::vector<TransferMode> out;
  for (PoleCandidate& c : found) {
    if (const auto reading = between.at(c.mode.frequency_hz))
      c.mode.magnitude = reading->gain, c.mode.phase_deg = std::remainder(reading->phase_deg, 360.0);
    out.push_back(c.mode);
  }
  return out;
}

}  // namespace vprism
