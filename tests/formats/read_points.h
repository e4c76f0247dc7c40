// read_points.h: all values of a source of points, for tests.
#pragma once

#include <gtest/gtest.h>

#include <vector>

#include "signal/points.h"

namespace vprism {

/// Series after series, read in two uneven groups, the first of them in two runs.
inline std::vector<double> all_of(PointSource& source) {
  const PointRecording& r = source.recording();
  const auto frames = static_cast<std::size_t>(r.frames);
  const std::size_t first = r.points.size() / 3 + 1, variables = r.variables.size();
  std::vector<double> out;
  for (const std::vector<PointRun>& runs :
       {std::vector<PointRun>{{0, first / 2}, {first / 2, first - first / 2}},
        std::vector<PointRun>{{first, r.points.size() - first}}}) {
    std::size_t series = 0;
    for (const PointRun& run : runs) series += run.count * variables;
    // Longer steps than needed, which are left alone.
    const std::size_t step = source.by_frames() ? series + 3 : frames + 3;
    std::vector<double> room(step * (source.by_frames() ? frames : series), -77.0);
    source.read(runs, room, step);
    for (std::size_t s = 0; s < series; ++s)
      for (std::size_t f = 0; f < frames; ++f)
        out.push_back(source.by_frames() ? room[f * step + s] : room[s * step + f]);
    EXPECT_EQ(room.back(), -77.0);
  }
  return out;
}

}  // namespace vprism
