// distortion.cpp: see distortion.h. The fundamental's frequency is fitted; its harmonics are held at its
// multiples, folded at half the rate where they lie beyond, and fitted together with it. A wave of edges has
// more orders than are asked for, and over a number of periods that is not whole they lean on the others: all
// that stand are fitted, and all tell the fundamental's frequency. What is left is the noise, with all lines
// that are no harmonics and the orders that were not asked for.
#include "identify/tones/distortion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "identify/findings/comb.h"
#include "identify/lines/sine_fit.h"
#include "identify/lines/whole_lines.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

constexpr int highest_product = 5;

double folded_hz(double hz, double rate_hz) { return std::abs(std::remainder(hz, rate_hz)); }

DistortionLine line_at(int order, int second, double f1, double f2, double rate_hz) {
  DistortionLine line;
  line.order = order;
  line.second = second;
  line.true_hz = std::abs(order * f1 + second * f2);
  line.frequency_hz = folded_hz(line.true_hz, rate_hz);
  line.folded = line.true_hz > rate_hz / 2;
  return line;
}

std::vector<DistortionLine> lines_of(const DistortionSettings& settings, double f1, std::optional<double> f2,
                                     double rate_hz, double bin_hz) {
  std::vector<DistortionLine> lines;
  if (!f2) {
    for (int n = 2; n <= static_cast<int>(settings.harmonics); ++n)
      lines.push_back(line_at(n, 0, f1, 0, rate_hz));
  } else {
    for (int order = 2; order <= highest_product; ++order)
      for (int a = 0; a <= order; ++a)
        for (const int b : {order - a, a - order}) {
          if ((b == 0 && a == 0) || (a == 0 && b < 0)) continue;
          const auto same = [&](const DistortionLine& l) { return l.order == a && l.second == b; };
          if (std::none_of(lines.begin(), lines.end(), same))
            lines.push_back(line_at(a, b, f1, *f2, rate_hz));
        }
  }
  // Where two fall together, or on DC or a tone, they can't be told apart.
  for (std::size_t i = 0; i < lines.size(); ++i) {
    DistortionLine& l = lines[i];
    const auto on = [&](double hz) { return std::abs(l.frequency_hz - hz) < 1.5 * bin_hz; };
    l.counted = !(l.frequency_hz < 1.5 * bin_hz || on(rate_hz / 2) || on(f1) || (f2 && on(*f2)));
    for (std::size_t j = 0; j < i && l.counted; ++j)
      if (lines[j].counted && on(lines[j].frequency_hz)) l.counted = false;
    if (settings.span_hz && !settings.span_hz->contains(l.frequency_hz)) l.counted = false;
  }
  return lines;
}

Sine held(double hz) {
  Sine s;
  s.frequency_hz = hz;
  s.fixed = true;
  return s;
}

Sine tone_of(const Peak& peak) {
  Sine s;
  s.frequency_hz = peak.frequency_hz;
  s.amplitude = peak.rms * std::sqrt(2.0);
  s.phase_deg = peak.phase_deg;
  return s;
}

const Sine& nearest(const std::vector<Sine>& sines, double hz) {
  return *std::min_element(sines.begin(), sines.end(), [&](const Sine& a, const Sine& b) {
    return std::abs(a.frequency_hz - hz) < std::abs(b.frequency_hz - hz);
  });
}

/// Orders of a fundamental that stand in a spectrum, and the frequency that they agree on.
struct StandingOrders {
  std::vector<std::size_t> members, orders;  ///< Places in the list of peaks.
  CombRate rate;
  bool holds() const { return members.size() >= 3; }
};

StandingOrders standing_orders(const std::vector<Peak>& peaks, double bin_hz, double samples) {
  StandingOrders out;
  out.rate.rate_hz = peaks.front().frequency_hz;
  // The fits go over all the samples for each of them.
  const auto most = static_cast<std::size_t>(std::clamp(4e8 / samples, 12.0, 200.0));
  const double top = std::max_element(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) {
                       return a.frequency_hz < b.frequency_hz;
                     })->frequency_hz;
  for (std::size_t n = 1; n == 1 || static_cast<double>(n) * out.rate.rate_hz < top + bin_hz; ++n) {
    const double hz = static_cast<double>(n) * out.rate.rate_hz;
    const auto at = std::min_element(peaks.begin(), peaks.end(), [&](const Peak& a, const Peak& b) {
      return std::abs(a.frequency_hz - hz) < std::abs(b.frequency_hz - hz);
    });
    // What lies 80 dB lower leans on nothing.
    if (std::abs(at->frequency_hz - hz) > 0.25 * bin_hz || at->rms < 1e-4 * peaks.front().rms) continue;
    out.members.push_back(static_cast<std::size_t>(at - peaks.begin())), out.orders.push_back(n);
    if (out.holds()) out.rate = comb_rate(peaks, out.members, out.orders);
    if (out.members.size() == most) break;
  }
  return out;
}

/// The fundamental's frequency from those of its orders, each as free as it was fitted.
CombRate rate_of(const std::vector<Sine>& sines, const StandingOrders& standing) {
  double weights = 0, sum = 0;
  for (const std::size_t n : standing.orders) {
    const auto order = static_cast<double>(n);
    const Sine& s = nearest(sines, order * standing.rate.rate_hz);
    if (!(s.frequency_std_hz > 0)) continue;
    const double w = order * order / (s.frequency_std_hz * s.frequency_std_hz);
    weights += w, sum += w * s.frequency_hz / order;
  }
  return weights > 0 ? CombRate{sum / weights, 1 / std::sqrt(weights)} : standing.rate;
}

void fill(DistortionLine& line, const Sine& sine) {
  line.rms = sine.amplitude / std::sqrt(2.0);
  line.rms_std = sine.amplitude_std / std::sqrt(2.0);
  line.phase_deg = sine.phase_deg;
}

}  // namespace

bool Distortion::coherent() const { return std::abs(periods - std::round(periods)) < 1e-3; }
double Distortion::tone_rms() const { return std::hypot(fundamental.rms, second ? second->rms : 0); }
double Distortion::thd_db() const { return 20 * std::log10(std::max(thd, 1e-20)); }
double Distortion::thd_n() const { return std::hypot(distortion_rms, noise_rms) / tone_rms(); }
double Distortion::snr_db() const { return -20 * std::log10(std::max(noise_rms / tone_rms(), 1e-20)); }
double Distortion::sinad_db() const { return -20 * std::log10(std::max(thd_n(), 1e-20)); }
double Distortion::sfdr_db() const { return -20 * std::log10(largest_spur_rms / fundamental.rms); }
bool Distortion::any_counted() const {
  return std::any_of(harmonics.begin(), harmonics.end(), [](const DistortionLine& l) { return l.counted; });
}
double Distortion::enob() const { return (sinad_db() - full_scale_db - 1.7609) / 6.0206; }

Distortion measure_distortion(std::span<const double> x, double rate_hz, const DistortionSettings& settings) {
  const auto count = static_cast<double>(x.size());
  const double bin = rate_hz / count;
  if (x.size() < 32) throw Error(Status::analysis, "a record of fewer than 32 samples shows no distortion");
  const Spectrum whole = whole_spectrum(x, rate_hz);
  PeakSettings strongest;
  strongest.most = 256;
  PeakSearch search = find_peaks(whole, strongest);
  std::vector<Peak>& peaks = search.peaks;
  if (settings.fundamental_hz)
    std::stable_sort(peaks.begin(), peaks.end(), [&](const Peak& a, const Peak& b) {
      const auto far = [&](const Peak& p) {
        return std::abs(p.frequency_hz - *settings.fundamental_hz) >
               std::max(4 * bin, 0.05 * *settings.fundamental_hz);
      };
      return !far(a) && far(b);
    });
  if (peaks.empty() || (settings.two_tone && peaks.size() < 2))
    throw Error(Status::analysis, settings.two_tone
                                      ? "there are no two lines above the noise to measure products of"
                                      : "no line stands above the noise; there is nothing to measure");
  if (settings.fundamental_hz && std::abs(peaks[0].frequency_hz - *settings.fundamental_hz) >
                                     std::max(4 * bin, 0.05 * *settings.fundamental_hz))
    throw Error(Status::analysis,
                fmt::format("no line within 5% of the fundamental named, {}; the strongest is at {}",
                            format_quantity(*settings.fundamental_hz, "Hz"),
                            format_quantity(peaks[0].frequency_hz, "Hz")));

  Distortion d;
  std::vector<Sine> tones;
  for (std::size_t i = 0; i < (settings.two_tone ? 2u : 1u); ++i) {
    tones.push_back(tone_of(peaks[i]));
  }
  if (settings.two_tone && tones[0].frequency_hz > tones[1].frequency_hz) std::swap(tones[0], tones[1]);
  d.periods = count * tones[0].frequency_hz / rate_hz;
  if (d.periods < 3)
    throw Error(Status::analysis,
                fmt::format("the record holds {:.2g} periods of {}; three are needed: record at least {}",
                            d.periods, format_quantity(tones[0].frequency_hz, "Hz"),
                            format_quantity(3 / tones[0].frequency_hz, "s")));
  d.spectrum_rms = peaks[0].rms, d.spectrum_rms_std = peaks[0].rms_std;

  StandingOrders standing;
  if (!settings.two_tone) standing = standing_orders(peaks, bin, count);
  if (standing.holds()) {
    tones.clear();
    for (std::size_t i = 0; i < standing.orders.size(); ++i) {
      const Peak& peak = peaks[standing.members[i]];
      tones.push_back(tone_of(peak));
      tones.back().frequency_hz = static_cast<double>(standing.orders[i]) * standing.rate.rate_hz;
    }
  }
  SineFit fit = fit_sines(x, rate_hz, tones);
  const SineFit alone = settings.two_tone || standing.holds() ? fit_sines(x, rate_hz, {tones[0]}) : fit;
  d.sine_fit_rms = alone.sines[0].amplitude / std::sqrt(2.0);
  d.sine_fit_sinad_db = 20 * std::log10(d.sine_fit_rms / std::max(alone.residual_rms, 1e-300));
  std::vector<DistortionLine> lines;
  std::optional<double> f2;
  std::vector<double> others;  ///< Orders that were not asked for.
  for (int round = 0; round < 3; ++round) {
    if (standing.holds()) standing.rate = rate_of(fit.sines, standing);
    const double f1 =
        standing.holds() ? standing.rate.rate_hz : nearest(fit.sines, tones[0].frequency_hz).frequency_hz;
    if (settings.two_tone) f2 = nearest(fit.sines, tones[1].frequency_hz).frequency_hz;
    lines = lines_of(settings, f1, f2, rate_hz, bin);
    std::vector<Sine> all = {nearest(fit.sines, f1)};
    all[0].frequency_hz = f1, all[0].fixed = standing.holds() && round == 2;
    if (f2) all.push_back(nearest(fit.sines, *f2));
    for (const DistortionLine& l : lines) {
      if (!l.counted) continue;
      Sine s = nearest(fit.sines, l.frequency_hz);
      if (std::abs(s.frequency_hz - l.frequency_hz) > bin || !s.fixed) s = held(l.frequency_hz);
      s.frequency_hz = l.frequency_hz;
      all.push_back(s);
    }
    others.clear();
    if (standing.holds())
      for (const std::size_t n : standing.orders) {
        const double hz = static_cast<double>(n) * f1;
        const auto there = std::find_if(
            all.begin(), all.end(), [&](const Sine& s) { return std::abs(s.frequency_hz - hz) < 0.5 * bin; });
        Sine s = there == all.end() ? nearest(fit.sines, hz) : *there;
        s.frequency_hz = hz, s.fixed = round == 2;
        if (there == all.end())
          all.push_back(s), others.push_back(hz);
        else
          *there = s;
      }
    fit = fit_sines(x, rate_hz, std::move(all));
  }
  const Sine first = nearest(fit.sines, tones[0].frequency_hz);
  d.mean = fit.mean;
  d.fundamental = line_at(1, 0, first.frequency_hz, 0, rate_hz);
  d.fundamental_std_hz = standing.holds() ? standing.rate.std_hz : first.frequency_std_hz;
  d.periods = count * first.frequency_hz / rate_hz;
  fill(d.fundamental, first);
  if (f2) {
    const Sine other = nearest(fit.sines, tones[1].frequency_hz);
    d.second = line_at(0, 1, 0, other.frequency_hz, rate_hz);
    fill(*d.second, other);
  }
  // What is left, as a spectrum of its own: its floor is the noise that a line stands in.
  const Spectrum rest = whole_spectrum(fit.residual, rate_hz);
  PeakSettings few;
  few.most = 8;
  const PeakSearch spurs = find_peaks(rest, few);
  const auto noise_at = [&](double hz) {
    const auto k = std::min(spurs.floor.size() - 1, static_cast<std::size_t>(std::lround(rest.bins_at(hz))));
    return std::sqrt(spurs.floor[k] / rest.plan.rbw_hz * bin / 2);
  };
  double square = 0, variance = 0;
  for (DistortionLine& l : lines) {
    if (!l.counted) continue;
    const Sine& s = nearest(fit.sines, l.frequency_hz);
    fill(l, s);
    l.rms_std = noise_at(l.frequency_hz);
    l.phase_to_first_deg = std::remainder(
        l.phase_deg - l.order * d.fundamental.phase_deg - l.second * (d.second ? d.second->phase_deg : 0),
        360.0);
    // Noise adds its own square to that of every line.
    const double noise = 2 * l.rms_std * l.rms_std, own = l.rms * l.rms - noise;
    square += own;
    variance += 2 * noise * std::max(0.0, own) + noise * noise;
    if (l.rms > d.largest_spur_rms) d.largest_spur_rms = l.rms, d.largest_spur_hz = l.frequency_hz;
  }
  d.harmonics = std::move(lines);
  const double spread = std::sqrt(variance), tone = d.tone_rms();
  d.distortion_rms = std::sqrt(std::max(0.0, square));
  d.thd = d.distortion_rms / tone;
  if (square > 2 * spread) d.thd_std = std::max(spread / (2 * square) * d.thd, 1e-300);
  d.thd_upper = std::sqrt(std::max(0.0, square) + 1.645 * spread) / tone;

  // Spurious lines, and the part of the noise within the span.
  for (const Peak& p : spurs.peaks) {
    if (settings.span_hz && !settings.span_hz->contains(p.frequency_hz)) continue;
    // What is left of a fitted line is no line.
    if (p.rms < 1e-11 * d.fundamental.rms) continue;
    if (p.rms > d.largest_spur_rms) d.largest_spur_rms = p.rms, d.largest_spur_hz = p.frequency_hz;
  }
  std::vector<double> floor(spurs.floor.begin() + 1, spurs.floor.end());
  std::nth_element(floor.begin(), floor.begin() + static_cast<std::ptrdiff_t>(floor.size() / 2), floor.end());
  d.noise_density = std::sqrt(floor[floor.size() / 2] / rest.plan.rbw_hz);
  d.noise_rms = fit.residual_rms;
  if (settings.span_hz) {
    const auto [low, high] = rest.bins_within(settings.span_hz->low, settings.span_hz->high);
    double sum = 0;
    for (std::size_t k = low; k < high; ++k) sum += rest.share(k);
    d.noise_rms = std::sqrt(sum);
  }
  for (const double hz : others) {
    if (settings.span_hz && !settings.span_hz->contains(hz)) continue;
    const double rms = nearest(fit.sines, hz).amplitude / std::sqrt(2.0);
    d.noise_rms = std::hypot(d.noise_rms, rms);
    if (rms > d.largest_spur_rms) d.largest_spur_rms = rms, d.largest_spur_hz = hz;
  }
  if (settings.full_scale)
    d.full_scale_db = 20 * std::log10(d.fundamental.rms * std::sqrt(2.0) / *settings.full_scale);
  return d;
}

}  // namespace vprism
