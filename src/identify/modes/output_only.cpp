// output_only.cpp: see output_only.h.
#include "identify/modes/output_only.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/linear/linear.h"
#include "identify/modes/mode_fit.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

ComplexMatrix matrix_at(const CrossSpectra& s, std::size_t k) {
  const auto n = static_cast<Eigen::Index>(s.own.size());
  ComplexMatrix g(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < n; ++j)
      g(i, j) = s.cross[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)][k];
  return g;
}

/// Turned so that the largest part is real and above zero.
std::vector<Complex> settled(const Eigen::VectorXcd& v) {
  Eigen::Index top = 0;
  v.cwiseAbs().maxCoeff(&top);
  const Complex turn = std::conj(v(top)) / std::abs(v(top));
  std::vector<Complex> out;
  for (Eigen::Index i = 0; i < v.size(); ++i) out.push_back(v(i) * turn);
  return out;
}

/// u^H G u.
double along(const CrossSpectra& s, const std::vector<Complex>& u, std::size_t k) {
  Complex sum = 0;
  for (std::size_t i = 0; i < u.size(); ++i)
    for (std::size_t j = 0; j < u.size(); ++j) sum += std::conj(u[i]) * s.cross[i][j][k] * u[j];
  return std::max(0.0, sum.real());
}

struct OutputTop {
  std::size_t bin;
  double rise;  ///< Over the higher of the saddles beside it.
};

/// Local summits with what they rise over their surroundings, of a spectrum smoothed over `reach` bins each
/// way.
std::vector<OutputTop> summits(const std::vector<double>& power, std::size_t low, std::size_t high,
                               std::size_t reach) {
  std::vector<double> smooth(power.size(), 0.0);
  for (std::size_t k = low; k < high; ++k) {
    double sum = 0, count = 0;
    for (std::size_t j = std::max(low, k > reach ? k - reach : 0); j <= std::min(high - 1, k + reach); ++j)
      sum += power[j], ++count;
    smooth[k] = sum / count;
  }
  std::vector<OutputTop> out;
  for (std::size_t k = low + 1; k + 1 < high; ++k) {
    if (!(smooth[k] > smooth[k - 1] && smooth[k] >= smooth[k + 1])) continue;
    double left = smooth[k], right = smooth[k];
    for (std::size_t j = k; j-- > low;) {
      if (smooth[j] > smooth[k]) break;
      left = std::min(left, smooth[j]);
    }
    for (std::size_t j = k + 1; j < high; ++j) {
      if (smooth[j] > smooth[k]) break;
      right = std::min(right, smooth[j]);
    }
    std::size_t top = k;
    for (std::size_t j = k > reach ? k - reach : low; j <= std::min(high - 1, k + reach); ++j)
      if (power[j] > power[top]) top = j;
    out.push_back({top, smooth[k] / std::max(left, right)});
  }
  return out;
}

/// Bins from a top to where means of five bins have fallen to half of it, on the nearer side; two at least.
std::size_t half_width(const std::vector<double>& power, std::size_t top, std::size_t low, std::size_t high) {
  const auto mean = [&](std::size_t k) {
    double sum = 0, count = 0;
    for (std::size_t j = std::max(low, k > 2 ? k - 2 : 0); j <= std::min(high - 1, k + 2); ++j)
      sum += power[j], ++count;
    return sum / count;
  };
  const double half = mean(top) / 2;
  std::size_t away = 2;
  // What does not fall within a fortieth of the band is no top of a resonance.
  while (away < (high - low) / 40 && top >= low + away && top + away < high && mean(top - away) > half &&
         mean(top + away) > half)
    ++away;
  return away;
}

/// The fit of a resonance without the tones that stand within it: bins that rise out of it by more than
/// averages of noise do, in the form of the window's lobe. They are left out, the fit made anew, until none
/// is left; their places are added to `tones`.
std::optional<ResonanceFit> fit_beside_tones(const Spectrum& power, double low_hz, double high_hz,
                                             const ResonanceLean& lean, std::vector<double>& tones) {
  std::vector<bool> masked(power.bins(), false);
  std::optional<ResonanceFit> fit = fit_resonance(power, low_hz, high_hz, {}, lean, true);
  const auto lobe = static_cast<std::size_t>(std::ceil(window_half_width_bins(power.window)));
  const auto [low, high] = power.bins_within(low_hz, high_hz);
  const double most = 1 + 6 / std::sqrt(std::max(1.0, power.noise_averages));
  for (int pass = 0; pass < 4 && fit; ++pass) {
    std::size_t top = 0;
    double rise = most;
    for (std::size_t k = low + 1; k + 1 < high; ++k) {
      const double here = power.power[k] / fit->power_at(power.frequency_hz(k));
      if (masked[k] || here < rise || power.power[k] < power.power[k - 1] ||
          power.power[k] < power.power[k + 1])
        continue;
      // Half as much again as what lies beyond the lobe on both sides: a hump of the fit's misfit is wider.
      const std::size_t left = k > low + lobe + 1 ? k - lobe - 1 : low,
                        right = std::min(high - 1, k + lobe + 1);
      if (power.power[k] < 1.5 * std::max(power.power[left], power.power[right])) continue;
      top = k, rise = here;
    }
    if (top == 0) break;
    std::vector<bool> more = masked;
    for (std::size_t k = top > lobe + 1 ? top - lobe - 1 : 0; k <= std::min(power.bins() - 1, top + lobe + 1);
         ++k)
      more[k] = true;
    const std::optional<ResonanceFit> again = fit_resonance(power, low_hz, high_hz, more, lean, true);
    if (!again) break;
    masked = std::move(more), fit = again;
    tones.push_back(power.frequency_hz(top));
  }
  return fit;
}

}  // namespace

OutputOnly decompose(const CrossSpectra& spectra, double low_hz, double high_hz, std::size_t most,
                     const ResonanceLean& lean) {
  OutputOnly out;
  const Spectrum& grid = spectra.own.front();
  const std::size_t bins = grid.bins();
  out.first.resize(bins), out.second.resize(bins);
  std::vector<std::vector<Complex>> directions(bins), others(bins);
  oneapi::tbb::parallel_for(std::size_t{0}, bins, [&](std::size_t k) {
    const HermitianParts parts = hermitian_parts(matrix_at(spectra, k));
    const Eigen::Index last = parts.values.size() - 1;
    out.first[k] = std::max(0.0, parts.values(last));
    directions[k] = settled(parts.vectors.col(last));
    if (last > 0) {
      // Far below the first there is nothing but rounding.
      if (parts.values(last - 1) > 1e-11 * parts.values(last)) out.second[k] = parts.values(last - 1);
      others[k] = settled(parts.vectors.col(last - 1));
    }
  });
  const auto [low, high] = grid.bins_within(std::max(low_hz, 3 * grid.plan.bin_hz), high_hz);
  if (high < low + 16) return out;
  // The second value shows the weaker of two modes at one place.
  std::vector<std::pair<OutputTop, bool>> tops;
  const double scatter = 1 / std::sqrt(std::max(1.0, grid.noise_averages));
  for (const bool second : {false, true})
    for (const OutputTop& top : summits(second ? out.second : out.first, low, high, 2))
      if (top.rise > 1 + 3 * scatter) tops.push_back({top, second});
  std::sort(tops.begin(), tops.end(),
            [](const auto& a, const auto& b) { return a.first.rise > b.first.rise; });
  if (tops.size() > 60) tops.resize(60);
  for (const auto& candidate : tops) {
    const OutputTop& top = candidate.first;
    const bool second = candidate.second;
    const std::vector<Complex>& shape = second ? others[top.bin] : directions[top.bin];
    // As far as one of the two strongest directions stays like it, and the power keeps falling.
    const auto like = [&](std::size_t k) {
      return assurance(shape, directions[k]) > 0.8 ||
             (!others[k].empty() && assurance(shape, others[k]) > 0.8);
    };
    // Noise points another way from bin to bin, save the next, which shares its window; what moves in one
    // shape goes on.
    bool goes_on = false;
    for (const std::size_t away : {2u, 3u})
      goes_on = goes_on || (top.bin >= low + away && like(top.bin - away)) ||
                (top.bin + away < high && like(top.bin + away));
    if (!goes_on) continue;
    Spectrum power = grid;
    for (std::size_t k = 0; k < bins; ++k) power.power[k] = along(spectra, shape, k);
    std::size_t from = top.bin, to = top.bin;
    const double least = power.power[top.bin] / 100;
    const std::size_t flank = 12 * half_width(power.power, top.bin, low, high);
    while (from > low && top.bin - from < flank && like(from - 1) && power.power[from - 1] > least) --from;
    while (to + 1 < high && to - top.bin < flank && like(to + 1) && power.power[to + 1] > least) ++to;
    const std::size_t room = std::max<std::size_t>(8, (to - from) / 4);
    from = from > low + room ? from - room : low;
    to = std::min(high - 1, to + room);
    std::vector<double> tones;
    auto fit = fit_beside_tones(power, grid.frequency_hz(from), grid.frequency_hz(to), lean, tones);
    constexpr double most_damping = 0.2;  // Beyond it a slope of the floor is called a resonance.
    // The flank of a neighbour, or of the floor, has its top elsewhere or beyond what was looked at.
    if (fit && (fit->damping > most_damping ||
                fit->width_hz() > 0.4 * (grid.frequency_hz(to) - grid.frequency_hz(from))))
      fit.reset();
    if (!fit || std::abs(fit->frequency_hz - grid.frequency_hz(top.bin)) >
                    std::max(2 * grid.plan.rbw_hz, fit->width_hz() / 2)) {
      // As narrow as the window's lobe: a tone.
      const double lobe = window_half_width_bins(grid.window) + 1;
      const auto away = [&](double d) {
        const auto k = static_cast<std::size_t>(
            std::clamp(static_cast<double>(top.bin) + d, 0.0, static_cast<double>(bins - 1)));
        return power.power[k];
      };
      if (!second && std::max(away(lobe), away(-lobe)) < power.power[top.bin] / 30)
        out.lines_hz.push_back(grid.frequency_hz(top.bin));
      continue;
    }
    bool known = false;
    for (OutputOnlyMode& mode : out.modes) {
      const double apart = std::abs(mode.fit.frequency_hz - fit->frequency_hz);
      if (apart < 0.5 * std::max(mode.fit.width_hz(), fit->width_hz()) + grid.plan.bin_hz &&
          (assurance(mode.shape, shape) > 0.7 || apart < 0.5 * grid.plan.bin_hz))
        known = true;
    }
    if (known) continue;
    for (const double hz : tones)
      if (std::none_of(out.lines_hz.begin(), out.lines_hz.end(),
                       [&](double other) { return std::abs(other - hz) < 2 * grid.plan.bin_hz; }))
        out.lines_hz.push_back(hz);
    out.modes.push_back({*fit, shape, grid.frequency_hz(from), grid.frequency_hz(to)});
    if (out.modes.size() == most) break;
  }
  std::sort(out.modes.begin(), out.modes.end(), [](const OutputOnlyMode& a, const OutputOnlyMode& b) {
    return a.fit.frequency_hz < b.fit.frequency_hz;
  });
  std::sort(out.lines_hz.begin(), out.lines_hz.end());
  return out;
}

}  // namespace vprism
