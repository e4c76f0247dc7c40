// cycles.h: a periodic signal averaged over its cycles, and its Fourier series.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace vprism {

/// Where cycles begin and end, in samples; one more than there are cycles.
using CycleEdges = std::vector<double>;

/// Period in samples and its standard uncertainty: from the autocorrelation, then from all the lines that lie
/// at multiples of it. Throws Error(analysis) where nothing repeats.
struct Period {
  double samples = 0, std = 0;
};
Period find_period(std::span<const double> x);

/// Edges every `period` samples from `start` on, as many whole cycles as there are.
CycleEdges edges_of_period(std::size_t samples, double period, double start);

/// Places where the samples rise through `level` after having been below it by `hysteresis`, between samples
/// by a straight line.
std::vector<double> rising_edges(std::span<const double> x, double level, double hysteresis);
/// Half-way between what 2% and 98% of the samples stay below, and a fifth of that height.
struct TriggerLevel {
  double level = 0, hysteresis = 0;
};
TriggerLevel trigger_level(std::span<const double> x);

/// x = mean + sum a_n cos(2 pi n p) + b_n sin(2 pi n p), p being the phase from 0 to 1 within a cycle.
struct CycleOrder {
  int n = 0;
  double a = 0, b = 0;
  double std = 0;  ///< Of a and b, from what the cycles scatter.
  double amplitude() const;
  /// Of a cosine at the cycle's begin.
  double phase_deg() const;
};

struct CycleAverage {
  double period_samples = 0;  ///< Mean length.
  double jitter = 0;          ///< Standard deviation of the lengths over their mean.
  std::size_t cycles = 0;
  double mean = 0;
  std::vector<CycleOrder> orders;  ///< As many as asked for, or as a cycle's samples allow.
  std::vector<double> average,
      spread;               ///< On an even grid of phases: mean and standard deviation over cycles.
  double rms = 0;           ///< Of the samples about their mean.
  double residual_rms = 0;  ///< Of what mean and orders leave of the samples.
  double scatter_rms = 0;   ///< Of what the averaged cycle leaves: noise, and change from cycle to cycle.
  /// Residual by the number of orders, 0 first, of the averaged cycle alone: what more orders could still
  /// explain.
  std::vector<double> residual_by_orders;
  /// Steps within one point of the averaged cycle, over 30% of its height each, and how far the sum of the
  /// orders goes beyond the averaged cycle, over the largest of them.
  std::size_t jumps = 0;
  double jump_height = 0, overshoot = 0;
  /// Value of the sum of mean and orders.
  double at(double phase) const;
};

/// Least squares on all samples of whole cycles, so that orders are exact however many samples a cycle has.
/// Throws Error(analysis) with less than one cycle.
CycleAverage average_cycles(std::span<const double> x, const CycleEdges& edges, std::size_t orders);

/// The least number of orders that leave no more than `share` of the averaged cycle's RMS; nothing when all
/// that a cycle's samples allow do not.
std::optional<std::size_t> orders_needed(const CycleAverage& average, double share);

}  // namespace vprism
