// finish.cpp: see finish.h.
#include "commands/spectrum/finish.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "transform/time/derived.h"

namespace vprism {

namespace {

/// A spectrum of another quantity: levels, floor and lines with it.
void derive_all(ChannelSpectrum& c, const std::string& quantity) {
  const int steps = motion_order(std::string_view(quantity)) - motion_order(c.channel);
  if (steps == 0) return;
  const double factor = derive(c.channel, steps);
  derive(c.spectrum, steps, factor);
  if (c.shown) derive(*c.shown, steps, factor);
  for (Spectrum& other : c.compared) derive(other, steps, factor);
  for (std::size_t k = 0; k < c.floor.size(); ++k)
    c.floor[k] *= std::pow(factor * derived_gain(c.spectrum.frequency_hz(k), steps), 2);
  for (Peak& p : c.peaks) {
    const double gain = factor * derived_gain(p.frequency_hz, steps);
    p.rms *= gain, p.rms_std *= gain, p.band_rms *= gain, p.doubt_rms *= gain, p.floor_power *= gain * gain;
    p.phase_deg = std::remainder(p.phase_deg + 90 * steps, 360.0);
  }
  std::sort(c.peaks.begin(), c.peaks.end(), [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
}

}  // namespace

void finish_channel(ChannelSpectrum& c, const AnalysisSettings& settings, const Recording& recording) {
  if (!c.phase_deg.empty())
    for (Peak& peak : c.peaks) peak.phase_deg = c.phase_deg[peak.bin];
  else if (settings.phase_at_s)
    for (Peak& peak : c.peaks)
      peak.phase_deg =
          phase_at(peak.phase_deg, peak.frequency_hz - c.spectrum.centre_hz * (c.spectrum.two_sided ? 1 : 0),
                   *settings.phase_at_s - recording.axis.start);
  if (c.span) std::erase_if(c.peaks, [&](const Peak& p) { return !c.span->contains(p.frequency_hz); });
  if (!settings.derived.empty()) derive_all(c, settings.derived);
  if (c.peaks.size() > settings.peaks) c.peaks.resize(settings.peaks);
  if (settings.bands.empty()) return;
  int fraction = 0;
  c.bands = band_levels(c.curve(), bands_asked(settings.bands, c.curve(), &fraction));
  for (BandLevel& band : c.bands)
    if (fraction > 0) band.iec_class = octave_class(c.curve(), band.edges, fraction);
}

std::vector<BandEdges> bands_asked(const std::string& text, const Spectrum& spectrum, int* fraction) {
  // A band of one bin says nothing.
  return bands_asked(text, spectrum.frequency_hz(0), spectrum.frequency_hz(spectrum.bins() - 1),
                     2 * spectrum.plan.rbw_hz, fraction);
}

std::vector<BandEdges> bands_asked(const std::string& text, double low_hz, double high_hz,
                                   double lowest_octave_hz, int* fraction) {
  static constexpr std::pair<const char*, int> known[] = {
      {"octave", 1}, {"third", 3}, {"1/1", 1}, {"1/3", 3}, {"1/6", 6}, {"1/12", 12}, {"1/24", 24}};
  for (const auto& [name, parts] : known)
    if (text == name) {
      if (fraction != nullptr) *fraction = parts;
      return octave_bands(parts, std::max(low_hz, lowest_octave_hz), high_hz);
    }
  std::vector<BandEdges> out;
  for (const std::string& part : split(text, ',')) {
    if (part.find("..") == std::string::npos)
      throw Error(
          Status::usage,
          "--bands: " + unknown_name("kind of band", part, {"octave", "third", "1/6", "1/12", "1/24"}) +
              "; or give ranges such as 10Hz..100Hz,100Hz..1kHz");
    const Range range = parse_range(trimmed(part), Dimension::frequency);
    const double low = range.low.value_or(low_hz), high = range.high.value_or(high_hz);
    out.push_back({low, (low + high) / 2, high, ""});
  }
  return out;
}

}  // namespace vprism
