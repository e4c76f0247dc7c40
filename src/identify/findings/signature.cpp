// signature.cpp: see signature.h.
#include "identify/findings/signature.h"

#include <algorithm>
#include <cmath>

#include "transform/windows/window.h"

namespace vprism {

BandPower band_power(const Spectrum& s, std::span<const double> floor, double low_hz, double high_hz) {
  const double first = s.bins_at(low_hz) + 0.5, last = s.bins_at(high_hz) + 0.5;
  BandPower out;
  double noise = 0;
  for (auto k = static_cast<std::size_t>(std::max(0.0, std::floor(first)));
       k < s.bins() && static_cast<double>(k) < last; ++k) {
    const double at = static_cast<double>(k);
    const double part = std::min(last, at + 1) - std::max(first, at);
    if (!(part > 0)) continue;
    out.power += part * s.share(k);
    if (k < floor.size()) noise += part * floor[k] / s.enbw_bins;
  }
  const double independent = std::max(1.0, s.noise_averages * (last - first) / bins_alike(s.window));
  out.rel_std = out.power > 0 ? std::min(1.0, noise / out.power) / std::sqrt(independent) : 1;
  return out;
}

namespace {

SpectralFigures figures_of(const SignatureSide& side, double low_hz, double high_hz) {
  SpectralFigures out;
  double sum = 0, first = 0, second = 0;
  const Spectrum& s = side.spectrum;
  for (std::size_t k = 0; k < s.bins(); ++k) {
    const double hz = s.frequency_hz(k);
    if (hz < low_hz || hz > high_hz || !(s.power[k] >= 0)) continue;
    sum += s.share(k), first += hz * s.share(k), second += hz * hz * s.share(k);
  }
  if (!(sum > 0)) return out;
  out.centre_hz = first / sum;
  out.spread_hz = std::sqrt(std::max(0.0, second / sum - out.centre_hz * out.centre_hz));
  double tones = 0;
  for (std::size_t i = 0; i < side.lines_hz.size(); ++i)
    if (side.lines_hz[i] >= low_hz && side.lines_hz[i] <= high_hz)
      tones += side.lines_rms[i] * side.lines_rms[i];
  out.tonal_share = std::min(1.0, tones / sum);
  return out;
}

/// What all bands but chance's share of them differ by alike, if that is something.
std::optional<double> gain_of(const std::vector<SignatureBand>& bands) {
  constexpr double least_db = 0.5;
  double sum = 0, weights = 0;
  for (const SignatureBand& band : bands) {
    const double weight = 1 / (std::pow(band.delta_std_db, 2) + 1e-4);
    sum += weight * band.delta_db, weights += weight;
  }
  if (bands.size() < 12 || !(std::abs(sum / weights) > std::max(least_db, 4 / std::sqrt(weights)))) return {};
  const double gain = sum / weights;
  const auto beyond = [&](double times) {
    return std::count_if(bands.begin(), bands.end(), [&](const SignatureBand& band) {
      return std::abs(band.delta_db - gain) > std::max(0.5, times * band.delta_std_db);
    });
  };
  const auto few = static_cast<std::ptrdiff_t>(bands.size() / 40);
  return beyond(3.5) > few || beyond(7) > 0 ? std::nullopt : std::optional(gain);
}

}  // namespace

Signature compare_signatures(const SignatureSide& a, const SignatureSide& b, double ratio) {
  Signature out;
  const Spectrum &sa = a.spectrum, &sb = b.spectrum;
  if (sa.two_sided || sb.two_sided || sa.bins() < 16 || sb.bins() < 16) return out;
  const double bin = std::max(sa.plan.bin_hz, sb.plan.bin_hz / ratio);
  const double rbw = std::max(sa.plan.rbw_hz, sb.plan.rbw_hz / ratio);
  // Within two resolutions of zero stands the mean's lobe.
  const double from = std::max({sa.frequency_hz(0), sb.frequency_hz(0) / ratio, 2 * rbw});
  const double to = std::min(sa.frequency_hz(sa.bins() - 1), sb.frequency_hz(sb.bins() - 1) / ratio);
  if (!(to > from + 8 * bin)) return out;
  constexpr double lobe = 3;
  std::vector<double> edges_off = a.lines_hz;
  for (const double hz : b.lines_hz) edges_off.push_back(hz / ratio);
  std::sort(edges_off.begin(), edges_off.end());
  for (double low = from; low < to;) {
    double high = std::max(low * std::exp2(1.0 / 12), low + 8 * bin);
    // No edge lies in a line's lobe, which falls on its bins another way in each.
    for (const double hz : edges_off)
      if (std::abs(hz - high) < lobe * bin) high = hz + lobe * bin;
    if (high + 4 * bin > to) high = to;
    const BandPower one = band_power(sa, a.floor, low, high),
                    other = band_power(sb, b.floor, ratio * low, ratio * high);
    SignatureBand band{low, high, one.power, other.power, 0, 0};
    constexpr double least = 1e-300;
    band.delta_db = 10 * std::log10(std::max(other.power, least) / std::max(one.power, least));
    band.delta_std_db = 10 / std::log(10.0) * std::hypot(one.rel_std, other.rel_std);
    out.bands.push_back(band);
    low = high;
  }
  const auto kind = [](const SignatureBand& band) {
    if (band.differs()) return band.delta_db > 0 ? 1 : -1;
    return band.alike() ? 0 : 2;
  };
  double widest = 0;
  for (std::size_t i = 0; i < out.bands.size();) {
    std::size_t end = i + 1;
    const int now = kind(out.bands[i]);
    // A run goes over one band that is neither, and where both sides differ over one that does not; what is
    // alike never over one that differs.
    const auto passes = [&](std::size_t at) {
      return at + 1 < out.bands.size() && kind(out.bands[at + 1]) == now &&
             (kind(out.bands[at]) == 2 || (now != 0 && kind(out.bands[at]) == 0));
    };
    while (end < out.bands.size() && (kind(out.bands[end]) == now || passes(end))) ++end;
    std::size_t first = i, last = end;
    if (now == 1 || now == -1) {
      // Its skirts are not where it lies: what is 10 dB below its top at either end.
      double top = 0;
      for (std::size_t k = i; k < end; ++k) top = std::max(top, now * out.bands[k].delta_db);
      while (now * out.bands[first].delta_db < top - 10) ++first;
      while (now * out.bands[last - 1].delta_db < top - 10) --last;
    }
    SignatureRun run{out.bands[first].low_hz, out.bands[last - 1].high_hz, 0};
    double in_a = 0, in_b = 0, sum = 0, weights = 0;
    for (std::size_t k = first; k < last; ++k) {
      in_a += out.bands[k].a_power, in_b += out.bands[k].b_power;
      // By what each band is worth.
      const double weight = 1 / (std::pow(out.bands[k].delta_std_db, 2) + 1e-4);
      sum += weight * out.bands[k].delta_db, weights += weight;
    }
    if (now == 1 || now == -1) {
      run.delta_db = 10 * std::log10(std::max(in_b, 1e-300) / std::max(in_a, 1e-300));
      (now == 1 ? out.more : out.less).push_back(run);
    } else if (now == 0) {
      run.delta_db = sum / weights;
      // Bands that noise hides one by one may differ all the same together.
      if (const double octaves = std::log2(run.high_hz / run.low_hz);
          octaves > widest && std::abs(run.delta_db) <= 1)
        widest = octaves, out.alike = run;
    }
    i = end;
  }
  // By how much and how far.
  const auto weight = [](const SignatureRun& run) {
    return std::abs(run.delta_db) * std::sqrt(std::log2(run.high_hz / run.low_hz));
  };
  for (auto* runs : {&out.more, &out.less})
    std::stable_sort(runs->begin(), runs->end(),
                     [&](const SignatureRun& x, const SignatureRun& y) { return weight(x) > weight(y); });
  if (const auto gain = gain_of(out.bands)) out.throughout_db = gain, out.more.clear(), out.less.clear();
  out.a = figures_of(a, from, to), out.b = figures_of(b, ratio * from, ratio * to);
  return out;
}

}  // namespace vprism
