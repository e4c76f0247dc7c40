// files.h: what `watch` knows of its stream by now, and the files it keeps renewing.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "formats/files/output_folder.h"
#include "frame/option_groups.h"
#include "identify/lines/peaks.h"
#include "render/document.h"
#include "transform/time/rolling.h"

namespace vprism {

/// One channel's newest stretch.
struct ChannelNow {
  double rms = 0, least = 0, greatest = 0;
  Spectrum spectrum;
  Spectrum highest;  ///< Of the segments; only where a limit asks for the peak detector.
  std::vector<Peak> peaks;
};

struct WatchState {
  std::string stem;
  std::string recorded;  ///< Name of the file that gets the stream itself; "" for none.
  Recording recording;
  std::vector<ChannelNow> now;                   ///< Empty before the first look.
  std::vector<RollingMap> maps;                  ///< Of the newest looks, one for each channel.
  std::vector<std::optional<Range>> spans = {};  ///< What is shown and written of each channel.
  std::vector<Json> events;                      ///< The newest alarms and all-clears, at most 1000.
  std::vector<Caution> cautions;
  std::vector<std::string> alarm_records;  ///< Files of the waveform around each alarm.
  std::int64_t samples = 0, looks = 0, alarms = 0;
  double until_s = 0, stretch_s = 0;  ///< End of what has come; length of what was looked at.

  /// Bins low .. high - 1 of a channel that had a look.
  std::pair<std::size_t, std::size_t> shown_bins(std::size_t c) const;
};

/// [{frequency_hz, frequency_std_hz, level}]
Json peaks_json(const ChannelNow& now);

/// Spectrum and spectrogram as tables and pictures, and the result document. They are replaced whole: whoever
/// reads them meanwhile never sees a half. A map of more than a hundred thousand levels is written when the
/// stream has ended, in at most four million: of neighbouring bins the greatest. Throws Error(output).
std::vector<OutputFolder::Entry> write_watch(const WatchState& state, const OutputSettings& output,
                                             bool ended, std::string* why_pictures_failed = nullptr);

}  // namespace vprism
