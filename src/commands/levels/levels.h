// levels.h: results of the command `levels`, and how they are reported.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "render/document.h"
#include "render/figure.h"
#include "signal/recording.h"
#include "transform/bands/bands.h"
#include "transform/time/level_series.h"

namespace vprism {

struct ChannelLevels {
  Channel channel;                ///< With the band behind its name.
  std::string of;                 ///< The channel's own name,
  std::optional<BandEdges> band;  ///< and the band that was let through.
  double rms = 0, peak = 0;       ///< Of the whole record.
  std::vector<LevelPoint> points;
  std::vector<double> sorted;  ///< `level` in ascending order.
  std::vector<double> level;   ///< What is judged: the running level, or the RMS, of every stretch.
  std::vector<std::pair<double, double>>
      percentiles;  ///< Percent of the time, and the level that they exceed.
  std::vector<Exceedance> exceedances;
};

struct LevelsResult {
  InputFacts facts;
  double every_s = 0;
  std::optional<double> time_constant_s, reference;
  std::vector<ChannelLevels> channels;
  /// Middle of a stretch.
  double time_of(std::size_t stretch) const {
    return facts.recording.axis.start + (static_cast<double>(stretch) + 0.5) * every_s;
  }
};

void report_levels(const LevelsResult& result, Delivery& delivery);
std::string levels_csv(const LevelsResult& result);
/// Level and share of the time above it, a hundred steps.
std::string distribution_csv(const LevelsResult& result);
Figure levels_figure(const LevelsResult& result);

}  // namespace vprism
