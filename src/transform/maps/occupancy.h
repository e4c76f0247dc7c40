// occupancy.h: how often each level is reached at each frequency.
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "signal/block.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// Counts over bins and levels. Level cell i spans floor_db + i * step_db to one step more, of the mean
/// square in dB re 1 of the channel's unit squared; what lies beyond the ends counts in the end cells.
struct Occupancy {
  Spectrum grid;  ///< Frequencies; its powers are the mean of all segments.
  double floor_db = 0, step_db = 0.25;
  std::size_t levels = 0;
  std::int64_t segments = 0;
  std::vector<std::uint32_t> counts;     ///< Bin by bin, `levels` each.
  std::vector<double> highest;           ///< Mean square per bin of its highest segment.
  std::vector<std::int64_t> highest_at;  ///< Sample in the middle of that segment.

  double share(std::size_t bin, std::size_t level) const {
    return static_cast<double>(counts[bin * levels + level]) / static_cast<double>(segments);
  }
  /// Mean square in dB that `part` (0 to 1) of the segments stay below, between cells by proportion.
  double percentile_db(std::size_t bin, double part) const;
};

/// A stretch of frequencies whose highest level stands far above what the percentiles lead to expect, and is
/// reached in few segments.
struct RareEvent {
  double low_hz = 0, high_hz = 0, peak_hz = 0;
  double usual_db = 0, peak_db = 0;  ///< Level that 99% of segments stay below at the peak, and the highest.
  double share = 0;                  ///< Of segments more than half way between, in dB.
  double time_s = 0;                 ///< Middle of the segment that holds the peak, from the record's start.
};
/// Those that stand at least `above_db` over the 99% level (and over what noise reaches in so many segments).
std::vector<RareEvent> rare_events(const Occupancy& occupancy, double above_db = 6);

/// Pushed blocks, asked once. Memory: bins times levels counts for each channel.
class OccupancyEstimator {
 public:
  OccupancyEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings);
  ~OccupancyEstimator();
  void add(const Block& block);
  /// One for each channel. Throws Error(analysis) if not one segment came.
  std::vector<Occupancy> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
