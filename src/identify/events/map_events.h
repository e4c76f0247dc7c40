// map_events.h: what stands out of a map of levels for a while.
#pragma once

#include <cstddef>
#include <vector>

#include "transform/maps/level_map.h"

namespace vprism {

/// One summit of the map and the cells that belong to it.
struct MapEvent {
  double start_s = 0, end_s = 0, low_hz = 0, high_hz = 0;  ///< Cells down to half the summit's amplitude.
  double peak_s = 0, peak_hz = 0;                          ///< Of the summit, between cells by a parabola.
  /// The same of the summit's own row and column alone, between cells by straight lines.
  double row_start_s = 0, row_end_s = 0, column_low_hz = 0, column_high_hz = 0;
  double power = 0;       ///< Mean square at the summit.
  double background = 0;  ///< Mean square of the noise in its row.
  double threshold = 0;   ///< Level that the row's noise alone hardly passes.
  std::size_t cells = 0;
  double over_noise() const { return power / background; }
};

/// What a row's noise is like.
struct RowNoise {
  double power = 0;       ///< Mean square of the noise; 0: unknown, and the row has no events.
  double threshold = 0;   ///< Level that noise alone passes in one map of a hundred.
  std::size_t first = 0;  ///< Columns that may be trusted.
  std::size_t end = 0;
};

/// From the median of each row (which events shorter than half the record do not move), smoothed over rows by
/// a running median so that a line's own row stands out. `independent`: looks that a cell is the greatest of,
/// per row. Noise is taken as normal, so that squares are exponentially distributed.
std::vector<RowNoise> row_noise(const LevelMap& map, const std::vector<double>& independent,
                                const std::vector<std::pair<std::size_t, std::size_t>>& trusted,
                                std::size_t smooth_rows, double false_alarms = 0.01);

/// Summits above the threshold, each with the cells around it, parted from higher ones by a saddle at least
/// `split_db` below it. None that lasts over half of the record's trusted columns: that is no event. By
/// descending power over the noise.
std::vector<MapEvent> find_map_events(const LevelMap& map, const std::vector<RowNoise>& noise,
                                      double split_db = 6, std::size_t most = 50);

/// The events, or none when they fill a third of the map's time: then a line wanders through the rows, or all
/// of the record changes.
std::vector<MapEvent> without_wanderers(const LevelMap& map, std::vector<MapEvent> events);

}  // namespace vprism
