// line_pairs.cpp: see line_pairs.h.
#include "identify/line_pairs.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <tuple>

namespace vprism {

std::vector<LinePair> pair_lines(const std::vector<ComparedLine>& a, const std::vector<ComparedLine>& b,
                                 const PairSettings& settings) {
  std::vector<std::tuple<double, std::size_t, std::size_t>> near;
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j) {
      const double off = std::abs(a[i].hz - b[j].hz);
      const double width =
          std::max({4 * std::hypot(a[i].hz_std, b[j].hz_std), settings.clock * a[i].hz, settings.within_hz});
      if (off <= width) near.emplace_back(off, i, j);
    }
  std::sort(near.begin(), near.end());
  std::vector<bool> a_taken(a.size(), false), b_taken(b.size(), false);
  std::vector<LinePair> out;
  for (const auto& [off, i, j] : near) {
    if (a_taken[i] || b_taken[j]) continue;
    a_taken[i] = b_taken[j] = true;
    LinePair pair{i, j, 0, 0};
    if (a[i].rms > 0 && b[j].rms > 0) {
      pair.delta_db = 20 * std::log10(b[j].rms / a[i].rms);
      pair.delta_std_db =
          20 / std::numbers::ln10 * std::hypot(a[i].rms_std / a[i].rms, b[j].rms_std / b[j].rms);
    }
    out.push_back(pair);
  }
  for (std::size_t i = 0; i < a.size(); ++i)
    if (!a_taken[i]) out.push_back({i, std::nullopt, 0, 0});
  for (std::size_t j = 0; j < b.size(); ++j)
    if (!b_taken[j]) out.push_back({std::nullopt, j, 0, 0});
  const auto hz = [&](const LinePair& p) { return p.a ? a[*p.a].hz : b[*p.b].hz; };
  std::sort(out.begin(), out.end(), [&](const LinePair& x, const LinePair& y) { return hz(x) < hz(y); });
  return out;
}

double spectral_likeness(const Spectrum& a, const Spectrum& b) {
  const Spectrum& coarse = a.plan.bin_hz >= b.plan.bin_hz ? a : b;
  const Spectrum& fine = &coarse == &a ? b : a;
  const double low = std::max(a.frequency_hz(0), b.frequency_hz(0)),
               high = std::min(a.frequency_hz(a.bins() - 1), b.frequency_hz(b.bins() - 1));
  const auto [from, end] = coarse.bins_within(low, high);
  double n = 0, x = 0, y = 0, xx = 0, yy = 0, xy = 0;
  for (std::size_t k = std::max<std::size_t>(from, 1); k < end; ++k) {
    // Mean of the finer one's bins around.
    const double centre = fine.bins_at(coarse.frequency_hz(k)),
                 half = coarse.plan.bin_hz / fine.plan.bin_hz / 2;
    double sum = 0, count = 0;
    for (auto j = static_cast<long>(std::lround(centre - half + 1e-9));
         j <= std::lround(centre + half - 1e-9); ++j)
      if (j >= 0 && j < static_cast<long>(fine.bins()))
        sum += fine.power[static_cast<std::size_t>(j)], ++count;
    if (!(sum > 0) || !(coarse.power[k] > 0)) continue;
    const double p = std::log(coarse.power[k]), q = std::log(sum / count);
    n += 1, x += p, y += q, xx += p * p, yy += q * q, xy += p * q;
  }
  if (n < 8) return std::numeric_limits<double>::quiet_NaN();
  const double sxx = xx - x * x / n, syy = yy - y * y / n;
  return sxx > 0 && syy > 0 ? (xy - x * y / n) / std::sqrt(sxx * syy) : 1;
}

}  // namespace vprism
