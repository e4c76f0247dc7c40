// points.cpp: see points.h.
#include "signal/points.h"

#include <algorithm>

namespace vprism {

HeldPoints::HeldPoints(PointRecording recording, std::vector<double> values)
    : recording_(std::move(recording)), values_(std::move(values)) {}

void HeldPoints::read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) {
  const std::size_t variables = recording_.variables.size(), length = series_length();
  std::size_t to = 0;
  for (const PointRun& run : runs)
    for (std::size_t s = run.first * variables; s < (run.first + run.count) * variables; ++s)
      std::copy_n(&values_[s * length], length, &out[to++ * step]);
}

}  // namespace vprism
