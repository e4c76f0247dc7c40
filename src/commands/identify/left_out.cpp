// left_out.cpp: lines that the settings leave out, and findings that a channel makes by standing still.
#include <algorithm>
#include <cmath>

#include "commands/identify/identify.h"

namespace vprism {

void leave_out_by_settings(const IdentifySettings& settings, std::vector<Peak>& peaks) {
  std::erase_if(peaks, [&](const Peak& p) {
    return p.doubtful() || (settings.min_level && p.rms < *settings.min_level) ||
           (settings.min_rise_db && p.prominence_db < *settings.min_rise_db);
  });
  if (!settings.min_apart_hz) return;
  std::vector<Peak> kept;  // Strongest first.
  for (const Peak& p : peaks)
    if (std::none_of(kept.begin(), kept.end(), [&](const Peak& other) {
          return std::abs(other.frequency_hz - p.frequency_hz) < *settings.min_apart_hz;
        }))
      kept.push_back(p);
  peaks = std::move(kept);
}

void leave_out_of_rests(std::size_t c, const Rests& rests, double std, double rate_hz,
                        IdentifyResult& result) {
  if (rests.samples == 0 || rests.runs == 0) return;
  // A value that is held strays from the signal by twice its mean square, and that lies around its lines, as
  // far off as a stretch is short.
  constexpr double strays = 2, reach = 2;
  const double share = static_cast<double>(rests.resting) / static_cast<double>(rests.samples);
  const double most = std::sqrt(strays * share) * std,
               away = reach * rate_hz * static_cast<double>(rests.runs) / static_cast<double>(rests.resting);
  // A value that stands still is an offset for a while, too.
  std::vector<std::pair<double, double>> lines = {{0, std}};  // Frequency and RMS.
  for (std::size_t i = 0; i < result.findings.size(); ++i)
    if (const Finding& f = result.findings[i];
        result.channels[i] == c && (f.kind == "tone" || f.kind == "switching" || f.kind == "wandering"))
      lines.emplace_back(f.frequency_hz, f.level_rms);
  std::size_t gone = 0;
  for (std::size_t i = result.findings.size(); i-- > 0;) {
    const Finding& f = result.findings[i];
    const bool noise = f.kind == "resonance" || f.kind == "broadband" || f.kind == "unresolved" ||
                       f.kind == "impulse-family" || f.kind == "intermittent";
    if (result.channels[i] != c || !noise || f.level_rms > most ||
        std::none_of(lines.begin(), lines.end(), [&](const auto& line) {
          return std::abs(line.first - f.frequency_hz) < away && line.second > f.level_rms;
        }))
      continue;
    const auto at = static_cast<std::ptrdiff_t>(i);
    result.findings.erase(result.findings.begin() + at);
    result.watches.erase(result.watches.begin() + at);
    result.channels.erase(result.channels.begin() + at);
    ++gone;
  }
  if (gone > 0)
    result.cautions.push_back(
        {"made-by-standing-still", Severity::note, result.spectrum.channels[c].channel.name,
         std::to_string(gone) + (gone == 1 ? " band" : " bands") +
             " of noise beside its lines hold no more than the values that it held make: left out",
         "gate to a stretch without them"});
}

}  // namespace vprism
