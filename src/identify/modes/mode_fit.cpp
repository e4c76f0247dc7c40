// mode_fit.cpp: see mode_fit.h.
//
// Model of curve o: H_o(f) = sum_m A_om / (i w - s_m) + conj(A_om) / (i w - conj(s_m)) + what lies outside,
// sum_p c_op (i w / w_0)^p for p = -2, -1, 0, 1, 2 with real c: rigid motion, stiffness and mass of modes
// beyond the band, for displacement, velocity and acceleration alike. Linear in Re A, Im A and c: those are
// solved for each curve (QR, real and imaginary parts as rows); the poles go by Gauss-Newton on what is left,
// the linear part projected out (variable projection, Kaufman 1975):
//     rows of J: -(1 - Q Q^T) (d Phi / d theta) x,   step = argmin |r + J d|.
// The information of the poles is J^T J with rows in standard errors, over `shared`.
#include "identify/modes/mode_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/turns.h"
#include "identify/modes/mode_model.h"
#include "identify/modes/mode_poles.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

std::pair<std::size_t, std::size_t> band_of(const ModeData& data, double low_hz, double high_hz) {
  const auto& f = data.frequency_hz;
  const auto low = std::lower_bound(f.begin(), f.end(), low_hz) - f.begin();
  const auto high = std::upper_bound(f.begin(), f.end(), high_hz) - f.begin();
  return {static_cast<std::size_t>(low), static_cast<std::size_t>(high)};
}

/// Poles to where the squares are least; they stay in the band and decaying.
ModeModel::State settle(const ModeModel& fit, std::vector<Complex>& poles, double low_hz, double high_hz) {
  ModeModel::State state = fit.at(poles, true);
  double damping = 1e-6;
  for (int step = 0; step < 40 && damping < 1e6; ++step) {
    Matrix normal = state.normal;
    normal.diagonal() *= 1 + damping;
    normal.diagonal().array() += 1e-300;
    const Vector change = solve_symmetric(normal, state.gradient);
    std::vector<Complex> trial = poles;
    double moved = 0;
    bool inside = true;
    for (std::size_t i = 0; i < poles.size(); ++i) {
      const auto n = static_cast<Eigen::Index>(2 * i);
      // No step over half a width.
      const double most = 0.5 * std::abs(poles[i].real());
      trial[i] += Complex(std::clamp(change(n), -most, most), std::clamp(change(n + 1), -most, most));
      moved = std::max(moved, std::abs(trial[i] - poles[i]) / std::abs(poles[i].real()));
      inside = inside && trial[i].real() < 0 && trial[i].imag() > two_pi * low_hz &&
               trial[i].imag() < two_pi * high_hz;
    }
    ModeModel::State next;
    if (inside) next = fit.at(trial, true);
    if (inside && next.squares <= state.squares) {
      poles = trial, state = std::move(next), damping = std::max(damping / 10, 1e-12);
      if (moved < 1e-10) break;
    } else {
      damping *= 10;
    }
  }
  return state;
}

/// Errors that are all the same stand for none.
bool errors_stated(const ModeData& data) {
  for (const auto& errors : data.error)
    for (const double e : errors)
      if (e > 0 && e != data.error.front().front()) return true;
  return false;
}

ModeFit described(const ModeData& data, const ModeModel& fit, const std::vector<Complex>& poles,
                  const ModeModel::State& state) {
  ModeFit out;
  const auto m = static_cast<Eigen::Index>(poles.size());
  const double unknowns = 2 * static_cast<double>(m) + static_cast<double>(data.curves.size()) *
                                                           (2 * static_cast<double>(m) + outside_terms);
  const double free = std::max(1.0, static_cast<double>(state.rows) - unknowns);
  out.misfit = std::sqrt(state.squares / free);
  // Without stated errors what is left over sets the scale, and wherever it is larger.
  const bool stated = errors_stated(data);
  const double scale = (stated ? std::max(1.0, out.misfit) : out.misfit) * std::sqrt(data.shared);
  const Matrix covariance = m > 0 ? inverse_of_symmetric(state.normal) : Matrix();
  for (std::size_t i = 0; i < poles.size(); ++i) {
    const auto n = static_cast<Eigen::Index>(2 * i);
    const Complex p = poles[i];
    const double w = std::abs(p), d = -p.real() / w;
    const Eigen::Matrix2d c = covariance.block<2, 2>(n, n) * scale * scale;
    const Eigen::Vector2d by_w(p.real() / w, p.imag() / w),
        by_d(-1 / w + p.real() * p.real() / (w * w * w), p.real() * p.imag() / (w * w * w));
    Mode mode;
    mode.frequency_hz = w / two_pi;
    mode.frequency_std_hz = std::sqrt(std::max(0.0, by_w.dot(c * by_w))) / two_pi;
    mode.damping = d;
    mode.damping_std = std::sqrt(std::max(0.0, by_d.dot(c * by_d)));
    for (std::size_t o = 0; o < data.curves.size(); ++o)
      mode.residue.push_back(-p.real() * Complex(state.linear[o](n), state.linear[o](n + 1)));
    out.modes.push_back(std::move(mode));
  }
  for (std::size_t o = 0; o < data.curves.size(); ++o) {
    const Vector std = fit.linear_std(o, poles);
    for (std::size_t i = 0; i < poles.size(); ++i) {
      const auto n = static_cast<Eigen::Index>(2 * i);
      out.modes[i].residue_std.push_back(-poles[i].real() * scale *
                                         std::sqrt((std(n) * std(n) + std(n + 1) * std(n + 1)) / 2));
    }
    out.fitted.push_back(fit.curve(poles, state.linear[o]));
    double left = 0, all = 0;
    for (const std::size_t k : fit.rows()[o].bins) {
      left += std::norm(data.curves[o][k] - out.fitted[o][k]);
      all += std::norm(data.curves[o][k]);
    }
    out.unexplained.push_back(all > 0 ? left / all : 0);
  }
  return out;
}

/// How far the residue of a mode stands out of its own error, on the curve where it does so most.
double wanted(const Mode& mode) {
  double most = 0;
  for (std::size_t o = 0; o < mode.residue.size(); ++o)
    if (mode.residue_std[o] > 0) most = std::max(most, std::abs(mode.residue[o]) / mode.residue_std[o]);
  return most;
}

bool needed(const Mode& mode) { return mode.residue_std.empty() || wanted(mode) > 6; }

/// Whether a mode stands at the band's edge and is no more than the bend of what goes on beyond it: its top
/// adds less than half of the curve there.
bool bends_the_edge(const ModeData& data, const ModeFit& fit, const Mode& mode, double low_hz,
                    double high_hz) {
  const double margin = std::max(0.03 * (high_hz - low_hz), mode.damping * mode.frequency_hz);
  if (mode.frequency_hz > low_hz + margin && mode.frequency_hz < high_hz - margin) return false;
  const auto at = std::lower_bound(data.frequency_hz.begin(), data.frequency_hz.end(), mode.frequency_hz) -
                  data.frequency_hz.begin();
  const std::size_t bin = std::min(static_cast<std::size_t>(at), data.frequency_hz.size() - 1);
  for (std::size_t o = 0; o < mode.residue.size(); ++o)
    if (std::abs(mode.residue[o]) / std::abs(mode.pole().real()) > 0.5 * std::abs(fit.fitted[o][bin]))
      return false;
  return true;
}

}  // namespace

Complex Mode::pole() const {
  const double w = two_pi * frequency_hz;
  return {-damping * w, w * std::sqrt(std::max(0.0, 1 - damping * damping))};
}

ModeFit refine_modes(const ModeData& data, double low_hz, double high_hz, const std::vector<Complex>& start) {
  const auto [low, high] = band_of(data, low_hz, high_hz);
  ModeFit out;
  if (start.empty() || high < low + 8) return out;
  const ModeModel fit(data, low, high);
  std::vector<Complex> poles = start;
  for (;;) {
    const ModeModel::State state = settle(fit, poles, low_hz, high_hz);
    out = described(data, fit, poles, state);
    // The weakest of those that no curve needs goes, of very many a third; then once more.
    std::vector<std::pair<double, std::size_t>> unwanted;
    for (std::size_t i = 0; i < poles.size(); ++i)
      if (!needed(out.modes[i]) || !(out.modes[i].damping_std < out.modes[i].damping) ||
          bends_the_edge(data, out, out.modes[i], low_hz, high_hz))
        unwanted.push_back({wanted(out.modes[i]), i});
    if (unwanted.empty() || poles.size() == 1) break;
    std::sort(unwanted.begin(), unwanted.end());
    unwanted.resize(std::min(unwanted.size(), std::max<std::size_t>(1, poles.size() / 3)));
    if (unwanted.size() == poles.size()) unwanted.pop_back();
    std::sort(unwanted.begin(), unwanted.end(),
              [](const auto& a, const auto& b) { return a.second > b.second; });
    for (const auto& one : unwanted) poles.erase(poles.begin() + static_cast<std::ptrdiff_t>(one.second));
  }
  if (out.modes.size() == 1 &&
      (!needed(out.modes[0]) || bends_the_edge(data, out, out.modes[0], low_hz, high_hz)))
    out.modes.clear();
  return out;
}

namespace {

/// Modes again by themselves, neighbours together, each in a band of ten half widths to either side: where
/// the whole band does not follow the model within its errors, what is far away must not pull at them.
void refine_locally(const ModeData& data, double low_hz, double high_hz, ModeFit& fit) {
  const double bin = data.frequency_hz[1] - data.frequency_hz[0];
  const auto reach = [&](const Mode& m) { return std::max(10 * m.damping * m.frequency_hz, 12 * bin); };
  std::sort(fit.modes.begin(), fit.modes.end(),
            [](const Mode& a, const Mode& b) { return a.frequency_hz < b.frequency_hz; });
  for (std::size_t first = 0; first < fit.modes.size();) {
    std::size_t end = first + 1;
    double from = fit.modes[first].frequency_hz - reach(fit.modes[first]),
           to = fit.modes[first].frequency_hz + reach(fit.modes[first]);
    for (; end < fit.modes.size() && fit.modes[end].frequency_hz - reach(fit.modes[end]) < to; ++end)
      to = std::max(to, fit.modes[end].frequency_hz + reach(fit.modes[end]));
    std::vector<Complex> poles;
    for (std::size_t i = first; i < end; ++i) poles.push_back(fit.modes[i].pole());
    const ModeFit local = refine_modes(data, std::max(low_hz, from), std::min(high_hz, to), poles);
    if (local.modes.size() == end - first)
      for (std::size_t i = first; i < end; ++i) fit.modes[i] = local.modes[i - first];
    first = end;
  }
}

}  // namespace

/// Neighbouring bins as one, each by its own error, so that at most about `bins` are left: what is wide
/// stands further out of the noise, which bends the search's polynomials.
/// Wide resonances that orders do not agree on in noise: one at a time where it explains most of what the
/// poles so far leave, over a grid of frequencies and dampings, until none explains more than noise would. On
/// the four curves that stand out most.
std::vector<Complex> wide_poles(const ModeData& all, std::vector<Complex> poles, double most_damping) {
  std::vector<Complex> added;
  const std::size_t bins = all.frequency_hz.size();
  if (bins < 64) return added;
  std::vector<std::pair<double, std::size_t>> ranked;
  for (std::size_t o = 0; o < all.curves.size(); ++o) {
    double sum = 0;
    for (std::size_t k = 0; k < bins; ++k)
      if (all.error[o][k] > 0) sum += std::norm(all.curves[o][k]) / (all.error[o][k] * all.error[o][k]);
    ranked.push_back({-sum, o});
  }
  std::sort(ranked.begin(), ranked.end());
  ModeData data;
  data.frequency_hz = all.frequency_hz, data.shared = all.shared;
  for (std::size_t i = 0; i < std::min<std::size_t>(4, ranked.size()); ++i)
    data.curves.push_back(all.curves[ranked[i].second]), data.error.push_back(all.error[ranked[i].second]);
  const ModeModel fit(data, 0, bins);
  const double step = data.frequency_hz[1] - data.frequency_hz[0];
  const double unknowns = 2 + 2 * static_cast<double>(data.curves.size());
  double squares = fit.at(poles, false).squares;
  while (added.size() < 4) {
    Complex best = 0;
    double least = squares;
    for (double hz = data.frequency_hz[1]; hz < data.frequency_hz[bins - 2]; hz *= 1.08)
      for (const double damping : {0.03, 0.07, 0.15, 0.25, 0.35}) {
        if (damping > most_damping || damping * hz < 1.5 * step) continue;
        const Complex p(-damping * two_pi * hz, two_pi * hz * std::sqrt(1 - damping * damping));
        std::vector<Complex> trial = poles;
        trial.push_back(p);
        const double left = fit.at(trial, false).squares;
        if (left < least) least = left, best = p;
      }
    // What a misfit leaves is no noise: the rise counts in units of what is left.
    const double scale = std::max(1.0, least / (2 * static_cast<double>(bins * data.curves.size())));
    if (!(squares - least > 2 * unknowns * std::log(static_cast<double>(bins)) * data.shared * scale)) break;
    poles.push_back(best), added.push_back(best), squares = least;
  }
  return added;
}

ModeFit fit_modes(const ModeData& data, double low_hz, double high_hz, const ModeSearch& search) {
  const auto [low, high] = band_of(data, low_hz, high_hz);
  ModeFit out;
  if (high < low + 8) return out;
  PoleSearch found = search_poles(data, low, high, search);
  constexpr std::size_t coarse = 800;
  if (high - low > 2 * coarse) {
    const ModeData wide = averaged(data, low, high, coarse);
    const PoleSearch more = search_poles(wide, 0, wide.frequency_hz.size(), search);
    for (std::size_t i = 0; i < more.poles.size(); ++i)
      if (std::none_of(found.poles.begin(), found.poles.end(), [&](Complex q) {
            return std::abs(more.poles[i] - q) < std::abs(more.poles[i].real() + q.real());
          }))
        found.poles.push_back(more.poles[i]), found.orders.push_back(more.orders[i]);
  }
  out = refine_modes(data, low_hz, high_hz, found.poles);
  double left = 0;
  for (const double share : out.unexplained) left = std::max(left, share);
  if (out.modes.empty() || left > 0.02) {
    // Something is missing: what was doubtful, and what a look for the strong parts alone shows, where small
    // errors far from the resonances would decide otherwise.
    ModeData strong = data;
    for (std::size_t o = 0; o < data.curves.size(); ++o) {
      double top = 0;
      for (std::size_t k = low; k < high; ++k)
        if (data.error[o][k] > 0) top = std::max(top, std::abs(data.curves[o][k]));
      for (double& e : strong.error[o])
        if (e > 0) e = std::hypot(e, 0.01 * top);
    }
    std::vector<Complex> more = found.poles;
    PoleSearch again = search_poles(strong, low, high, search);
    for (const auto* list : {&found.doubtful, &again.poles, &again.doubtful})
      for (const Complex p : *list)
        if (std::none_of(more.begin(), more.end(),
                         [&](Complex q) { return std::abs(p - q) < std::abs(q.real()); }))
          more.push_back(p);
    ModeFit richer = refine_modes(data, low_hz, high_hz, more);
    if (out.modes.empty() || richer.misfit < 0.98 * out.misfit) {
      found.orders.resize(found.poles.size());
      for (std::size_t i = 0; i < again.poles.size(); ++i)
        found.poles.push_back(again.poles[i]), found.orders.push_back(again.orders[i]);
      out = std::move(richer);
    }
  }
  if (errors_stated(data)) {
    ModeData wide = averaged(data, low, high, 200);
    std::vector<Complex> poles;
    for (const Mode& mode : out.modes) poles.push_back(mode.pole());
    const std::vector<Complex> more = wide_poles(wide, poles, search.most_damping);
    if (!more.empty()) {
      poles.insert(poles.end(), more.begin(), more.end());
      ModeFit richer = refine_modes(data, low_hz, high_hz, poles);
      if (!richer.modes.empty() && (out.modes.empty() || richer.misfit < out.misfit)) out = std::move(richer);
    }
  }
  if (errors_stated(data)) refine_locally(data, low_hz, high_hz, out);
  out.chart = std::move(found.chart);
  for (Mode& mode : out.modes)
    for (std::size_t i = 0; i < found.poles.size(); ++i)
      if (std::abs(std::abs(found.poles[i]) / two_pi - mode.frequency_hz) <
          std::max(mode.damping * mode.frequency_hz, 0.005 * mode.frequency_hz))
        mode.orders = std::max(mode.orders, found.orders[i]);
  std::sort(out.modes.begin(), out.modes.end(),
            [](const Mode& a, const Mode& b) { return a.frequency_hz < b.frequency_hz; });
  return out;
}

ModeData averaged(const ModeData& data, std::size_t low, std::size_t high, std::size_t bins) {
  const std::size_t together = (high - low + bins - 1) / bins;
  ModeData out;
  out.shared = 1 + (data.shared - 1) / static_cast<double>(together);
  out.curves.resize(data.curves.size()), out.error.resize(data.curves.size());
  for (std::size_t k = low; k + together <= high; k += together) {
    out.frequency_hz.push_back((data.frequency_hz[k] + data.frequency_hz[k + together - 1]) / 2);
    for (std::size_t o = 0; o < data.curves.size(); ++o) {
      Complex sum = 0;
      double weight = 0;
      for (std::size_t j = k; j < k + together; ++j) {
        const double error = data.error[o][j];
        if (error > 0) sum += data.curves[o][j] / (error * error), weight += 1 / (error * error);
      }
      out.curves[o].push_back(weight > 0 ? sum / weight : 0);
      out.error[o].push_back(weight > 0 ? std::sqrt(1 / weight) : 0);
    }
  }
  return out;
}

ModeFit modes_at(const ModeData& data, double low_hz, double high_hz, const std::vector<Complex>& poles) {
  const auto [low, high] = band_of(data, low_hz, high_hz);
  if (poles.empty() || high < low + 8) return {};
  const ModeModel fit(data, low, high);
  return described(data, fit, poles, fit.at(poles, true));
}

double phase_collinearity(const std::vector<Complex>& shape) {
  double xx = 0, yy = 0, xy = 0;
  for (const Complex& v : shape)
    xx += v.real() * v.real(), yy += v.imag() * v.imag(), xy += v.real() * v.imag();
  const double sum = xx + yy;
  return sum > 0 ? ((xx - yy) * (xx - yy) + 4 * xy * xy) / (sum * sum) : 1;
}

double assurance(const std::vector<Complex>& a, const std::vector<Complex>& b) {
  Complex both = 0;
  double aa = 0, bb = 0;
  for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i) {
    if (std::isnan(a[i].real()) || std::isnan(b[i].real())) continue;
    both += std::conj(a[i]) * b[i], aa += std::norm(a[i]), bb += std::norm(b[i]);
  }
  return aa > 0 && bb > 0 ? std::norm(both) / (aa * bb) : 0;
}

}  // namespace vprism
