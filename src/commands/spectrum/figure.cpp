// figure.cpp: spectra as figures.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "commands/spectrum/spectrum.h"
#include "transform/spectra/confidence.h"

namespace vprism {

namespace {

std::string capital_first(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text;
}

double lowest_line_hz(const SpectrumResult& result) {
  double lowest = 1e300;
  for (const ChannelSpectrum& c : result.channels)
    for (const Peak& p : c.peaks) lowest = std::min(lowest, p.frequency_hz);
  return lowest;
}

std::pair<std::size_t, std::size_t> bins_drawn(const ChannelSpectrum& c, const Spectrum& s) {
  return s.bins_within(c.span ? c.span->low : std::nullopt, c.span ? c.span->high : std::nullopt);
}

FigureAxis level_axis(const Channel& channel, const AnalysisSettings& settings) {
  const Shown shown{settings};
  const ScaleEntry& scale = scale_entry(settings.scale);
  FigureAxis axis{
      scale.density ? "Density" : capital_first(channel.quantity.empty() ? "level" : channel.quantity),
      shown.unit(channel.unit),
      settings.level_logarithmic.value_or(!settings.decibel_reference),
      {},
      {}};
  if (settings.decibel_reference) axis.logarithmic = false;
  if (axis.unit == "1") axis.unit.clear();
  if (settings.scale == Scale::esd) axis.quantity = "Energy density";
  if (settings.scale == Scale::asd) axis.quantity = "Amplitude density";
  if (scale.amplitude && !scale.density)
    axis.quantity += settings.scale == Scale::rms    ? ", RMS"
                     : settings.scale == Scale::peak ? ", peak"
                                                     : ", peak to peak";
  return axis;
}

Curve level_curve(const ChannelSpectrum& c, const Spectrum& s, const AnalysisSettings& settings,
                  bool logarithmic_x) {
  const Shown shown{settings};
  const auto [low, high] = bins_drawn(c, s);
  Curve curve;
  for (std::size_t k = low; k < high; ++k) {
    curve.x.push_back(s.frequency_hz(k));
    curve.y.push_back(shown.value(s.level(k, settings.scale)));
  }
  return thinned(std::move(curve), 4000, logarithmic_x);
}

/// Between which the true level lies with the stated confidence.
Curve bounds_curve(const ChannelSpectrum& c, const Spectrum& s, const AnalysisSettings& settings) {
  const Shown shown{settings};
  const auto [less, more] = confidence_factors(s.noise_averages, *settings.confidence);
  const auto [low, high] = bins_drawn(c, s);
  const std::size_t step = std::max<std::size_t>(1, (high - low) / 4000);
  Curve curve;
  curve.name = format_number(100 * *settings.confidence) + "% bounds";
  curve.colour = neutral_colour;
  curve.shade = true;
  for (std::size_t k = low; k < high; k += step) {
    const double level = s.level(k, settings.scale);
    curve.x.push_back(s.frequency_hz(k));
    curve.y.push_back(shown.value(level * (shown.amplitude() ? std::sqrt(less) : less)));
    curve.high.push_back(shown.value(level * (shown.amplitude() ? std::sqrt(more) : more)));
  }
  return curve;
}

/// Phase of each bin that stands out of the noise or is within 30 dB of the highest shown.
Panel phase_panel(const ChannelSpectrum& c, const Panel& amplitude, const AnalysisSettings& settings,
                  double start_s, const std::string& reference) {
  Panel panel;
  panel.title = c.channel.name + (c.phase_deg.empty() ? ": phase" : ": phase to " + reference);
  panel.x = amplitude.x;
  panel.y = {"Phase", "deg", false, -180, 180};
  Curve curve;
  const auto [low, high] = bins_drawn(c, c.spectrum);
  double before = std::nan(""), most = 0;
  for (std::size_t k = low; k < high; ++k) most = std::max(most, c.spectrum.power[k]);
  for (std::size_t k = low; k < high; ++k) {
    const double hz = c.spectrum.frequency_hz(k);
    const bool clear = c.coherence.empty() ? c.spectrum.power[k] > std::min(10 * c.floor[k], 1e-3 * most)
                                           : c.coherence[k] > 0.7 && c.spectrum.power[k] > 4 * c.floor[k];
    const double phase = clear ? phase_shown(c, k, settings, start_s) : std::nan("");
    // A turn past 180 degrees is no line across the panel.
    if (std::abs(phase - before) > 180) {
      curve.x.push_back(hz);
      curve.y.push_back(std::nan(""));
    }
    curve.x.push_back(hz);
    curve.y.push_back(phase);
    before = phase;
  }
  panel.curves.push_back(std::move(curve));
  return panel;
}

/// Levels of bands as bars.
Panel band_panel(const ChannelSpectrum& c, const AnalysisSettings& settings) {
  Panel panel;
  panel.title = c.channel.name + ": RMS in bands";
  AnalysisSettings plain = settings;
  plain.scale = Scale::rms;
  panel.x = {"Frequency", "Hz", true, c.bands.front().edges.low_hz, c.bands.back().edges.high_hz};
  panel.y = level_axis(c.channel, plain);
  Curve bars;
  double most = 0, least = 1e300;
  for (const BandLevel& band : c.bands) {
    const double rms = std::sqrt(band.mean_square);
    most = std::max(most, rms);
    if (rms > 0) least = std::min(least, rms);
    panel.x.low = std::min(*panel.x.low, band.edges.low_hz);
    panel.x.high = std::max(*panel.x.high, band.edges.high_hz);
    bars.x.push_back(band.edges.low_hz);
    bars.right.push_back(band.edges.high_hz);
    bars.y.push_back(settings.decibel_reference ? decibels(rms, true, *settings.decibel_reference) : rms);
  }
  if (!(*panel.x.low > 0)) panel.x.logarithmic = false;
  if (most > 0) {
    const double bottom = std::max(least / 3, most * 1e-6);
    panel.y.low = settings.decibel_reference ? decibels(bottom, true, *settings.decibel_reference) : bottom;
  }
  panel.curves.push_back(std::move(bars));
  return panel;
}

/// The peaks in numbers, as the marks have them.
std::vector<std::string> listing_of(const ChannelSpectrum& c, const AnalysisSettings& settings) {
  const Shown shown{settings};
  std::vector<std::string> out;
  if (c.peaks.empty()) return out;
  out.push_back(fmt::format("{:>2} {:>12} {:>9}", "#", "Hz", "level"));
  for (std::size_t i = 0; i < std::min<std::size_t>(c.peaks.size(), 16); ++i) {
    const double level = c.peak_level(c.peaks[i], settings.scale);
    // As many digits as the uncertainty leaves.
    const double unsure = std::max(c.peaks[i].frequency_std_hz, 1e-9 * std::abs(c.peaks[i].frequency_hz));
    const int decimals = std::clamp(static_cast<int>(std::ceil(-std::log10(std::max(unsure, 1e-12)))), 0, 6);
    out.push_back(fmt::format("{:>2} {:>12.{}f} {:>9}", i + 1, c.peaks[i].frequency_hz, decimals,
                              settings.decibel_reference ? fmt::format("{:.1f}", shown.value(level))
                                                         : fmt::format("{:.3g}", level)));
  }
  return out;
}

/// Where the level axis ends: a little below the lowest of the noise floor; single deep bins are cut off.
void set_bottom(const ChannelSpectrum& c, const AnalysisSettings& settings, Panel& panel) {
  const Shown shown{settings};
  const Spectrum& s = c.spectrum;
  const auto [low, high] = bins_drawn(c, s);
  double least = 1e300, most = 0;
  for (std::size_t k = low; k < high; ++k) {
    const double floor =
        level_of(c.floor[k], settings.scale, scale_entry(settings.scale).amplitude ? s.crest(k) : 1,
                 s.plan.rbw_hz, s.plan.segment_s());
    if (floor > 0) least = std::min(least, floor);
    most = std::max(most, s.level(k, settings.scale));
  }
  const bool amplitude = shown.amplitude();
  const double bottom = std::max(least * (amplitude ? 0.1 : 0.01), most * (amplitude ? 1e-9 : 1e-18));
  if (!(most > 0 && bottom < most)) return;
  const double value = shown.value(bottom);
  if (panel.y.logarithmic || settings.decibel_reference)
    panel.y.low = panel.y.low ? std::min(*panel.y.low, value) : value;
}

}  // namespace

Panel level_panel(const SpectrumResult& result, std::size_t channel, const AnalysisSettings& settings) {
  const Shown shown{settings};
  const ChannelSpectrum& c = result.channels[channel];
  const Spectrum& s = c.curve();
  const auto [low, high] = bins_drawn(c, s);
  Panel panel;
  panel.title = c.channel.name;
  // Lines in the lowest fiftieth of the range would stick to the edge of a linear axis.
  const double top = s.frequency_hz(high > low ? high - 1 : low), lowest_line = lowest_line_hz(result);
  const bool can = s.frequency_hz(low) >= 0 && top > 0;
  const bool spread =
      can && settings.frequency_logarithmic.value_or(!c.span && s.mirrored() && lowest_line < 0.02 * top);
  const double first = s.frequency_hz(low);
  panel.x = {"Frequency", "Hz", spread,
             !spread     ? first
             : first > 0 ? first
                         : std::min(lowest_line / 2, s.frequency_hz(low + 1)),
             top};
  panel.y = level_axis(c.channel, settings);
  if (settings.confidence) panel.curves.push_back(bounds_curve(c, s, settings));
  panel.curves.push_back(level_curve(c, s, settings, spread));
  const auto named = [](const Spectrum& one) {
    return one.window.name() + ", RBW " + format_quantity(one.plan.rbw_hz, "Hz", 3);
  };
  if (!c.compared.empty())
    panel.curves.back().name = named(s);
  else if (settings.confidence)
    panel.curves.back().name = s.tapers > 0 ? "multitaper" : "estimate";
  int colour = 0;
  for (const Spectrum& other : c.compared) {
    panel.curves.push_back(level_curve(c, other, settings, spread));
    panel.curves.back().name = named(other);
    panel.curves.back().colour = ++colour;
  }
  set_bottom(c, settings, panel);
  for (std::size_t i = 0; i < c.peaks.size(); ++i)
    panel.marks.push_back({c.peaks[i].frequency_hz, shown.value(c.peak_level(c.peaks[i], settings.scale)),
                           std::to_string(i + 1)});
  return panel;
}

Figure spectrum_figure(const SpectrumResult& result, const AnalysisSettings& settings) {
  const Recording& r = result.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": spectrum";
  const ScaleEntry& scale = scale_entry(settings.scale);
  figure.caption = plan_text(result.channels.front().curve(), settings.spectrum.overlap) +
                   "; level: " + scale.name + " (" + scale.what + ")";
  if (settings.by_stamps)
    figure.caption = "sines fitted at the stamps, " + result.channels.front().spectrum.window.name() +
                     ", step " + format_quantity(result.channels.front().spectrum.plan.bin_hz, "Hz") +
                     "; level: " + scale.name;
  const std::size_t reference = settings.phase_reference.empty()
                                    ? r.channels.size()
                                    : select_channels(r, {settings.phase_reference}).front();
  for (std::size_t i = 0; i < result.channels.size(); ++i) {
    const ChannelSpectrum& c = result.channels[i];
    figure.panels.push_back(level_panel(result, i, settings));
    if (result.channels.size() <= 3 && !settings.shows_phase())
      figure.panels.back().listing = listing_of(c, settings);
    if (settings.shows_phase() && i != reference && (!c.phase_deg.empty() || !c.spectrum.first.empty()))
      figure.panels.push_back(phase_panel(c, figure.panels.back(), settings, r.axis.start,
                                          reference < r.channels.size() ? r.channels[reference].name : ""));
    if (!c.bands.empty()) figure.panels.push_back(band_panel(c, settings));
  }
  return figure;
}

Figure overlaid_figure(const std::vector<SpectrumResult>& results, const std::vector<StoredSpectrum>& stored,
                       const AnalysisSettings& settings) {
  Figure figure;
  const std::size_t files = results.size() + (stored.empty() ? 0 : 1);
  figure.title = files == 1
                     ? results.front().facts.recording.stem() + ": spectra"
                     : std::to_string(results.size()) + (results.size() == 1 ? " recording" : " recordings") +
                           (stored.empty() ? "" : " and spectra from files") + ": spectra";
  figure.caption = plan_text(results.front().channels.front().curve(), settings.spectrum.overlap) +
                   "; level: " + scale_entry(settings.scale).name;
  constexpr std::size_t most_curves = 16;
  std::size_t left_out = 0;
  const auto put = [&](Panel one, Curve curve) {
    const auto found = std::find_if(figure.panels.begin(), figure.panels.end(), [&](const Panel& p) {
      return p.y.unit == one.y.unit && p.curves.size() <= most_curves;
    });
    if (found == figure.panels.end()) {
      one.title = one.y.quantity;
      curve.colour = 0;
      one.curves = {std::move(curve)};
      figure.panels.push_back(std::move(one));
      return;
    }
    if (found->curves.size() == most_curves) {
      ++left_out;
      return;
    }
    curve.colour = static_cast<int>(found->curves.size());
    found->x.low = std::min(*found->x.low, *one.x.low);
    found->x.high = std::max(*found->x.high, *one.x.high);
    if (found->y.low && one.y.low) found->y.low = std::min(*found->y.low, *one.y.low);
    found->curves.push_back(std::move(curve));
  };
  for (const SpectrumResult& result : results)
    for (std::size_t i = 0; i < result.channels.size(); ++i) {
      Panel one = level_panel(result, i, settings);
      one.marks.clear();
      Curve curve = one.curves[settings.confidence ? 1 : 0];
      curve.name = (files > 1 ? result.facts.recording.stem() + ": " : "") + result.channels[i].channel.name;
      put(std::move(one), std::move(curve));
    }
  for (const StoredSpectrum& s : stored) {
    if (s.hz.empty()) continue;
    Panel one;
    one.x = figure.panels.front().x;
    one.x.low = s.hz[one.x.logarithmic && s.hz[0] <= 0 && s.hz.size() > 1 ? 1 : 0];
    one.x.high = s.hz.back();
    one.y = {capital_first(s.channel.quantity.empty() ? "level" : s.channel.quantity),
             s.channel.unit.label(),
             figure.panels.front().y.logarithmic,
             {},
             {}};
    if (settings.decibel_reference && one.y.unit.rfind("dB", 0) != 0)
      one.y.unit = Shown{settings}.unit(s.channel.unit);
    Curve curve;
    curve.x = s.hz;
    for (const double level : s.level)
      curve.y.push_back(settings.decibel_reference ? Shown{settings}.value(level) : level);
    curve.name = s.facts.recording.stem() + ": " + s.channel.name;
    put(std::move(one), thinned(std::move(curve), 4000, figure.panels.front().x.logarithmic));
  }
  double finest = 1e300, widest = 0;
  for (const SpectrumResult& result : results)
    for (const ChannelSpectrum& c : result.channels) {
      finest = std::min(finest, c.curve().plan.rbw_hz);
      widest = std::max(widest, c.curve().plan.rbw_hz);
    }
  if (widest > 1.001 * finest)
    figure.caption = "first: " + figure.caption + "; RBW of all " + format_quantity(finest, "Hz", 4) +
                     " to " + format_quantity(widest, "Hz", 4);
  if (!stored.empty()) figure.caption += "; spectra from files are drawn as stored";
  if (left_out > 0) figure.caption += fmt::format("; {} more curves left out", left_out);
  return figure;
}

}  // namespace vprism
