// level_map.h: levels over time and frequency, reduced to no more cells than asked for.
#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <utility>
#include <vector>

namespace vprism {

/// Each cell holds the greatest mean square that was found in its stretch of time and its rows' frequencies,
/// so that nothing short is lost; NaN where nothing was measured.
struct LevelMap {
  std::vector<double> frequency_hz;  ///< Of the rows, rising.
  std::size_t columns = 0;
  double start_s = 0;        ///< Left edge of the first column, from the record's start.
  double step_s = 1;         ///< Width of a column.
  std::vector<float> power;  ///< Row by row, `columns` each.

  std::size_t rows() const { return frequency_hz.size(); }
  /// Middle of a column.
  double time_s(std::size_t column) const { return start_s + (static_cast<double>(column) + 0.5) * step_s; }
  /// The column that a time lies in, held within the map.
  std::size_t column_at(double time_s) const;
  /// The row nearest to a frequency.
  std::size_t row_at(double hz) const;
  float at(std::size_t row, std::size_t column) const { return power[row * columns + column]; }
  float& at(std::size_t row, std::size_t column) { return power[row * columns + column]; }
  void resize(std::size_t rows, std::size_t count) {
    columns = count;
    frequency_hz.resize(rows);
    power.assign(rows * count, std::numeric_limits<float>::quiet_NaN());
  }
  /// The same with at most so many rows and columns, by the greatest of each group.
  LevelMap reduced(std::size_t most_rows, std::size_t most_columns) const;
  /// The rows within low .. high, open where not given.
  LevelMap cropped(std::optional<double> low_hz, std::optional<double> high_hz) const;
};

/// Levels that colours reach over, in dB: from a little below what a tenth of all cells stay below to what
/// all but one in ten thousand do, rounded to 5 dB and between 20 and 120 dB apart. `low`: share below,
/// `high`: above.
struct LevelRange {
  double low_db = -100, high_db = 0;
  double below = 0, above = 0;  ///< Share of cells outside.
};
/// `to_db` is added to the mean squares in dB first.
LevelRange colour_range(const LevelMap& map, double to_db = 0);

}  // namespace vprism
