// rolling.h: the newest stretch of a stream, and a map of the newest columns.
#pragma once

#include <cstdint>
#include <deque>
#include <vector>

#include "signal/block.h"
#include "transform/maps/level_map.h"

namespace vprism {

/// The newest `samples` of each column, in order, in memory that does not grow.
class RollingSamples {
 public:
  RollingSamples(std::size_t columns, std::size_t samples);
  void add(const Block& block);
  /// Samples held: fewer than asked for until as many have come.
  std::size_t size() const { return held_; }
  /// Index in the stream of the first one held.
  std::int64_t first() const { return came_ - static_cast<std::int64_t>(held_); }
  std::int64_t came() const { return came_; }
  /// All of them as one block, oldest first.
  Block block() const;

 private:
  std::size_t capacity_, held_ = 0, at_ = 0;
  std::int64_t came_ = 0;
  std::vector<std::vector<double>> data_;
};

/// The newest columns of a map of mean squares over time, all of the same rows.
class RollingMap {
 public:
  explicit RollingMap(std::size_t most_columns) : most_(most_columns) {}
  void add(double time_s, std::vector<float> power);
  std::size_t columns() const { return list_.size(); }
  /// Columns at even steps: the mean distance between those held.
  LevelMap map(const std::vector<double>& frequency_hz) const;

 private:
  struct Column {
    double time_s;
    std::vector<float> power;
  };
  std::size_t most_;
  std::deque<Column> list_;
};

}  // namespace vprism
