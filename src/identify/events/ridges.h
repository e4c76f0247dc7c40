// ridges.h: lines that wander through a map of levels.
#pragma once

#include <cstddef>
#include <vector>

#include "transform/maps/level_map.h"
#include "transform/windows/window.h"

namespace vprism {

/// One line, followed from column to column.
struct Ridge {
  struct Point {
    double time_s = 0, hz = 0, power = 0;
  };
  std::vector<Point> points;
  double mean_power() const;
  double low_hz() const;
  double high_hz() const;
  /// Slope of the straight line through it by least squares, Hz per second.
  double slope() const;
};

/// What a parabola through three bins' logarithms makes of a steady line between two bins under a window, and
/// the way back: place and level without its bias (up to 2% of a bin, 1% of the level under hann).
class SummitTable {
 public:
  SummitTable() = default;
  explicit SummitTable(const Window& window);
  /// Rows off the middle one, as the parabola has it, to rows off as they are, and the power to what it is.
  void correct(double& off, double& power) const;

 private:
  std::vector<double> seen_, is_, factor_;
};

struct RidgeSearch {
  double above_db = 12;       ///< Over the median of the levels around, in the same column.
  double most_step_rows = 2;  ///< From column to column, from where its slope leads to.
  std::size_t most_gap = 2;   ///< Columns without it that a ridge outlasts.
  std::size_t least_columns = 6;
  std::size_t most = 20;
  SummitTable summit = {};  ///< Where rows are the bins of a window.
};

/// Local maxima of every column, linked to the next column's nearest; frequencies between rows by a parabola
/// of logarithms. By descending energy.
std::vector<Ridge> find_ridges(const LevelMap& map, const RidgeSearch& search = {});

}  // namespace vprism
