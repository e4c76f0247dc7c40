// points.cpp: see points.h.
#include "signal/points.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

namespace vprism {

HeldPoints::HeldPoints(PointRecording recording, std::vector<double> values)
    : recording_(std::move(recording)), values_(std::move(values)) {}

void HeldPoints::read(std::size_t first, std::size_t count, std::span<double> out) {
  const std::size_t each = recording_.variables.size() * static_cast<std::size_t>(recording_.frames);
  std::copy_n(values_.begin() + static_cast<std::ptrdiff_t>(first * each), count * each, out.begin());
}

void turn_frames(std::span<const double> frames, std::size_t series, std::size_t length, std::size_t offset,
                 std::span<double> out) {
  constexpr std::size_t side = 64;
  const std::size_t count = frames.size() / series;
  oneapi::tbb::parallel_for(std::size_t{0}, (series + side - 1) / side, [&](std::size_t part) {
    const std::size_t end = std::min(series, (part + 1) * side);
    for (std::size_t from = 0; from < count; from += side)
      for (std::size_t s = part * side; s < end; ++s)
        for (std::size_t f = from; f < std::min(count, from + side); ++f)
          out[s * length + offset + f] = frames[f * series + s];
  });
}

}  // namespace vprism
