// names.cpp: what one channel's spectrum shows by itself, put into findings.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/identify/identify.h"
#include "identify/findings/comb.h"
#include "identify/modes/resonance_fit.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

namespace {

/// A resonance in a channel, and the peaks that are its noise.
struct Hump {
  ResonanceFit fit;
  std::size_t lead = 0;
  std::vector<std::size_t> members;
};

/// Bins under lines, those left out that `own` says are noise.
std::vector<bool> bins_of_lines(const ChannelSpectrum& c, const std::vector<bool>& own) {
  std::vector<bool> masked(c.spectrum.bins(), false);
  const double half = window_half_width_bins(c.spectrum.window) + 1;
  for (std::size_t i = 0; i < c.peaks.size(); ++i) {
    if (c.peaks[i].broad() || own[i]) continue;
    const double at = c.spectrum.bins_at(c.peaks[i].frequency_hz);
    for (auto k = static_cast<long>(std::ceil(at - half)); k <= static_cast<long>(at + half); ++k)
      if (k >= 0 && k < static_cast<long>(masked.size())) masked[static_cast<std::size_t>(k)] = true;
  }
  return masked;
}

/// Whether narrow lines lie on one even grid: what repeats makes those, and no noise.
bool lie_on_a_grid(std::vector<const Peak*> crowd) {
  if (crowd.size() < 4) return false;
  std::sort(crowd.begin(), crowd.end(),
            [](const Peak* a, const Peak* b) { return a->frequency_hz < b->frequency_hz; });
  double step = 1e300;
  for (std::size_t i = 1; i < crowd.size(); ++i)
    step = std::min(step, crowd[i]->frequency_hz - crowd[i - 1]->frequency_hz);
  // The least one is as uncertain as its two lines; the whole way makes it better.
  const double whole = crowd.back()->frequency_hz - crowd.front()->frequency_hz;
  step = whole / std::round(whole / step);
  for (std::size_t i = 1; i < crowd.size(); ++i) {
    const double off = crowd[i]->frequency_hz - crowd.front()->frequency_hz;
    const double slack = 4 * std::hypot(crowd[i]->frequency_std_hz, crowd.front()->frequency_std_hz,
                                        crowd.back()->frequency_std_hz);
    if (slack > 0.1 * step || std::abs(off - std::round(off / step) * step) > slack) return false;
  }
  return true;
}

/// Resonances where a peak is too wide for a tone, or peaks crowd. Lines within one that its own noise would
/// make become part of it.
std::vector<Hump> find_humps(const ChannelSpectrum& c, double false_alarms) {
  const Spectrum& s = c.spectrum;
  std::vector<Hump> humps;
  std::vector<bool> own(c.peaks.size(), false);
  for (std::size_t i = 0; i < c.peaks.size(); ++i) {
    const Peak& lead = c.peaks[i];
    if (own[i] || lead.of_band) continue;
    const double near = 24 * s.plan.rbw_hz;
    std::vector<const Peak*> crowd;
    for (const Peak& p : c.peaks)
      if (!p.of_band && std::abs(p.frequency_hz - lead.frequency_hz) < near && p.rms > 0.1 * lead.rms)
        crowd.push_back(&p);
    if (!lead.broad() && (lead.of_comb || crowd.size() < 3 || lie_on_a_grid(crowd))) continue;
    Hump hump;
    bool found = false;
    // What is its noise is not left out when the fit is made again.
    for (int round = 0; round < 3; ++round) {
      const double reach = std::min(std::max(near, 0.08 * lead.frequency_hz), 400 * s.plan.rbw_hz);
      const auto fit =
          fit_resonance(s, lead.frequency_hz - reach, lead.frequency_hz + reach, bins_of_lines(c, own));
      if (!fit || std::abs(fit->frequency_hz - lead.frequency_hz) > 4 * fit->width_hz() + 2 * s.plan.rbw_hz)
        break;
      hump.fit = *fit;
      const double bins = 6 * fit->width_hz() / s.plan.bin_hz + 10;
      const double threshold = noise_quantile_above(s.noise_averages, 0.1 * false_alarms / bins);
      const std::vector<std::size_t> before = hump.members;
      hump.members.clear();
      for (std::size_t m = 0; m < c.peaks.size(); ++m) {
        const Peak& p = c.peaks[m];
        const bool before_me = std::find(before.begin(), before.end(), m) != before.end();
        if ((own[m] && !before_me) || p.of_band) continue;
        own[m] = std::abs(p.frequency_hz - fit->frequency_hz) < 6 * fit->width_hz() &&
                 (p.broad() || p.rms * p.rms < threshold * fit->power_at(p.frequency_hz));
        if (own[m]) hump.members.push_back(m);
      }
      found = !hump.members.empty();
      if (hump.members == before) break;
    }
    if (!found) continue;
    hump.lead = hump.members.front();
    hump.fit.rms = rms_in_record(s, hump.fit, bins_of_lines(c, own));
    humps.push_back(std::move(hump));
  }
  return humps;
}

Finding report_hump(const ChannelSpectrum& c, const Hump& hump) {
  const ResonanceFit& fit = hump.fit;
  Finding f;
  f.kind = "resonance";
  f.channel = c.channel.name;
  f.unit = c.channel.unit.label();
  f.members = hump.members;
  f.frequency_hz = fit.frequency_hz;
  f.frequency_std_hz = fit.frequency_std_hz;
  f.level_rms = fit.rms;
  f.text = fmt::format("a resonance at {}, damping {}, {} RMS, driven by noise",
                       format_uncertain(fit.frequency_hz, fit.frequency_std_hz, "Hz"),
                       format_uncertain(100 * fit.damping, 100 * fit.damping_std, "%"),
                       format_quantity(fit.rms, f.unit, 4));
  if (!hump.members.empty())
    f.evidence.push_back(fmt::format("a steady sine explains {:.0f}% of the power around its highest point",
                                     100 * c.peaks[hump.lead].concentration));
  f.evidence.push_back(fmt::format("for a resonance: half-power width {}, {:.1f} times the RBW of {}",
                                   format_quantity(fit.width_hz(), "Hz", 3),
                                   fit.width_hz() / c.spectrum.plan.rbw_hz,
                                   format_quantity(c.spectrum.plan.rbw_hz, "Hz", 3)));
  f.evidence.push_back(
      fmt::format("the shape of one degree of freedom fits: log-likelihood {:.0f} above noise of one level",
                  fit.gain / 2));
  if (hump.members.size() > 1)
    f.evidence.push_back(
        fmt::format("{} peaks in it are no higher than its own noise makes", hump.members.size()));
  f.numbers = {
      {"damping_ratio", fit.damping}, {"damping_std", fit.damping_std}, {"width_hz", fit.width_hz()}};
  return f;
}

double number_of(const Finding& f, std::string_view key, double otherwise) {
  for (const auto& [name, value] : f.numbers)
    if (name == key) return value;
  return otherwise;
}

/// Noise that was found in pieces, its edges for the most part, and is one band: the pieces go, and the band
/// has their edges and all that stands above the law between these. Nothing where there are none.
std::optional<NoiseBand> joined_band(const ChannelSpectrum& c, const NoiseShape& noise, const NoiseBand& band,
                                     const std::vector<bool>& lines, std::vector<Finding>& findings) {
  const double slack = 0.1 * (band.high_hz - band.low_hz);
  const auto is_piece = [&](const Finding& f) {
    const double low = number_of(f, "low_hz", 0), high = number_of(f, "high_hz", 0);
    return f.kind == "broadband" && high > low && low > band.low_hz - slack && high < band.high_hz + slack;
  };
  NoiseBand out = band;
  double low = band.high_hz, high = band.low_hz;
  std::size_t pieces = 0;
  for (const Finding& f : findings)
    if (is_piece(f)) {
      low = std::min(low, number_of(f, "low_hz", low)), high = std::max(high, number_of(f, "high_hz", high));
      ++pieces;
    }
  if (pieces == 0) return {};
  std::erase_if(findings, is_piece);
  // The floor rounds edges off; what was found at them is nearer.
  if (std::abs(low - band.low_hz) < 3 * slack) out.low_hz = low;
  if (std::abs(high - band.high_hz) < 3 * slack) out.high_hz = high;
  const auto [from, to] = c.spectrum.bins_within(out.low_hz, out.high_hz);
  double square = 0, bins = 0;
  for (std::size_t k = from; k < to; ++k) {
    if (lines[k]) continue;
    bins += 1;
    square += std::max(0.0, c.spectrum.power[k] / c.spectrum.enbw_bins -
                                noise.density(c.spectrum.frequency_hz(k)) * c.spectrum.plan.bin_hz);
  }
  // Bins of lines have as much of it as the others.
  if (bins > 0) square *= static_cast<double>(to - from) / bins;
  out.rms = std::sqrt(square);
  return out;
}

void name_bands(const ChannelSpectrum& c, const NoiseShape& noise, std::vector<Finding>& findings) {
  const double total = c.spectrum.rms_total();
  const std::vector<bool> lines = bins_of_lines(c, std::vector<bool>(c.peaks.size(), false));
  for (NoiseBand band : noise.bands) {
    if (const auto whole = joined_band(c, noise, band, lines, findings)) band = *whole;
    const bool listed = std::any_of(findings.begin(), findings.end(), [&](const Finding& f) {
      for (const auto& [key, value] : f.numbers)
        if (key == "ringing_hz" && value >= band.low_hz && value <= band.high_hz) return true;
      return (f.kind == "resonance" || f.kind == "broadband" || f.kind == "decaying" ||
              f.kind == "wandering" || f.kind == "stepping" || f.kind == "burst" || f.kind == "unresolved") &&
             f.frequency_hz >= band.low_hz && f.frequency_hz <= band.high_hz;
    });
    // What rounding leaves is no noise of anything.
    if (listed || band.rms < 1e-4 * total) continue;
    const double wide = band.high_hz - band.low_hz;
    const auto fit = c.spectrum.two_sided ? std::nullopt
                                          : fit_resonance(c.spectrum, std::max(0.0, band.low_hz - wide),
                                                          band.high_hz + wide, lines);
    if (fit && fit->gain > 60 && fit->damping < 0.2 && fit->width_hz() < wide &&
        fit->frequency_hz > band.low_hz && fit->frequency_hz < band.high_hz &&
        fit->damping > 4 * fit->damping_std) {
      Hump hump;
      hump.fit = *fit;
      hump.fit.rms = rms_in_record(c.spectrum, *fit, lines);
      findings.push_back(report_hump(c, hump));
      continue;
    }
    Finding f;
    f.kind = "broadband";
    f.channel = c.channel.name;
    f.unit = c.channel.unit.label();
    f.frequency_hz = std::sqrt(std::max(1e-300, band.low_hz) * band.high_hz);
    f.frequency_std_hz = (band.high_hz - band.low_hz) / std::sqrt(12.0);
    f.level_rms = band.rms;
    f.text = fmt::format("noise from {} to {}, {} RMS, up to {:.1f} dB above the noise around it",
                         format_quantity(band.low_hz, "Hz", 4), format_quantity(band.high_hz, "Hz", 4),
                         format_quantity(band.rms, f.unit, 4), band.above_db);
    f.evidence.push_back(fmt::format("{:.3g}% of the channel's power; highest near {}",
                                     100 * std::pow(band.rms / total, 2),
                                     format_quantity(band.peak_hz, "Hz", 4)));
    f.numbers = {{"low_hz", band.low_hz}, {"high_hz", band.high_hz}};
    findings.push_back(std::move(f));
  }
}

}  // namespace

std::vector<Finding> name_channel(const Recording& r, const ChannelSpectrum& c, const NoiseShape& noise,
                                  const IdentifySettings& settings, const std::vector<JudgedBand>& bands) {
  const std::vector<Hump> humps = find_humps(c, settings.false_alarms);
  std::vector<bool> taken(c.peaks.size(), false);
  for (const Hump& hump : humps)
    for (const std::size_t m : hump.members) taken[m] = true;
  std::vector<Peak> rest;
  std::vector<std::size_t> place;
  for (std::size_t i = 0; i < c.peaks.size(); ++i)
    if (!taken[i] && !c.peaks[i].of_band) rest.push_back(c.peaks[i]), place.push_back(i);
  std::vector<Finding> findings = name_peaks(c.channel, rest, c.spectrum.plan);
  relate_lines(rest, c.spectrum.plan, findings);
  for (Finding& f : findings)
    for (std::size_t& m : f.members) m = place[m];
  for (const Hump& hump : humps) findings.push_back(report_hump(c, hump));
  for (const JudgedBand& band : bands) findings.push_back(report_band(r, c, band));
  name_bands(c, noise, findings);
  for (const JudgedBand& band : bands)
    if (band.verdict.kind == BandVerdict::Kind::sweep)
      std::erase_if(findings, [&](const Finding& f) {
        const double slack = 0.1 * (band.high_hz - band.low_hz);
        return (f.kind == "broadband" || f.kind == "resonance") && f.frequency_hz > band.low_hz - slack &&
               f.frequency_hz < band.high_hz + slack;
      });
  take_into_families(c.peaks, c.spectrum.plan, findings);
  for (Finding& f : findings) f.recording = r.file;
  std::erase_if(findings, [&](const Finding& f) {
    if (settings.min_level && f.level_rms < *settings.min_level) return true;
    for (const auto& [key, value] : f.numbers)
      if (key == "width_hz" && settings.max_width_hz && value > *settings.max_width_hz) return true;
    return false;
  });
  return findings;
}

}  // namespace vprism
