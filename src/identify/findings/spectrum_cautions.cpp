// spectrum_cautions.cpp: what spectra warn of.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/findings/finding.h"
#include "transform/spectra/confidence.h"

namespace vprism {

namespace {

void warn_of_lines(const Channel& channel, const Spectrum& spectrum, const std::vector<Peak>& peaks,
                   std::vector<Caution>& out) {
  std::vector<double> at;
  for (const Peak& p : peaks)
    if (!p.broad()) at.push_back(p.frequency_hz);
  std::sort(at.begin(), at.end());
  std::size_t close = 0;
  double first = 0;
  for (std::size_t i = 1; i < at.size(); ++i)
    if (at[i] - at[i - 1] < 2 * spectrum.plan.rbw_hz && close++ == 0) first = at[i - 1];
  if (peaks.size() > crowd)
    out.push_back(
        {"many-lines", Severity::note, channel.name,
         fmt::format(
             "{} lines stand above the noise: a comb, or a transient that repeats; lines hidden under "
             "others were not looked for",
             peaks.size()),
         "for repeated blows or pulses, gate to one of them"});
  if (close > 0)
    out.push_back(
        {"lines-close", Severity::note, channel.name,
         fmt::format(
             "{} of lines {} closer than two RBW ({}), the first at {}; their levels depend on each other",
             close == 1 ? "a pair" : std::to_string(close) + " pairs", close == 1 ? "lies" : "lie",
             format_quantity(spectrum.plan.rbw_hz, "Hz", 3), format_quantity(first, "Hz")),
         "record longer and ask for a finer --resolution"});
}

/// A record that is no whole number of periods smears each line over all bins without a window.
void warn_of_cut_periods(const Channel& channel, const Spectrum& spectrum, const std::vector<Peak>& peaks,
                         std::vector<Caution>& out) {
  if (spectrum.window.kind != WindowKind::rectangular || peaks.empty() || spectrum.tapers > 0) return;
  const Peak& top = peaks.front();
  const double bins = spectrum.bins_at(top.frequency_hz), off = std::abs(bins - std::round(bins));
  if (top.broad() || off < 0.02 || top.signal_to_noise_db() < 20) return;
  out.push_back(
      {"periods-cut", Severity::warning, channel.name,
       fmt::format("the segment holds {:.2f} periods of its strongest line, {}; without a window that "
                   "smears over all bins",
                   spectrum.bins_at(top.frequency_hz), format_quantity(top.frequency_hz, "Hz")),
       "take another window, or a --segment of whole periods"});
}

/// What of the samples' mean square, the mean left out, the windowed spectrum holds.
double kept_share(const Spectrum& s) {
  const auto from = static_cast<std::size_t>(window_half_width_bins(s.window)) + 1;
  double square = 0;
  for (std::size_t k = from; k < s.bins(); ++k) square += s.share(k);
  return square / s.variance;
}

void warn_of_window(const Channel& channel, const Spectrum& spectrum, std::vector<Caution>& out) {
  if (!window_takes_most(spectrum)) return;
  out.push_back({"window-removes", Severity::warning, channel.name,
                 fmt::format("the window takes {:.3g}% of what moves: it lies in a part of the record where "
                             "the window is small; levels are not those of the record",
                             100 * (1 - kept_share(spectrum))),
                 "leave the window out (--window rectangular), or --gate around what is short"});
}

/// How far the lobes of a mean reach into the band.
void warn_of_direct(const Channel& channel, const Spectrum& spectrum, const std::vector<double>& floor,
                    std::vector<Caution>& out) {
  if (!spectrum.mirrored() || spectrum.mean == 0 || window_takes_most(spectrum)) return;
  const WindowTransform lobe(spectrum.window, spectrum.plan.segment);
  const double width = window_half_width_bins(spectrum.window);
  const auto first = static_cast<std::size_t>(width) + 1;
  std::size_t reach = 0;
  for (std::size_t k = first; k < std::min<std::size_t>(spectrum.bins(), 2000); ++k)
    if (2 * std::pow(spectrum.mean * lobe(static_cast<double>(k) + 0.5), 2) > 10 * floor[k]) reach = k;
  if (reach < first + 2) return;
  out.push_back({"dc-leakage", Severity::note, channel.name,
                 fmt::format("the mean, {}, leaks above the noise up to {}",
                             format_quantity(spectrum.mean, channel.unit.label()),
                             format_quantity(spectrum.frequency_hz(reach), "Hz", 3)),
                 "take it off with --chain 'detrend constant'"});
}

/// Lines and noise close to half the rate may have come from above it.
void warn_of_folding(const Channel& channel, const Spectrum& spectrum, const std::vector<Peak>& peaks,
                     const std::vector<double>& floor, std::vector<Caution>& out) {
  if (!spectrum.mirrored() || spectrum.bins() < 200) return;
  const double half = spectrum.plan.rate_hz / 2;
  for (const Peak& p : peaks)
    if (!p.broad() && p.frequency_hz > 0.95 * half) {
      out.push_back(
          {"near-half-rate", Severity::note, channel.name,
           fmt::format("a line at {} lies close below half the rate, {}: it may have been folded there "
                       "from above",
                       format_quantity(p.frequency_hz, "Hz", 6), format_quantity(half, "Hz")),
           "sample faster, or with a filter, and see whether it stays"});
      return;
    }
  // The floor at the very end beside what is usual in the upper half.
  std::vector<double> upper(floor.begin() + static_cast<std::ptrdiff_t>(floor.size() / 2), floor.end());
  const auto middle = upper.begin() + static_cast<std::ptrdiff_t>(upper.size() / 2);
  std::nth_element(upper.begin(), middle, upper.end());
  const double end = floor[floor.size() - floor.size() / 50 - 2];
  if (*middle > 0 && end > 10 * *middle)
    out.push_back(
        {"near-half-rate", Severity::warning, channel.name,
         fmt::format("noise rises by {:.0f} dB towards half the rate, {}: what lies above folds back",
                     10 * std::log10(end / *middle), format_quantity(half, "Hz")),
         "sample faster, or with a filter before sampling"});
}

/// Averages over parts of the record that differ by more than noise does.
void warn_of_change(const Channel& channel, const Spectrum& spectrum, std::vector<Caution>& out) {
  if (spectrum.stretches.size() < 2 || spectrum.bins() < 8) return;
  double all = 0;
  for (std::size_t k = 1; k < spectrum.bins(); ++k) all += spectrum.power[k];
  double worst = 0, worst_low = 0, worst_high = 0;
  std::size_t calm = 0, loud = 0;
  // A dozen bands, each wider than the one before.
  const double ratio = std::pow(static_cast<double>(spectrum.bins()) / 3, 1.0 / 12);
  for (double edge = 3; edge * ratio < static_cast<double>(spectrum.bins()) * 1.001; edge *= ratio) {
    const auto low = static_cast<std::size_t>(edge),
               high = std::min(spectrum.bins(), static_cast<std::size_t>(edge * ratio) + 1);
    std::vector<double> levels;
    for (const auto& stretch : spectrum.stretches) {
      double sum = 0;
      for (std::size_t k = low; k < high; ++k) sum += stretch[k];
      levels.push_back(sum);
    }
    const auto [least, most] = std::minmax_element(levels.begin(), levels.end());
    if (!(*most > 1e-6 * all) || !(*least > 0)) continue;
    // Noise scatters by one over the root of what is averaged: bins worth of resolution, and segments.
    const double worth = std::max(1.0, static_cast<double>(high - low) / spectrum.enbw_bins) *
                         spectrum.noise_averages / static_cast<double>(spectrum.stretches.size());
    const double beyond = std::log(*most / *least) - 5 * std::sqrt(2 / worth) - std::log(1.26);
    if (beyond <= worst) continue;
    worst = beyond;
    worst_low = spectrum.frequency_hz(low), worst_high = spectrum.frequency_hz(high - 1);
    calm = static_cast<std::size_t>(least - levels.begin()),
    loud = static_cast<std::size_t>(most - levels.begin());
  }
  if (worst <= 0) return;
  double low = 0, high = 0;
  for (std::size_t k = 0; k < spectrum.bins(); ++k)
    if (spectrum.frequency_hz(k) >= worst_low && spectrum.frequency_hz(k) <= worst_high)
      low += spectrum.stretches[calm][k], high += spectrum.stretches[loud][k];
  out.push_back(
      {"changes-in-time", Severity::note, channel.name,
       fmt::format("the level between {} and {} changes by {:.1f} dB from one quarter of the record to "
                   "another (lowest in the {}., highest in the {}.); the average is of no single state",
                   format_quantity(worst_low, "Hz", 3), format_quantity(worst_high, "Hz", 3),
                   10 * std::log10(high / low), calm + 1, loud + 1),
       "look at parts of it with --gate or --slide, or at a spectrogram"});
}

void warn_of_scatter(const Channel& channel, const Spectrum& spectrum, Scale scale,
                     std::vector<Caution>& out) {
  if (!scale_entry(scale).density) return;
  if (spectrum.average == Average::median)
    out.push_back({"median-of-noise", Severity::note, channel.name,
                   "the median of noise lies 1.6 dB below its mean; lines keep their level",
                   "add 1.6 dB to densities, or take --average mean"});
  if (spectrum.average == Average::peak_hold || spectrum.average == Average::min_hold ||
      spectrum.noise_averages >= 8)
    return;
  const auto [low, high] = confidence_factors(spectrum.noise_averages, 0.95);
  out.push_back(
      {"few-averages", Severity::warning, channel.name,
       fmt::format("the density is the mean of {:.2g} independent segments: the true one lies within "
                   "{:.1f} and +{:.1f} dB of it in 95% of cases",
                   spectrum.noise_averages, 10 * std::log10(low), 10 * std::log10(high)),
       "take shorter segments (--segment, --resolution), several --tapers, or a longer record"});
}

}  // namespace

std::vector<Caution> spectrum_cautions(const Channel& channel, const Spectrum& spectrum,
                                       const PeakSearch& search, Scale scale) {
  std::vector<Caution> out;
  warn_of_lines(channel, spectrum, search.peaks, out);
  warn_of_cut_periods(channel, spectrum, search.peaks, out);
  warn_of_window(channel, spectrum, out);
  warn_of_direct(channel, spectrum, search.floor, out);
  warn_of_folding(channel, spectrum, search.peaks, search.floor, out);
  warn_of_change(channel, spectrum, out);
  warn_of_scatter(channel, spectrum, scale, out);
  return out;
}

bool window_takes_most(const Spectrum& spectrum) {
  return spectrum.mirrored() && spectrum.plan.averages == 1 && spectrum.tapers == 0 &&
         spectrum.variance > 0 && spectrum.bins() > 16 && spectrum.window.kind != WindowKind::rectangular &&
         kept_share(spectrum) < 0.5;
}

std::string band_text(const Spectrum& s) {
  std::size_t top = 1;
  for (std::size_t k = 1; k < s.bins(); ++k)
    if (s.power[k] > s.power[top]) top = k;
  const auto edges = [&](double ratio) {
    std::size_t low = top, high = top;
    while (low > 0 && s.power[low - 1] >= ratio * s.power[top]) --low;
    while (high + 1 < s.bins() && s.power[high + 1] >= ratio * s.power[top]) ++high;
    return format_quantity(s.frequency_hz(low), "Hz", 4) + " to " +
           format_quantity(s.frequency_hz(high), "Hz", 4);
  };
  return "highest at " + format_quantity(s.frequency_hz(top), "Hz", 4) + ", within 3 dB from " +
         edges(0.501) + ", within 10 dB from " + edges(0.1);
}

}  // namespace vprism
