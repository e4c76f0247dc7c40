// mode_poles.cpp: see mode_poles.h.
//
// Over the band the frequencies are laid on half a turn, z_k = exp(-i pi (f_k - f_low) / (f_high - f_low)).
// Each curve is N_o(z) / D(z) with complex coefficients of order n and D common to all. The error N_o - H_o
// D, weighted by 1 / error, is least for coefficients b_o = -R^-1 S_o a, and a from the reduced normal
// equations
//     M = sum_o (T_o - S_o^H R_o^-1 S_o),  R, S, T Toeplitz: r_d = sum w^2 z^d, s_d = -sum w^2 H z^d, t_d =
//     sum w^2 |H|^2 z^d
// with a_0 = 1: then poles that only fit noise come out with negative damping and the chart stays clear. A
// root z_r of D is the pole s = -ln(z_r) / T + 2 pi i f_low, T = 1 / (2 (f_high - f_low)).
#include "identify/modes/mode_poles.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/linear/linear.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
constexpr double whole_turn = 2 * std::numbers::pi;

/// Sums over bins of weight times z^d, d = 0 .. order; negative powers of real sequences are conjugates.
struct PowerSums {
  std::vector<Complex> r, s_plus, s_minus, t;
};

ComplexMatrix toeplitz(const std::vector<Complex>& plus, const std::vector<Complex>& minus,
                       Eigen::Index size) {
  ComplexMatrix m(size, size);
  for (Eigen::Index i = 0; i < size; ++i)
    for (Eigen::Index j = 0; j < size; ++j)
      m(i, j) = j >= i ? plus[static_cast<std::size_t>(j - i)] : minus[static_cast<std::size_t>(i - j)];
  return m;
}

std::vector<Complex> conjugates(const std::vector<Complex>& values) {
  std::vector<Complex> out;
  for (const Complex& v : values) out.push_back(std::conj(v));
  return out;
}

PowerSums sums_of(const ModeData& data, std::size_t curve, std::size_t low, std::size_t high,
                  std::size_t order) {
  PowerSums out;
  for (auto* list : {&out.r, &out.s_plus, &out.s_minus, &out.t}) list->assign(order + 1, 0);
  const double from = data.frequency_hz[low], width = data.frequency_hz[high - 1] - from;
  for (std::size_t k = low; k < high; ++k) {
    const double error = data.error[curve][k];
    if (!(error > 0)) continue;
    const double w = 1 / (error * error);
    const Complex h = data.curves[curve][k];
    const Complex z = std::polar(1.0, -std::numbers::pi * (data.frequency_hz[k] - from) / width);
    Complex power = 1;
    for (std::size_t d = 0; d <= order; ++d, power *= z) {
      out.r[d] += w * power;
      out.s_plus[d] -= w * h * power;
      out.s_minus[d] -= w * h * std::conj(power);
      out.t[d] += w * std::norm(h) * power;
    }
  }
  return out;
}

/// Poles within the band, decaying, with less than the most damping.
std::vector<Complex> poles_of(const std::vector<PowerSums>& sums, std::size_t order, double low_hz,
                              double high_hz, double most_damping) {
  const auto size = static_cast<Eigen::Index>(order + 1);
  ComplexMatrix m = ComplexMatrix::Zero(size, size);
  for (const PowerSums& s : sums) {
    // Row i, column j of R: sum w conj(z^i) z^j.
    ComplexMatrix r = toeplitz(s.r, conjugates(s.r), size);
    r.diagonal().array() *= 1 + 1e-14;
    const ComplexMatrix cross = toeplitz(s.s_plus, s.s_minus, size);
    m += toeplitz(s.t, conjugates(s.t), size) - turned_product(cross, solve_symmetric(r, cross));
  }
  // a_0 = 1.
  const Eigen::Index n = size - 1;
  const ComplexVector a =
      solve_any(ComplexMatrix(m.bottomRightCorner(n, n)), ComplexVector(-m.block(1, 0, n, 1)));
  if (!a.allFinite() || std::abs(a(n - 1)) == 0) return {};
  // D(z) = 1 + sum a_j z^j: companion matrix of the reversed polynomial, whose roots are 1 / z.
  ComplexMatrix companion = ComplexMatrix::Zero(n, n);
  for (Eigen::Index j = 0; j < n; ++j) companion(0, j) = -a(j);
  for (Eigen::Index j = 1; j < n; ++j) companion(j, j - 1) = 1;
  const ComplexVector inverses = eigenvalues_of(companion);
  std::vector<Complex> out;
  const double turn = 1 / (2 * (high_hz - low_hz));
  for (Eigen::Index i = 0; i < n; ++i) {
    const Complex inverse = inverses(i);
    if (std::abs(inverse) == 0) continue;
    Complex step = std::log(inverse);  // -ln z
    if (step.imag() < 0) step += Complex(0, whole_turn);
    const Complex pole = step / turn + Complex(0, whole_turn * low_hz);
    const double hz = std::abs(pole) / whole_turn, damping = -pole.real() / std::abs(pole);
    if (hz > low_hz && hz < high_hz && damping > 0 && damping < most_damping) out.push_back(pole);
  }
  std::sort(out.begin(), out.end(), [](Complex p, Complex q) { return std::abs(p) < std::abs(q); });
  return out;
}

double damping_of(Complex pole) { return -pole.real() / std::abs(pole); }

/// Poles that orders agree on: chains from order to order.
struct Chain {
  std::vector<Complex> poles;
  std::size_t last = 0, stable = 0;
};

}  // namespace

PoleSearch search_poles(const ModeData& data, std::size_t low, std::size_t high, const ModeSearch& search) {
  PoleSearch out;
  const std::size_t most = std::min(search.most_order, (high - low) / 3);
  if (most < 2) return out;
  std::vector<PowerSums> sums(data.curves.size());
  oneapi::tbb::parallel_for(std::size_t{0}, sums.size(),
                            [&](std::size_t c) { sums[c] = sums_of(data, c, low, high, most); });
  const double low_hz = data.frequency_hz[low], high_hz = data.frequency_hz[high - 1];
  std::vector<std::vector<Complex>> found(most + 1);
  oneapi::tbb::parallel_for(std::size_t{1}, most + 1, [&](std::size_t order) {
    found[order] = poles_of(sums, order, low_hz, high_hz, search.most_damping);
  });
  std::vector<Chain> chains;
  for (std::size_t order = 1; order <= most; ++order) {
    std::vector<bool> taken(chains.size(), false);
    for (const Complex pole : found[order]) {
      ChartPole listed{order, std::abs(pole) / whole_turn, damping_of(pole), ChartPole::Kind::fresh};
      // The nearest pole of one of the two orders before; a chain may miss one.
      std::size_t best = chains.size();
      double nearest = search.same_frequency;
      for (std::size_t i = 0; i < taken.size(); ++i) {
        if (taken[i] || chains[i].last + 2 < order) continue;
        // Half a width or the relative limit, whichever is less: close pairs keep apart.
        const Complex before = chains[i].poles.back();
        const double apart = std::abs(std::abs(before) - std::abs(pole)) / std::abs(pole);
        if (apart < nearest) best = i, nearest = apart;
      }
      if (best < chains.size()) {
        Chain& chain = chains[best];
        const double before = damping_of(chain.poles.back());
        const bool same = std::abs(before - listed.damping) <= search.same_damping * listed.damping;
        listed.kind = same ? ChartPole::Kind::stable : ChartPole::Kind::frequency;
        taken[best] = true;
        chain.poles.push_back(pole);
        chain.last = order;
        if (same) ++chain.stable;
      } else {
        chains.push_back({{pole}, order, 0});
        taken.push_back(true);
      }
      out.chart.push_back(listed);
    }
  }
  // Those that stayed long enough; of each the orders nearest to its median.
  const std::size_t enough = std::max<std::size_t>(3, most / 5);
  std::vector<std::pair<Complex, std::size_t>> kept;
  for (const Chain& chain : chains) {
    const bool stays = chain.stable >= enough;
    // In noise the damping wanders from order to order while the frequency stays: second best.
    if (!stays && chain.poles.size() < std::max<std::size_t>(6, most / 4)) continue;
    std::vector<double> hz, damping;
    // Low orders are biased by what they can't hold yet: the later half counts.
    for (std::size_t i = chain.poles.size() / 2; i < chain.poles.size(); ++i)
      hz.push_back(std::abs(chain.poles[i])), damping.push_back(damping_of(chain.poles[i]));
    const auto middle = [](std::vector<double>& v) {
      std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
      return v[v.size() / 2];
    };
    const double w = middle(hz), d = middle(damping);
    const Complex pole(-d * w, w * std::sqrt(1 - d * d));
    if (stays)
      kept.push_back({pole, chain.stable});
    else
      out.doubtful.push_back(pole);
  }
  std::sort(kept.begin(), kept.end(),
            [](const auto& a, const auto& b) { return std::abs(a.first) < std::abs(b.first); });
  for (const auto& [pole, orders] : kept) {
    // Two chains of one pole: the longer one stands.
    if (!out.poles.empty() && std::abs(out.poles.back() - pole) < 0.3 * std::abs(pole.real())) {
      if (orders > out.orders.back()) out.poles.back() = pole, out.orders.back() = orders;
      continue;
    }
    out.poles.push_back(pole);
    out.orders.push_back(orders);
  }
  return out;
}

}  // namespace vprism
