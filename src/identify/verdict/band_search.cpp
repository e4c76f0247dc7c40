// band_search.cpp: see band_search.h.
#include "identify/verdict/band_search.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "base/percentile.h"
#include "base/straight_line.h"
#include "identify/findings/comb.h"
#include "identify/peaks/peak_sines.h"
#include "identify/verdict/band_joins.h"
#include "identify/verdict/band_trains.h"
#include "identify/verdict/decays.h"
#include "identify/verdict/rung_bands.h"

namespace vprism {

namespace {

/// From a bin to both sides as long as something stands over the noise within the next few bins.
std::pair<std::size_t, std::size_t> band_around(const Spectrum& s, const std::vector<double>& floor,
                                                std::size_t bin) {
  // What noise alone reaches in one of some hundred bins.
  const double over = 3 + 6 / std::sqrt(s.noise_averages);
  const auto gap = static_cast<std::size_t>(std::ceil(6 * s.enbw_bins));
  const std::size_t most = 600;
  std::size_t low = bin, high = bin;
  const auto stands = [&](std::size_t k) { return s.power[k] > over * floor[k]; };
  for (std::size_t k = bin, quiet = 0; k > 1 && bin - k < most && quiet <= gap; --k)
    if (stands(k - 1))
      low = k - 1, quiet = 0;
    else
      ++quiet;
  for (std::size_t k = bin, quiet = 0; k + 1 < s.bins() && k - bin < most && quiet <= gap; ++k)
    if (stands(k + 1))
      high = k + 1, quiet = 0;
    else
      ++quiet;
  return {low, high};
}

std::vector<JudgedBand> suspicious_bands(const Spectrum& s, const std::vector<double>& floor,
                                         const std::vector<Peak>& peaks) {
  std::vector<JudgedBand> out;
  std::vector<bool> seen(peaks.size(), false);
  for (std::size_t i = 0; i < peaks.size(); ++i) {  // Strongest first.
    if (seen[i] || peaks[i].of_band) continue;
    const auto [low, high] = band_around(s, floor, peaks[i].bin);
    JudgedBand band;
    band.low_hz = s.hz_at(static_cast<double>(low)), band.high_hz = s.hz_at(static_cast<double>(high));
    bool odd = false;
    for (std::size_t m = 0; m < peaks.size(); ++m) {
      if (seen[m] || peaks[m].of_band || peaks[m].bin < low || peaks[m].bin > high) continue;
      seen[m] = true;
      band.members.push_back(m);
      odd = odd || (!peaks[m].of_comb && (peaks[m].misfit > 3 || peaks[m].broad()));
    }
    if (odd) out.push_back(std::move(band));
  }
  return out;
}

/// Bands whose lines, fitted to the samples together with all others, leave no more than noise: there is
/// nothing odd.
void drop_explained(std::span<const double> samples, double rate_hz, const Spectrum& s,
                    const std::vector<double>& floor, std::vector<Peak>& peaks,
                    std::vector<JudgedBand>& bands) {
  const std::vector<Sine> sines = sines_of(peaks, s, [](const Peak& p) { return !p.of_band && !p.broad(); });
  if (!worth_fitting(sines.size(), samples.size())) return;
  const SineFit fit = fit_sines(samples, rate_hz, sines, 8, 1e-6);
  const BandSource rest(fit.residual, rate_hz);
  std::erase_if(bands, [&](const JudgedBand& band) {
    const double edge = std::max(s.plan.bin_hz, 4 * rest.bin_hz());
    const auto at = std::min(peaks[band.members.front()].bin, floor.size() - 1);
    const double noise = floor[at] / s.plan.rbw_hz * (band.high_hz - band.low_hz + 2 * edge);
    if (rest.mean_square(band.low_hz - edge, band.high_hz + edge) > 3 * noise) return false;
    for (const std::size_t m : band.members)
      if (peaks[m].broad()) return false;
    for (const std::size_t m : band.members) peaks[m].misfit = 1;
    return true;
  });
}

/// The record without the lines that are what they seem to be, and without its trend: they would leak.
std::vector<double> without_others(std::span<const double> samples, double rate_hz, const Spectrum& s,
                                   const std::vector<Peak>& peaks, const std::vector<JudgedBand>& bands) {
  std::vector<bool> odd(peaks.size(), false);
  for (const JudgedBand& band : bands)
    for (const std::size_t m : band.members) odd[m] = true;
  std::vector<double> x(samples.begin(), samples.end());
  const double n = static_cast<double>(x.size());
  /// Takes off the straight line through `of`; whether it is of any size beside that.
  const auto take_line_off = [&](const std::vector<double>& of) {
    const StraightLine line = straight_line(of);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] -= line.at(i);
    const double square = std::inner_product(of.begin(), of.end(), of.begin(), 0.0) / n;
    return line.slope * line.slope * (n * n - 1) / 12 > 1e-3 * square;
  };
  // A sine has a slope of its own over whole periods, and a trend leaks into sines: in turns, all lines with
  // it, those that are odd as well.
  const double mean = std::accumulate(x.begin(), x.end(), 0.0) / n;
  for (double& v : x) v -= mean;
  const std::vector<Sine> all = sines_of(peaks, s, [](const Peak& p) { return !p.broad(); });
  const bool fitted = worth_fitting(all.size(), x.size());
  for (int round = 0; round < 2; ++round)
    if (!take_line_off(fitted ? fit_sines(x, rate_hz, all, 8, 1e-6).residual : x) || !fitted) break;
  const std::vector<Sine> sines =
      sines_of(peaks, s, [&](const Peak& p) { return !odd[static_cast<std::size_t>(&p - peaks.data())]; });
  if (!worth_fitting(sines.size(), x.size())) return x;
  return fit_sines(x, rate_hz, sines, 8, 1e-6).residual;
}

/// What stands out of the record's transform, without a window, once the lines are taken off: what is short
/// is shown by no window that is small where it lies.
std::vector<JudgedBand> left_over(const BandSource& source, const std::vector<JudgedBand>& known,
                                  const std::vector<Peak>& peaks, double reach_hz) {
  constexpr std::size_t smooth = 8, near = 400;
  const std::size_t bins = source.bins();
  std::vector<JudgedBand> out;
  if (bins < 256) return out;
  std::vector<double> mean(bins, 0.0);
  std::vector<double> power(bins);
  for (std::size_t k = 0; k < bins; ++k) power[k] = source.power(k) / smooth;
  for (std::size_t k = smooth; k + smooth < bins; ++k)
    for (std::size_t j = k - smooth / 2; j < k + smooth / 2; ++j) mean[k] += power[j];
  // By blocks: it changes slowly.
  constexpr std::size_t block = 64;
  std::vector<double> floors;
  for (std::size_t from = 0; from < bins; from += block) {
    std::vector<double> around;
    const std::size_t middle = from + block / 2;
    for (std::size_t j = middle > near ? middle - near : smooth; j < std::min(bins - smooth, middle + near);
         j += smooth)
      around.push_back(mean[j]);
    floors.push_back(around.empty() ? 0 : percentile_in(around, 0.4));
  }
  // Where noise has ripples, as an echo makes them, one bin in many stands over the floor: what is to stand
  // out does so beside them, too.
  constexpr std::size_t stretch = 4096;
  std::vector<double> least;
  for (std::size_t from = 0; from < bins; from += stretch) {
    std::vector<double> over;
    for (std::size_t j = from > stretch / 2 ? from - stretch / 2 : smooth;
         j < std::min(bins - smooth, from + 3 * stretch / 2); j += smooth)
      if (const double floor = floors[j / block]; floor > 0) over.push_back(mean[j] / floor);
    least.push_back(over.size() < 64 ? 6 : std::clamp(2.5 * percentile_in(over, 0.95), 6.0, 20.0));
  }
  for (std::size_t k = 3 * smooth; k + smooth < bins; ++k) {
    const double floor = floors[k / block];
    if (!(mean[k] > least[k / stretch] * floor)) continue;
    std::size_t low = k, high = k;
    while (low > smooth && mean[low - 1] > 2.5 * floor) --low;
    while (high + smooth + 1 < bins && mean[high + 1] > 2.5 * floor) ++high;
    JudgedBand band;
    band.low_hz = static_cast<double>(low) * source.bin_hz(),
    band.high_hz = static_cast<double>(high) * source.bin_hz();
    band.density = floor / source.bin_hz();
    k = high + smooth;
    const bool taken = std::any_of(known.begin(), known.end(), [&](const JudgedBand& b) {
      return b.low_hz - reach_hz < band.high_hz && b.high_hz + reach_hz > band.low_hz;
    });
    // Of records too long to be fitted, the lines are still there.
    const bool line = std::any_of(peaks.begin(), peaks.end(), [&](const Peak& p) {
      return p.frequency_hz > band.low_hz - reach_hz && p.frequency_hz < band.high_hz + reach_hz;
    });
    // One whose top stands well over its lowest bins is none of a drift's.
    const std::size_t top =
        static_cast<std::size_t>(std::max_element(mean.begin() + static_cast<std::ptrdiff_t>(low),
                                                  mean.begin() + static_cast<std::ptrdiff_t>(high) + 1) -
                                 mean.begin());
    const bool stands = low > 2 * smooth || (top > 2 * smooth && mean[top] > 8 * mean[low]);
    if (!taken && !line && stands) out.push_back(std::move(band));
    if (out.size() >= 20) break;
  }
  return out;
}

/// The band taken wide enough that a line that decays keeps its flanks.
BandVerdict judged(const BandSource& source, double rate_hz, double middle, double half, double density) {
  const auto most = [&](double at) { return 0.9 * std::min(at, rate_hz / 2 - at); };
  BandVerdict v = judge_band(source.take(middle - half, middle + half, density), 4);
  for (int round = 0; round < 2 && v.kind == BandVerdict::Kind::decaying; ++round) {
    const double at = v.exponential.frequency_hz, wide = 4 * std::abs(v.exponential.decay_per_s);
    const double wider = std::min({std::max(half, wide), most(at), 4 * half});
    BandVerdict again = judge_band(source.take(at - wider, at + wider, density), 4);
    if (again.kind != BandVerdict::Kind::decaying) break;
    v = std::move(again);
    half = wider;
  }
  return v;
}

/// A decay that begins before the stretch looked at began at the record's start.
void from_the_start(BandVerdict& v, double band_start_s) {
  Exponential& e = v.exponential;
  if (v.kind != BandVerdict::Kind::decaying || e.start_s > band_start_s * 1.0001) return;
  const double grown = std::exp(e.decay_per_s * e.start_s);
  e.amplitude *= grown;
  e.amplitude_std = std::hypot(e.amplitude_std * grown, e.amplitude * e.start_s * e.decay_std_per_s);
  e.start_s = 0;
}

std::size_t nearest_to(const std::vector<Peak>& peaks, const std::vector<std::size_t>& members, double hz) {
  return *std::min_element(members.begin(), members.end(), [&](std::size_t a, std::size_t b) {
    return std::abs(peaks[a].frequency_hz - hz) < std::abs(peaks[b].frequency_hz - hz);
  });
}

/// A line as a peak; all else as the nearest peak has it.
Peak as_peak(const Peak& nearest, const Exponential& line, double misfit) {
  Peak p = nearest;
  p.frequency_hz = line.frequency_hz, p.frequency_std_hz = line.frequency_std_hz;
  p.rms = line.amplitude / std::sqrt(2.0), p.rms_std = line.amplitude_std / std::sqrt(2.0);
  p.misfit = misfit, p.concentration = 1;
  return p;
}

}  // namespace

std::vector<JudgedBand> judge_bands(std::span<const double> samples, double rate_hz, const Spectrum& spectrum,
                                    const std::vector<double>& floor, std::vector<Peak>& peaks) {
  const ExactRates exact(peaks, spectrum.plan, spectrum.variance);
  std::vector<JudgedBand> bands = suspicious_bands(spectrum, floor, peaks);
  if (!bands.empty()) drop_explained(samples, rate_hz, spectrum, floor, peaks, bands);
  const std::vector<double> rest = without_others(samples, rate_hz, spectrum, peaks, bands);
  const BandSource source(rest, rate_hz);
  std::vector<JudgedBand> out;
  std::vector<Peak> added;
  std::vector<bool> gone(peaks.size(), false);
  // 200 dB below the record there is nothing but rounding.
  const double square = std::inner_product(samples.begin(), samples.end(), samples.begin(), 0.0) /
                        static_cast<double>(samples.size());
  for (JudgedBand& band : left_over(source, bands, peaks, 2 * spectrum.plan.rbw_hz))
    if (source.mean_square(band.low_hz, band.high_hz) > 1e-20 * square) bands.push_back(std::move(band));
  for (JudgedBand& band : bands) {
    const double middle = (band.low_hz + band.high_hz) / 2;
    const double half =
        std::min(std::max((band.high_hz - band.low_hz) / 2 + 4 * source.bin_hz(), 24 * source.bin_hz()),
                 0.9 * std::min(middle, rate_hz / 2 - middle));
    if (!band.members.empty()) {
      const auto at = std::min(peaks[band.members.front()].bin, floor.size() - 1);
      band.density = floor[at] / spectrum.plan.rbw_hz;
    }
    const double density = band.density;
    band.verdict = judged(source, rate_hz, middle, half, density);
    const BandVerdict& v = band.verdict;
    double line_square = 0;
    std::vector<double> beside;  // The record without lines within the band, where there are any.
    const auto own = [&] { return std::span<const double>(beside.empty() ? rest : beside); };
    if (v.kind != BandVerdict::Kind::steady && v.kind != BandVerdict::Kind::nothing &&
        v.kind != BandVerdict::Kind::decaying && v.kind != BandVerdict::Kind::stepping &&
        !band.members.empty()) {
      BandSignal rest_of_band = source.take(middle - half, middle + half, density);
      if (const auto line = take_line_apart(rest_of_band)) {
        const std::size_t near = nearest_to(peaks, band.members, line->frequency_hz);
        added.push_back(as_peak(peaks[near], *line, 1));
        added.back().least_frequency_std_hz = added.back().frequency_std_hz;
        added.back().least_rms_std = added.back().rms_std;
        gone[near] = true;
        std::erase(band.members, near);
        line_square = line->amplitude * line->amplitude / 2;
        beside = fit_sines(rest, rate_hz, {{line->frequency_hz, line->amplitude, line->phase_deg}}, 8, 1e-6)
                     .residual;
        band.verdict = judge_band(rest_of_band, 4);
        if (band.verdict.kind == BandVerdict::Kind::steady) band.verdict.kind = BandVerdict::Kind::unresolved;
        if (band.members.empty()) continue;
      }
    }
    if (v.kind == BandVerdict::Kind::wandering)
      std::erase_if(band.members, [&](std::size_t m) {
        const bool stands = std::any_of(v.beside_hz.begin(), v.beside_hz.end(), [&](double hz) {
          return std::abs(hz - peaks[m].frequency_hz) < spectrum.plan.rbw_hz;
        });
        if (stands) line_square += peaks[m].rms * peaks[m].rms, peaks[m].beside_wander = true;
        return stands;
      });
    if (v.kind == BandVerdict::Kind::nothing) continue;
    // What no window showed and steady lines explain is the edge of something else.
    if (v.kind == BandVerdict::Kind::steady && band.members.empty()) continue;
    if (v.kind == BandVerdict::Kind::steady) {
      for (const std::size_t m : band.members) gone[m] = true;
      for (const Exponential& line : v.lines)
        added.push_back(as_peak(peaks[nearest_to(peaks, band.members, line.frequency_hz)], line, v.misfit));
      continue;
    }
    from_the_start(band.verdict, v.looked_from_s);
    // A line that wanders as much as its band is wide may be impulses that ring.
    const bool doubtful =
        (v.kind == BandVerdict::Kind::wandering || v.kind == BandVerdict::Kind::unresolved) &&
        v.fluctuation > 1.15 && v.misfit > 1.1;
    if (v.kind == BandVerdict::Kind::noise || v.kind == BandVerdict::Kind::burst || doubtful) {
      band.resonance = shape_of(own(), rate_hz, spectrum, band, peaks);
      const double wide = band.resonance ? std::clamp(4 * band.resonance->width_hz(), half,
                                                      0.9 * std::min(middle, rate_hz / 2 - middle))
                                         : half;
      band.impulses = find_impulses(source.take(middle - wide, middle + wide, density));
      // With little slip the low orders are lines; where what rings holds more than they do it is a train.
      if (band.impulses && exactly_periodic(peaks, band.impulses->rate_hz, spectrum.plan.bin_hz) &&
          orders_square(peaks, band.impulses->rate_hz) > source.mean_square(band.low_hz, band.high_hz))
        band.impulses.reset();
      if (band.impulses && exact.has(band.impulses->rate_hz, band.impulses->rate_std_hz))
        band.impulses.reset();
      if (band.impulses) band.verdict.kind = BandVerdict::Kind::noise;
    }
    const bool rung = band.resonance && !band.impulses && band.verdict.kind == BandVerdict::Kind::noise;
    // What looks like lines beside one resonance may be another.
    const auto two = rung ? two_shapes_of(own(), rate_hz, *band.resonance) : std::nullopt;
    if (!two && band.resonance && band.resonance->edged) band.resonance.reset();
    if (rung && !two && band.resonance)
      line_square += take_lines_within(own(), rate_hz, spectrum, band, peaks);
    const double edge = std::max(spectrum.plan.bin_hz, 2 * source.bin_hz());
    band.level_rms =
        std::sqrt(std::max(0.0, source.mean_square(band.low_hz - edge, band.high_hz + edge) - line_square -
                                    density * (band.high_hz - band.low_hz + 2 * edge)));
    // The bins beside a stronger line hold what it leaks at the record's ends.
    if (v.kind == BandVerdict::Kind::wandering)
      band.level_rms = std::min(band.level_rms, 1.02 * v.followed_rms);
    if (band.resonance && band.resonance->width_hz() > band.high_hz - band.low_hz)
      band.level_rms = std::max(band.level_rms, band.resonance->rms);
    if (v.kind == BandVerdict::Kind::decaying)
      band.level_rms = refine_decay(rest, rate_hz, density, band.verdict.exponential);
    for (const std::size_t m : band.members) peaks[m].of_band = true;
    if (two) {
      JudgedBand upper = band;
      upper.members.clear();
      band.resonance = two->first, upper.resonance = two->second;
      band.verdict.frequency_hz = two->first.frequency_hz;
      upper.verdict.frequency_hz = two->second.frequency_hz;
      out.push_back(std::move(upper));
    }
    out.push_back(std::move(band));
  }
  find_wide_trains(source, rest, rate_hz, spectrum, floor, peaks, exact, out);
  join_flanks(out);
  join_bursts(source, rate_hz, out);
  join_trains(out);
  std::vector<Peak> lines = peaks;
  lines.insert(lines.end(), added.begin(), added.end());
  share_among_resonances(source, spectrum, floor, lines, out);
  // Those that were replaced; members keep pointing at their peaks.
  std::vector<std::size_t> place(peaks.size());
  std::vector<Peak> kept;
  for (std::size_t i = 0; i < peaks.size(); ++i) {
    place[i] = kept.size();
    if (!gone[i]) kept.push_back(peaks[i]);
  }
  for (JudgedBand& band : out)
    for (std::size_t& m : band.members) m = place[m];
  kept.insert(kept.end(), added.begin(), added.end());
  peaks = std::move(kept);
  peaks_of_trains(out, peaks);
  peaks_in_flanks(out, peaks);
  // What rings and what it rings at are partly the same.
  for (JudgedBand& band : out)
    if (spectrum.variance > 0) band.level_rms = std::min(band.level_rms, std::sqrt(spectrum.variance));
  return out;
}

}  // namespace vprism
