// orders.h: what turns with a shaft, against its speed.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "identify/rotating/shaft.h"
#include "transform/maps/level_map.h"

namespace vprism {

struct OrderSettings {
  double revolutions = 8;    ///< In a block: orders are told apart by 1.5 over this.
  double highest = 0;        ///< Order; 0: what the fastest turn allows, at most 40.
  std::vector<double> cuts;  ///< Orders to follow; empty: those found.
};

/// One order followed along.
struct OrderCut {
  double order = 0;
  double revolutions = 0;  ///< In its blocks.
  std::vector<double> time_s,
      speed;                      ///< Middle of each block, from the record's start; revolutions per second.
  std::vector<double> turn;       ///< Revolutions of the shaft there.
  std::vector<double> amplitude;  ///< Peak.
  std::vector<double> phase_deg;  ///< Of a cosine at the shaft's angle 0.
};

/// A place where an order is much stronger than before and after.
struct Crossing {
  double order = 0, time_s = 0, speed = 0, hz = 0, hz_std = 0;
  double amplitude = 0, over = 0;       ///< Over the level around it.
  double width_hz = 0;                  ///< At 0.71 of its height.
  double damping = 0, damping_std = 0;  ///< Ratio; 0 where it could not be fitted.
  /// Hz that the order moved on by while a resonance of that width rings; large ones are read late and low.
  double lag_hz = 0;
};

/// Crossings of several orders at one frequency.
struct CrossedResonance {
  double hz = 0, hz_std = 0;
  double damping = 0, damping_std = 0;  ///< 0: no crossing shows it.
  std::vector<Crossing> crossings;
};

struct OrderAnalysis {
  std::size_t per_turn = 0;          ///< Samples at equal angles in a revolution.
  double highest = 0;                ///< Order.
  LevelMap by_time;                  ///< Rows: orders; columns: blocks, evenly in revolutions. Mean squares.
  std::vector<double> speed;         ///< Of each column.
  LevelMap by_speed;                 ///< The same by speed, evenly: `start_s` and `step_s` are speeds.
  std::vector<double> order, level;  ///< Averaged order spectrum: amplitude (peak).
  std::vector<double> found;         ///< Orders that stand out of it, strongest first.
  std::vector<OrderCut> cuts;
  std::vector<CrossedResonance> resonances;
};

/// Throws Error(analysis) when the shaft turns less than two blocks.
OrderAnalysis analyse_orders(std::span<const double> x, double rate_hz, const ShaftAngle& shaft,
                             const OrderSettings& settings);

/// A map over time put over speed, evenly: each cell the greatest of those at its speed.
LevelMap over_speed(const LevelMap& map, const std::vector<double>& speed_of_column, std::size_t columns);

}  // namespace vprism
