// cycle_phase.h: how late the parts of a periodic signal come, of what one period for all says.
#pragma once

#include <span>
#include <vector>

#include "identify/rotating/cycles.h"

namespace vprism {

/// The period set right by how late each of up to 32 blocks comes of the averaged cycle (all its orders at
/// once); its uncertainty from how those scatter about a straight line, so that edges rounded to samples, and
/// noise of any colour, are in it. With fewer than six blocks as it was.
Period period_by_delays(std::span<const double> x, Period period);

/// The phase of the strongest order, followed through the record.
struct CyclePhase {
  bool drifts = false;               ///< Beyond what it scatters, and by more than 0.2% of a cycle.
  std::vector<double> at;            ///< Middles of the blocks, samples.
  std::vector<double> late;          ///< Samples.
  double shortest = 0, longest = 0;  ///< Period within the record, samples.
};
CyclePhase follow_phase(std::span<const double> x, double period);

/// Edges where the phase goes through whole cycles, from `start` on.
CycleEdges edges_of_phase(std::size_t samples, double period, double start, const CyclePhase& phase);

/// Less its mean over a period around each sample: what drifts, and no order of that period.
std::vector<double> without_drift(std::span<const double> x, double period);

/// Whole multiples of a period are tried: one whose orders between those of `period` stand far over what the
/// cycles scatter is the true one, of which `period` is a part.
double whole_period(std::span<const double> x, double period);

}  // namespace vprism
