// peaks.h: results of the command `peaks`, and how they are reported.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "identify/peaks/peak_rhythm.h"
#include "identify/peaks/peak_shape.h"
#include "identify/peaks/peak_template.h"
#include "render/document.h"
#include "render/figure.h"
#include "signal/recording.h"
#include "transform/time/statistics.h"

namespace vprism {

struct ChannelPeaks {
  Channel channel;
  double sign = 1;  ///< -1: minima.
  TimePeakRules rules;
  bool prominence_found = false;   ///< The least prominence was not asked for.
  double noise_std = 0, step = 0;  ///< Of the survey, where there was one.
  std::vector<TimePeak> peaks;     ///< In order of time.
  std::vector<double> times_s, times_std_s, widths_s;
  PeakTemplate shape;                      ///< With --template: what was looked for,
  std::vector<double> likenesses;          ///< how well each peak agrees with it,
  std::optional<MatchNoise::Found> noise;  ///< and what its filter makes of what lies between them.
  std::size_t unlike = 0;                  ///< Left out for that.
  std::optional<PeakRhythm> rhythm;
};

struct PeaksResult {
  InputFacts facts;
  std::vector<ChannelPeaks> channels;
  std::optional<OutlineEstimator> outlines;  ///< Of the recording's channels.
  struct Pair {
    std::size_t other;  ///< With the first of `channels`.
    PeakPairing pairing;
  };
  std::vector<Pair> pairs;
};

void report_peaks(const PeaksResult& result, Delivery& delivery);
std::string peaks_csv(const PeaksResult& result);
Figure peaks_figure(const PeaksResult& result);

}  // namespace vprism
