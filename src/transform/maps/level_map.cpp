// level_map.cpp: see level_map.h.
#include "transform/maps/level_map.h"

#include <algorithm>
#include <cmath>

#include "base/percentile.h"

namespace vprism {

namespace {

double decibels_of(float power) { return 10 * std::log10(std::max(static_cast<double>(power), 1e-37)); }

/// NaN only where both are.
float greater(float a, float b) { return std::isnan(a) || b > a ? b : a; }

}  // namespace

std::size_t LevelMap::column_at(double time_s) const {
  const double at = std::floor((time_s - start_s) / step_s);
  return static_cast<std::size_t>(std::clamp(at, 0.0, static_cast<double>(columns - 1)));
}

std::size_t LevelMap::row_at(double hz) const {
  const auto above = std::lower_bound(frequency_hz.begin(), frequency_hz.end(), hz);
  if (above == frequency_hz.begin()) return 0;
  if (above == frequency_hz.end()) return rows() - 1;
  const auto r = static_cast<std::size_t>(above - frequency_hz.begin());
  return frequency_hz[r] - hz < hz - frequency_hz[r - 1] ? r : r - 1;
}

LevelMap LevelMap::reduced(std::size_t most_rows, std::size_t most_columns) const {
  const std::size_t by_rows = std::max<std::size_t>(1, (rows() + most_rows - 1) / most_rows),
                    by_columns = std::max<std::size_t>(1, (columns + most_columns - 1) / most_columns);
  if (by_rows == 1 && by_columns == 1) return *this;
  LevelMap out;
  out.start_s = start_s;
  out.step_s = step_s * static_cast<double>(by_columns);
  out.resize((rows() + by_rows - 1) / by_rows, (columns + by_columns - 1) / by_columns);
  for (std::size_t r = 0; r < out.rows(); ++r) {
    const std::size_t from = r * by_rows, to = std::min(rows(), from + by_rows);
    out.frequency_hz[r] = (frequency_hz[from] + frequency_hz[to - 1]) / 2;
    for (std::size_t k = from; k < to; ++k)
      for (std::size_t c = 0; c < columns; ++c) {
        float& cell = out.at(r, c / by_columns);
        cell = greater(cell, at(k, c));
      }
  }
  return out;
}

LevelMap LevelMap::cropped(std::optional<double> low_hz, std::optional<double> high_hz) const {
  std::size_t from = 0, to = rows();
  while (from < to && low_hz && frequency_hz[from] < *low_hz) ++from;
  while (to > from && high_hz && frequency_hz[to - 1] > *high_hz) --to;
  LevelMap out;
  out.start_s = start_s, out.step_s = step_s, out.columns = columns;
  const auto place = [](std::size_t n) { return static_cast<std::ptrdiff_t>(n); };
  out.frequency_hz.assign(frequency_hz.begin() + place(from), frequency_hz.begin() + place(to));
  out.power.assign(power.begin() + place(from * columns), power.begin() + place(to * columns));
  return out;
}

LevelRange colour_range(const LevelMap& map, double to_db) {
  std::vector<float> levels;
  // A sample of the cells is enough where there are many; the highest of all is looked for everywhere.
  const std::size_t step = std::max<std::size_t>(1, map.power.size() / 2000000);
  for (std::size_t i = 0; i < map.power.size(); i += step)
    if (map.power[i] > 0) levels.push_back(map.power[i]);
  LevelRange range;
  if (levels.empty()) return range;
  const auto percentile = [&](double share) { return decibels_of(percentile_in(levels, share)) + to_db; };
  const double tenth = percentile(0.1);
  range.high_db = 5 * std::ceil(percentile(0.9999) / 5);
  range.low_db = std::clamp(5 * std::floor(tenth / 5), range.high_db - 120, range.high_db - 20);
  for (const float level : levels) {
    const double db = decibels_of(level) + to_db;
    range.below += db<range.low_db, range.above += db> range.high_db;
  }
  range.below /= static_cast<double>(levels.size());
  range.above /= static_cast<double>(levels.size());
  return range;
}

}  // namespace vprism
