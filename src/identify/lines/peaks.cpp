// peaks.cpp: see peaks.h. Strongest first, so that what a strong line leaks is known when its side lobes are
// judged.
#include "identify/lines/peaks.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percentile.h"
#include "identify/lines/lobe_fit.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

namespace {

double prominence_db(const std::vector<double>& power, std::size_t bin) {
  // A side that never rises above the peak has no saddle; a peak above all else is measured to the lowest
  // bin.
  double saddle = 0, bottom = power[bin];
  for (const int direction : {-1, 1}) {
    double lowest = power[bin];
    bool higher = false;
    for (auto k = static_cast<std::ptrdiff_t>(bin) + direction;
         k >= 0 && k < static_cast<std::ptrdiff_t>(power.size()); k += direction) {
      const double p = power[static_cast<std::size_t>(k)];
      higher = p > power[bin];
      if (higher) break;
      lowest = std::min(lowest, p);
    }
    if (higher) saddle = std::max(saddle, lowest);
    bottom = std::min(bottom, lowest);
  }
  if (saddle == 0) saddle = bottom;
  return saddle > 0 ? 10 * std::log10(power[bin] / saddle) : 300;
}

/// Local maxima above the threshold, strongest first. DC is no peak; the last bin has one neighbour.
std::vector<std::size_t> candidates(const std::vector<double>& power, const std::vector<double>& floor,
                                    const DetectionThreshold& threshold) {
  std::vector<std::size_t> out;
  for (std::size_t k = 1; k < power.size(); ++k) {
    const bool top = power[k] > power[k - 1] && (k + 1 == power.size() || power[k] >= power[k + 1]);
    // Most bins of noise lie under the least threshold.
    if (top && power[k] > threshold.least() * floor[k] && power[k] > threshold.at(k) * floor[k])
      out.push_back(k);
  }
  std::sort(out.begin(), out.end(),
            [&](std::size_t a, std::size_t b) { return power[a] != power[b] ? power[a] > power[b] : a < b; });
  return out;
}

/// Lines already found that a candidate bin is judged against.
class Judge {
 public:
  Judge(const Spectrum& spectrum, const LobeFit& fit, const std::vector<Line>& lines)
      : spectrum_(spectrum), fit_(fit), lines_(lines) {}

  /// More than four times what stronger lines and DC leak there.
  bool stands_clear(std::size_t bin, double power) const {
    const auto at = static_cast<double>(bin);
    // After a complex fit DC has been taken off like a line.
    double leaked = fit_.complex_fit() ? 0 : std::pow(fit_.direct(lines_), 2) * fit_.leakage(at);
    for (const Line& line : lines_)
      leaked += line.square *
                (fit_.leakage(at - line.bins) + (spectrum_.mirrored() ? fit_.leakage(at + line.bins) : 0));
    return power >= 4 * spectrum_.fold() * leaked;
  }
  /// The greatest power of a line whose main lobe covers the bin, 0 if none does.
  double covering(std::size_t bin) const {
    double most = 0;
    for (const Line& line : lines_)
      if (std::abs(static_cast<double>(bin) - line.bins) < fit_.half_width_bins() + 1.5)
        most = std::max(most, spectrum_.fold() * line.square);
    return most;
  }

 private:
  const Spectrum& spectrum_;
  const LobeFit& fit_;
  const std::vector<Line>& lines_;
};

/// Bins in which lines, or the offset, hold more than the noise does: their lobes, and the skirts of strong
/// ones as far as they reach over `floor` (empty: lobes alone).
std::vector<bool> bins_under(const Spectrum& spectrum, const LobeFit& fit, const std::vector<Line>& lines,
                             const std::vector<double>& floor) {
  std::vector<bool> under(spectrum.bins(), false);
  // Of one segment the search itself takes lines off, skirts and all.
  const bool skirts = !floor.empty() && !fit.complex_fit();
  const auto last = static_cast<double>(spectrum.bins() - 1);
  const auto cover = [&](double bins, double power, double lobe) {
    for (const double side : {-1.0, 1.0}) {
      // Interference with the noise reaches further than the skirt itself.
      for (double d = 0; d < 4096; ++d) {
        const double k = std::round(bins) + side * d;
        if (k < 0 || k > last) break;
        const auto at = static_cast<std::size_t>(k);
        if (std::abs(k - bins) > lobe && (!skirts || power * fit.leakage(k - bins) < 0.1 * floor[at])) break;
        under[at] = true;
      }
    }
  };
  for (const Line& line : lines) cover(line.bins, spectrum.fold() * line.square, fit.half_width_bins() + 0.5);
  if (spectrum.mirrored() && skirts) cover(0, std::pow(fit.direct(lines), 2), 0);
  return under;
}

/// Lines that can't all be there: nearer than one bin, or holding more than twice the power that lies around
/// them. Of the two nearest the weaker one goes. Whether one went.
bool drop_impossible(const Spectrum& spectrum, const LobeFit& fit, std::vector<Line>& lines) {
  std::vector<std::size_t> gone;
  for (const LobeFit::Cluster& cluster : fit.clusters_of(lines)) {
    std::size_t near = std::min<std::size_t>(1, cluster.size() - 1);
    double held = 0;
    for (std::size_t i = 0; i < cluster.size(); ++i) {
      held += spectrum.fold() * lines[cluster[i]].square;
      if (i > 0 && lines[cluster[i]].bins - lines[cluster[i - 1]].bins <
                       lines[cluster[near]].bins - lines[cluster[near - 1]].bins)
        near = i;
    }
    const double reach = fit.half_width_bins() + 1;
    const auto low = static_cast<std::size_t>(std::max(0.0, lines[cluster.front()].bins - reach));
    const auto high =
        std::min(spectrum.bins(), static_cast<std::size_t>(lines[cluster.back()].bins + reach) + 2);
    double there = 0;
    for (std::size_t k = low; k < high; ++k) there += spectrum.share(k);
    if (cluster.size() == 1) {
      // Beside 0 or half the rate a line and its image may cancel: so large a line, and nothing of it seen.
      if (held > 4 * there) gone.push_back(cluster.front());
      continue;
    }
    const Line &a = lines[cluster[near - 1]], &b = lines[cluster[near]];
    if (held > 2 * there ||
        (b.bins - a.bins < 1 && std::min(a.square, b.square) > 1e-4 * std::max(a.square, b.square)))
      gone.push_back(a.square < b.square ? cluster[near - 1] : cluster[near]);
  }
  std::sort(gone.begin(), gone.end());
  for (std::size_t i = gone.size(); i-- > 0;)
    lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(gone[i]));
  return !gone.empty();
}

/// Peaks together hold no more than the samples do. A window that is large where something short lies makes
/// it look larger than it is in the whole: what no steady line explains gives way, and its uncertainty holds
/// that.
void hold_power(double variance, std::vector<Peak>& peaks) {
  double all = 0, odd = 0;
  for (const Peak& p : peaks) {
    all += p.rms * p.rms;
    if (p.misfit > 3 || p.broad()) odd += p.rms * p.rms;
  }
  if (!(variance > 0) || all <= variance || !(odd > 0)) return;
  const double share = std::sqrt(std::max(0.0, odd - (all - variance)) / odd);
  for (Peak& p : peaks) {
    if (!(p.misfit > 3 || p.broad())) continue;
    p.rms_std = std::max(p.rms_std, (1 - share) * p.rms);
    p.rms *= share;
  }
}

/// Lines that beat only once or twice over the record may hold more together than the record does, as the
/// parts of one line that breathes do as well: how high each of them is by itself is then known no better
/// than that.
void doubt_slow_beats(double variance, double bin_hz, std::vector<Peak>& peaks) {
  constexpr double beats = 2.5, slack = 0.02, sure = 3;
  double all = 0, spread = 0;
  for (const Peak& p : peaks) all += p.rms * p.rms, spread += std::pow(2 * p.rms * p.rms_std, 2);
  const double excess = all - (1 + slack) * variance;
  if (!(variance > 0) || !(excess > sure * std::sqrt(spread))) return;
  std::vector<Peak*> sorted, slow;
  for (Peak& p : peaks) sorted.push_back(&p);
  std::sort(sorted.begin(), sorted.end(),
            [](const Peak* a, const Peak* b) { return a->frequency_hz < b->frequency_hz; });
  double squares = 0;
  const auto near = [&](std::size_t i, std::size_t j) {
    return sorted[j]->frequency_hz - sorted[i]->frequency_hz < beats * bin_hz;
  };
  for (std::size_t i = 0; i < sorted.size(); ++i)
    if ((i > 0 && near(i - 1, i)) || (i + 1 < sorted.size() && near(i, i + 1)))
      slow.push_back(sorted[i]), squares += std::pow(sorted[i]->rms, 4);
  // Each by the same share of itself.
  for (Peak* const p : slow)
    p->rms_std = std::hypot(p->rms_std, p->rms * excess / (2 * sure * std::sqrt(squares)));
}

/// How much of the power around a line the line is, and how much there is: `left` is the spectrum less all
/// lines.
void judge_width(const Spectrum& spectrum, const std::vector<double>& floor, const LobeFit& fit,
                 const Line& line, const std::vector<double>& left, Peak& peak) {
  const double reach = 3 * fit.half_width_bins() + 2;
  const auto low = static_cast<std::size_t>(std::max(1.0, std::ceil(line.bins - reach)));
  const auto high = std::min(spectrum.bins(), static_cast<std::size_t>(line.bins + reach) + 1);
  double own = 0, rest = 0;
  for (std::size_t k = low; k < high; ++k) {
    own += spectrum.fold() * line.square * std::pow(fit.lobe(static_cast<double>(k) - line.bins), 2);
    if (!spectrum.mirrored() || static_cast<double>(k) > fit.half_width_bins())
      rest += std::max(0.0, left[k] - floor[k]);
  }
  // Noise that happens to lie above its mean is no pedestal: it makes 1/e of its power for one segment, less
  // for more.
  rest = std::max(0.0, rest - 0.4 * static_cast<double>(high - low) * floor[peak.bin] /
                                  std::sqrt(spectrum.noise_averages));
  peak.concentration = own + rest > 0 ? own / (own + rest) : 1;
  peak.band_rms = std::sqrt((own + rest) / spectrum.enbw_bins);
}

}  // namespace

double Peak::level(Scale scale, const SpectrumPlan& plan) const {
  return level_of(rms * rms, scale, crest, plan.rbw_hz, plan.segment_s());
}

double Peak::signal_to_noise_db() const {
  return floor_power > 0 ? 10 * std::log10(rms * rms / floor_power) : 300;
}

/// Whether noise that lies higher just around a line than over the floor's whole neighbourhood, as between
/// the ripples that an echo makes, may be all that it is: `left` is the spectrum less all lines.
bool is_of_ripple(const Spectrum& spectrum, const LobeFit& fit, const Line& line,
                  const std::vector<double>& floor, const std::vector<bool>& masked,
                  const std::vector<double>& left, const DetectionThreshold& threshold) {
  constexpr std::size_t reach = 24;
  const auto bin = std::min(static_cast<std::size_t>(std::lround(line.bins)), spectrum.bins() - 1);
  // Lower down the floor itself is that of no more bins.
  if (bin < 6 * reach || bin + reach >= spectrum.bins()) return false;
  std::vector<double> around;
  for (std::size_t k = bin - reach; k <= bin + reach; ++k) {
    const double off = std::abs(static_cast<double>(k) - line.bins);
    // Bins under other lines, or that what is taken off leaves a hole in, are not counted.
    if (off < fit.half_width_bins() + 1 || (masked[k] && off > fit.half_width_bins() + 2)) continue;
    around.push_back(left[k]);
  }
  if (around.size() < reach) return false;
  // Lines that crowd there are no noise: they lift the mean far above the median. Windows make every other
  // bin alike, and a median tells half as much as a mean.
  double mean = 0, independent = static_cast<double>(around.size()) / 2;
  for (const double v : around) mean += v / static_cast<double>(around.size());
  const double of_median = median_in(around) / noise_median(spectrum.noise_averages);
  if (mean > 1.5 * of_median) mean = of_median, independent /= 2;
  // What stands much higher is no ripple but a band, which is judged by itself.
  constexpr double highest_ripple = 4;
  if (mean < floor[bin] * (1 + 2 / std::sqrt(independent * spectrum.noise_averages)) ||
      mean > highest_ripple * floor[bin])
    return false;
  double highest = 0;
  for (std::size_t k = bin - 1; k <= bin + 1; ++k) highest = std::max(highest, spectrum.power[k]);
  return highest < threshold.beside(independent) * mean;
}

PeakSearch find_peaks(const Spectrum& spectrum, const PeakSettings& settings) {
  const double averages = spectrum.noise_averages;
  const DetectionThreshold threshold(spectrum, settings.false_alarms);
  // The dip that noise makes beside a bump of noise: its 0.999 over its 0.05 quantile, within 3 to 9 dB.
  const double dip_db = std::clamp(
      10 * std::log10(noise_quantile_above(averages, 0.001) / noise_quantile_above(averages, 0.95)), 3.0,
      9.0);
  // Rounding and the ends of iterations leave a floor of their own, 200 dB below the strongest line.
  const double rounding = *std::max_element(spectrum.power.begin(), spectrum.power.end()) * 1e-20;
  constexpr double hidden_share =
      0.02;  // Least power of a line under another's lobe, re that one: 14% in amplitude.

  const LobeFit fit(spectrum);
  const NoiseFloor noise(spectrum);
  const bool single = fit.complex_fit();
  // What averaged powers leave is not clean enough to be searched again: they know nothing of phases.
  const int most_rounds = single ? 12 : 1;
  std::vector<Line> lines;
  std::vector<double> floor, left = fit.remainder({});
  const auto weak = [&](const Line& line) {
    const auto at = std::min(static_cast<std::size_t>(std::lround(line.bins)), spectrum.bins() - 1);
    return spectrum.fold() * line.square <= threshold.at(at) * floor[at] / 2;
  };
  std::vector<bool> masked;
  const auto renew_floor = [&] {
    std::vector<bool> under = bins_under(spectrum, fit, lines, floor);
    if (!floor.empty() && under == masked) return;
    masked = std::move(under);
    floor = noise.between(masked);
  };
  for (int round = 0; round < most_rounds; ++round) {
    renew_floor();
    const std::size_t before = lines.size();
    for (const std::size_t bin : candidates(left, floor, threshold)) {
      if (lines.size() == settings.most) break;
      if (left[bin] <= rounding) continue;
      const Judge judge(spectrum, fit, lines);
      const double covering = judge.covering(bin);
      // One line at a time in each neighbourhood: the next may only be what a missing one left behind.
      const bool crowded = round > 0 && std::any_of(lines.begin() + static_cast<std::ptrdiff_t>(before),
                                                    lines.end(), [&](const Line& line) {
                                                      return std::abs(line.bins - static_cast<double>(bin)) <
                                                             2 * fit.half_width_bins() + 2;
                                                    });
      if (crowded) continue;
      // Under a lobe that has been taken off, what is left has dips of its own; there the share decides.
      const bool accepted = round > 0 && covering > 0
                                ? single && left[bin] > hidden_share * covering
                                : prominence_db(left, bin) >= dip_db && judge.stands_clear(bin, left[bin]);
      if (accepted) lines.push_back(fit.start(bin, left));
    }
    if (lines.size() == before) break;
    fit.refine(lines, floor);
    if (std::erase_if(lines, weak) > 0) fit.refine(lines, floor);
    left = fit.remainder(lines);
    // A comb of lines (repeated blows, a pulse train) needs no search under its lobes, and it would be long.
    if (lines.size() > crowd) break;
  }
  renew_floor();
  fit.refine(lines, floor);
  while (drop_impossible(spectrum, fit, lines)) fit.refine(lines, floor);
  left = fit.remainder(lines);
  if (single && !lines.empty()) {
    // Beside strong lines the powers are those of their skirts: the noise is what is left when they are taken
    // off.
    Spectrum rest = spectrum;
    rest.power = left;
    const std::vector<double> lower = NoiseFloor(rest).between(bins_under(spectrum, fit, lines, floor));
    // A fit ends 140 dB below its line, where nothing else is left.
    const double least = 1e6 * rounding;
    for (std::size_t k = 0; k < floor.size(); ++k) floor[k] = std::max(std::min(floor[k], lower[k]), least);
    fit.refine(lines, floor);
    left = fit.remainder(lines);
  }

  const std::vector<bool> under = bins_under(spectrum, fit, lines, floor);
  if (std::erase_if(lines, [&](const Line& line) {
        return is_of_ripple(spectrum, fit, line, floor, under, left, threshold);
      }) > 0) {
    fit.refine(lines, floor);
    left = fit.remainder(lines);
  }
  PeakSearch search{{}, floor};
  for (const Line& line : lines) {
    // Less than one period in a segment may be a trend, a drift, anything, unless it is known well.
    if (spectrum.mirrored() && line.bins < 1.2 &&
        (line.bins < 0.5 || line.bins_std > 0.05 * line.bins || line.square_rel_std > 0.1))
      continue;
    Peak peak;
    peak.bin = std::min(static_cast<std::size_t>(std::lround(line.bins)), spectrum.bins() - 1);
    // The tallest bin within the lobe, where the prominence is read.
    const std::size_t middle = peak.bin;
    for (std::size_t k = middle > 0 ? middle - 1 : 0; k <= std::min(middle + 1, spectrum.bins() - 1); ++k)
      if (spectrum.power[k] > spectrum.power[peak.bin]) peak.bin = k;
    peak.frequency_hz = spectrum.hz_at(line.bins);
    peak.frequency_std_hz = line.bins_std * spectrum.plan.bin_hz;
    peak.crest = spectrum.fold();
    peak.rms = std::sqrt(spectrum.fold() * line.square);
    peak.rms_std = peak.rms * line.square_rel_std / 2;
    peak.misfit = line.misfit;
    const double phase = std::arg(line.half) - std::numbers::pi * (spectrum.start_bins + line.bins);
    peak.phase_deg = std::remainder(phase, 2 * std::numbers::pi) * 180 / std::numbers::pi;
    peak.prominence_db = prominence_db(spectrum.power, peak.bin);
    peak.floor_power = floor[peak.bin];
    judge_width(spectrum, floor, fit, line, left, peak);
    search.peaks.push_back(peak);
  }
  hold_power(spectrum.variance, search.peaks);
  if (single) doubt_slow_beats(spectrum.variance, spectrum.plan.bin_hz, search.peaks);
  std::sort(search.peaks.begin(), search.peaks.end(), [](const Peak& a, const Peak& b) {
    return a.rms != b.rms ? a.rms > b.rms : a.frequency_hz < b.frequency_hz;
  });
  return search;
}

}  // namespace vprism
