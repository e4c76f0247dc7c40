// gaps.h: where samples are missing, and how a record with gaps is cut into segments.
#pragma once

#include <cstdint>
#include <map>
#include <vector>

#include "signal/block.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// The stretches between the gaps of one channel, or of several taken together.
struct GapPattern {
  std::int64_t samples = 0;                        ///< All, those missing counted.
  std::int64_t valid = 0;                          ///< In stretches.
  std::int64_t gaps = 0;                           ///< Runs of missing samples.
  std::uint64_t places = 0;                        ///< Tells patterns with the same lengths apart.
  std::map<std::int64_t, std::int64_t> stretches;  ///< How many there are of each length.
  std::int64_t longest() const { return stretches.empty() ? 0 : stretches.rbegin()->first; }
  bool operator==(const GapPattern& o) const {
    return samples == o.samples && valid == o.valid && places == o.places && stretches == o.stretches;
  }
};

/// Pushed blocks; costs next to nothing where none has gaps.
class GapWatch {
 public:
  explicit GapWatch(std::size_t channels);
  void add(const Block& block);
  /// Of each channel, and of all together behind them; to be asked once.
  std::vector<GapPattern> result();

 private:
  void step(std::size_t pattern, bool missing, std::int64_t at);
  std::vector<GapPattern> patterns_;
  std::vector<std::int64_t> open_;  ///< Length of the stretch in hand, of each.
  std::vector<bool> in_gap_;
};

/// Like plan_spectrum, with segments that lie between the gaps. Where neither segment nor resolution is asked
/// for, segments are as long as most of what is there allows. Throws Error(analysis) when no stretch is long
/// enough.
SpectrumPlan plan_between_gaps(const SpectrumSettings& settings, const GapPattern& pattern, double rate_hz);

}  // namespace vprism
