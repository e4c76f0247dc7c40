// peak_curve.cpp: see peak_curve.h. Fits are small and many: no general solver, no memory of their own.
#include "identify/lines/peak_curve.h"

#include <iterator>
#include <limits>

namespace vprism {

namespace {

/// Powers of a polynomial that a top may need: odd ones make it lean, and cost the place much of its
/// certainty.
const std::vector<std::vector<int>>& top_models() {
  static const std::vector<std::vector<int>> models = {
      {0, 1, 2}, {0, 1, 2, 4}, {0, 1, 2, 3}, {0, 1, 2, 3, 4}};
  return models;
}

constexpr int most_terms = 9;

/// Solves a x = b for the upper left of a symmetric matrix that is not negative (Cholesky); false where it is
/// singular.
bool solve_small(const double (&a)[most_terms][most_terms], const double* b, int size, double* x) {
  double l[most_terms][most_terms];
  for (int i = 0; i < size; ++i)
    for (int j = 0; j <= i; ++j) {
      double sum = a[i][j];
      for (int k = 0; k < j; ++k) sum -= l[i][k] * l[j][k];
      if (i == j) {
        if (!(sum > 1e-14 * a[i][i])) return false;
        l[i][i] = std::sqrt(sum);
      } else {
        l[i][j] = sum / l[j][j];
      }
    }
  for (int i = 0; i < size; ++i) {
    x[i] = b[i];
    for (int k = 0; k < i; ++k) x[i] -= l[i][k] * x[k];
    x[i] /= l[i][i];
  }
  for (int i = size; i-- > 0;) {
    for (int k = i + 1; k < size; ++k) x[i] -= l[k][i] * x[k];
    x[i] /= l[i][i];
  }
  return true;
}

struct Polynomial {
  std::vector<int> powers;
  double c[most_terms] = {};
  double normal[most_terms][most_terms] = {};
  double left = 0;  ///< Sum of squares.
  /// Value (order 0) or derivative.
  double at(double u, int order) const {
    double power[5] = {1, u, u * u, u * u * u, u * u * u * u}, sum = 0;
    for (std::size_t k = 0; k < powers.size(); ++k) {
      const int p = powers[k];
      if (p < order) continue;
      const double factor = order == 0 ? 1 : order == 1 ? p : p * (p - 1);
      sum += factor * c[k] * power[p - order];
    }
    return sum;
  }
};

bool fitted(const std::vector<double>& u, const std::vector<double>& y, const std::vector<int>& powers,
            Polynomial& out) {
  out.powers = powers;
  const int size = static_cast<int>(powers.size());
  for (auto& row : out.normal) std::fill(std::begin(row), std::end(row), 0.0);
  double right[most_terms] = {};
  for (std::size_t i = 0; i < u.size(); ++i) {
    const double v = u[i], power[5] = {1, v, v * v, v * v * v, v * v * v * v};
    for (int a = 0; a < size; ++a) {
      const double row = power[powers[static_cast<std::size_t>(a)]];
      right[a] += row * y[i];
      for (int b = 0; b <= a; ++b) out.normal[a][b] += row * power[powers[static_cast<std::size_t>(b)]];
    }
  }
  if (!solve_small(out.normal, right, size, out.c)) return false;
  out.left = 0;
  for (std::size_t i = 0; i < u.size(); ++i) {
    const double off = y[i] - out.at(u[i], 0);
    out.left += off * off;
  }
  return true;
}

/// y = c0 + c1 v^2 + c2 v^4 + ... with v = u - u0, and `odd` terms v^3, v^5: Gauss and Newton on all at once.
struct EvenFit {
  double centre = 0, left = std::numeric_limits<double>::infinity();
  int size = 0;  ///< Parameters, the centre being the last.
  double c[most_terms] = {};
  double normal[most_terms][most_terms] = {};
};

bool fitted_even(const PeakSamples& s, int evens, int odds, EvenFit& fit) {
  const int size = fit.size = evens + odds + 2;  // With c0 and the centre.
  std::fill(std::begin(fit.c), std::end(fit.c), 0.0);
  for (int round = 0; round < 30; ++round) {
    for (auto& row : fit.normal) std::fill(std::begin(row), std::end(row), 0.0);
    double right[most_terms] = {}, left = 0;
    for (std::size_t i = 0; i < s.u.size(); ++i) {
      const double v = s.u[i] - fit.centre, vv = v * v;
      double row[most_terms], model = 0, slope = 0, even = 1, below = 0;
      // Powers and their derivatives: 1, v^2, v^4, ...; v^3, v^5.
      for (int k = 0; k <= evens; ++k) {
        row[k] = even;
        model += fit.c[k] * even;
        slope += fit.c[k] * 2 * k * below;
        below = even * v, even *= vv;
      }
      for (int k = 0; k < odds; ++k) {
        const double power = k == 0 ? vv : vv * vv;
        row[evens + 1 + k] = power * v;
        model += fit.c[evens + 1 + k] * power * v;
        slope += fit.c[evens + 1 + k] * (2 * k + 3) * power;
      }
      row[size - 1] = -slope;
      const double off = s.y[i] - model;
      left += off * off;
      for (int a = 0; a < size; ++a) {
        right[a] += row[a] * off;
        for (int b = 0; b <= a; ++b) fit.normal[a][b] += row[a] * row[b];
      }
    }
    fit.left = left;
    double step[most_terms] = {};
    // The centre is not moved before there is a curve.
    if (!solve_small(fit.normal, right, round == 0 ? size - 1 : size, step)) return false;
    for (int k = 0; k < size - 1; ++k) fit.c[k] += step[k];
    if (round == 0) continue;
    const double move = std::clamp(step[size - 1], -0.25, 0.25);
    fit.centre += move;
    if (!(std::abs(fit.centre) <= 1)) return false;
    if (round > 1 && std::abs(move) < 1e-9) break;
  }
  return true;
}

/// Of the polynomials that a top may need the one that the samples ask for; nothing where it has no top
/// within.
std::optional<TopFit> fit_polynomial(const PeakSamples& s) {
  if (s.u.size() < 3) return {};
  std::optional<Polynomial> best;
  double least = std::numeric_limits<double>::infinity();
  for (const std::vector<int>& powers : top_models()) {
    if (best && s.u.size() < powers.size() + 2) continue;
    Polynomial tried;
    if (!fitted(s.u, s.y, powers, tried)) continue;
    const double price = s.price(tried.left, powers.size());
    if (price < least) least = price, best = std::move(tried);
  }
  if (!best) return {};
  // The highest of the fit on a grid, then Newton's steps.
  double top = 0, highest = -std::numeric_limits<double>::infinity();
  for (int i = 0; i <= 64; ++i) {
    const double at = s.u.front() + (s.u.back() - s.u.front()) * i / 64.0;
    if (best->at(at, 0) > highest) highest = best->at(at, 0), top = at;
  }
  for (int i = 0; i < 20; ++i) {
    const double bend = best->at(top, 2);
    if (!(bend < 0)) return {};
    const double move = -best->at(top, 1) / bend;
    top += std::clamp(move, -0.1, 0.1);
    if (std::abs(move) < 1e-12) break;
  }
  if (top <= s.u.front() - 1e-9 || top >= s.u.back() + 1e-9 || !std::isfinite(top)) return {};
  TopFit fit;
  fit.place = static_cast<double>(s.middle) + top * s.scale;
  fit.height = s.base + best->at(top, 0);
  const int size = static_cast<int>(best->powers.size());
  fit.free = static_cast<double>(s.u.size()) - size;
  if (fit.free > 0.5) {
    const double noise = best->left / fit.free;
    const auto spread_of = [&](int order) {
      double row[most_terms] = {}, spread[most_terms] = {}, sum = 0;
      for (int k = 0; k < size; ++k) {
        const int p = best->powers[static_cast<std::size_t>(k)];
        row[k] = order == 0 ? std::pow(top, p) : p == 0 ? 0 : p * std::pow(top, p - 1);
      }
      if (!solve_small(best->normal, row, size, spread)) return 0.0;
      for (int k = 0; k < size; ++k) sum += row[k] * spread[k];
      return std::sqrt(std::max(0.0, noise * sum));
    };
    fit.place_std = s.scale * spread_of(1) / std::abs(best->at(top, 2));
    fit.height_std = spread_of(0);
  }
  return fit;
}

}  // namespace

/// The whole peak as a curve that is even about its middle, where no odd part is asked for.
std::optional<TopFit> fit_even(const PeakSamples& s) {
  if (s.u.size() < 5) return {};
  EvenFit best, tried;
  double least = std::numeric_limits<double>::infinity();
  int evens = 0;
  for (int m = 1; m <= 5 && s.u.size() >= static_cast<std::size_t>(m) + 4; ++m) {
    // From where the last one stood.
    tried.centre = evens > 0 ? best.centre : 0;
    if (!fitted_even(s, m, 0, tried)) continue;
    const double price = s.price(tried.left, static_cast<std::size_t>(m) + 2);
    if (price < least)
      least = price, best = tried, evens = m;
    else if (m > evens + 1)
      break;
  }
  if (evens == 0 || !(best.c[1] < 0)) return {};
  for (int odds = 1; odds <= 2 && s.u.size() >= static_cast<std::size_t>(evens + odds) + 4; ++odds) {
    tried.centre = best.centre;
    // Few samples ask for much by chance.
    if (fitted_even(s, evens, odds, tried) &&
        s.price(tried.left, static_cast<std::size_t>(evens + odds) + 2) < least - 6)
      return {};
  }
  TopFit fit;
  fit.place = static_cast<double>(s.middle) + best.centre * s.scale;
  fit.height = s.base + best.c[0];
  fit.free = static_cast<double>(s.u.size()) - best.size;
  const auto spread_of = [&](int parameter) {
    double unit[most_terms] = {}, column[most_terms] = {};
    unit[parameter] = 1;
    if (fit.free < 0.5 || !solve_small(best.normal, unit, best.size, column)) return 0.0;
    return std::sqrt(std::max(0.0, best.left / fit.free * column[parameter]));
  };
  fit.place_std = s.scale * spread_of(best.size - 1);
  fit.height_std = spread_of(0);
  return fit;
}

std::optional<TopFit> fit_top(const PeakSamples& s) {
  std::optional<TopFit> whole = fit_polynomial(s);
  if (!whole || s.u.size() < 12) return whole;
  double deepest = 0;
  for (const double y : s.y) deepest = std::max(deepest, -y);
  const PeakSamples upper = s.upper(deepest / 2);
  const std::optional<TopFit> other = upper.u.size() < 7 ? std::nullopt : fit_polynomial(upper);
  if (!other) return whole;
  const double apart = other->place - whole->place;
  TopFit fit = std::abs(apart) > 2 * std::hypot(other->place_std, whole->place_std) ? *other : *whole;
  fit.place_std = std::hypot(fit.place_std, apart / 2);
  fit.height_std = std::hypot(fit.height_std, (other->height - whole->height) / 2);
  return fit;
}

PeakSamples PeakSamples::upper(double drop) const {
  PeakSamples out;
  out.middle = middle, out.scale = scale, out.base = base, out.span = span;
  std::size_t nearest = 0;
  for (std::size_t i = 1; i < u.size(); ++i)
    if (std::abs(u[i]) < std::abs(u[nearest])) nearest = i;
  std::size_t from = nearest, to = nearest + 1;
  while (from > 0 && y[from - 1] > -drop) --from;
  while (to < y.size() && y[to] > -drop) ++to;
  out.u.assign(u.begin() + static_cast<std::ptrdiff_t>(from), u.begin() + static_cast<std::ptrdiff_t>(to));
  out.y.assign(y.begin() + static_cast<std::ptrdiff_t>(from), y.begin() + static_cast<std::ptrdiff_t>(to));
  return out;
}

}  // namespace vprism
