// points.cpp: see points.h.
#include "signal/points.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

#include "base/clones.h"
#include "base/lanes.h"

namespace vprism {

HeldPoints::HeldPoints(PointRecording recording, std::vector<double> values)
    : recording_(std::move(recording)), values_(std::move(values)) {}

void HeldPoints::read(std::size_t first, std::size_t count, std::span<double> out) {
  const std::size_t each = recording_.variables.size() * static_cast<std::size_t>(recording_.frames);
  std::copy_n(values_.begin() + static_cast<std::ptrdiff_t>(first * each), count * each, out.begin());
}

namespace {

/// Four frames of four series.
[[gnu::always_inline]] inline void turn_four(const double* from, std::size_t series, double* to,
                                             std::size_t length) {
  Four a, b, c, d;
  load(from, a), load(from + series, b), load(from + 2 * series, c), load(from + 3 * series, d);
  const Four ab = __builtin_shufflevector(a, b, 0, 4, 2, 6), ba = __builtin_shufflevector(a, b, 1, 5, 3, 7),
             cd = __builtin_shufflevector(c, d, 0, 4, 2, 6), dc = __builtin_shufflevector(c, d, 1, 5, 3, 7);
  const Four out[4] = {
      __builtin_shufflevector(ab, cd, 0, 1, 4, 5), __builtin_shufflevector(ba, dc, 0, 1, 4, 5),
      __builtin_shufflevector(ab, cd, 2, 3, 6, 7), __builtin_shufflevector(ba, dc, 2, 3, 6, 7)};
  for (std::size_t s = 0; s < 4; ++s) std::memcpy(to + s * length, &out[s], sizeof out[s]);
}

/// Eight series, `count` frames in eights: every line of the cache that is touched is used whole.
VPRISM_WIDE void turn_eight(const double* from, std::size_t series, std::size_t count, double* to,
                            std::size_t length) {
  for (std::size_t f = 0; f < count; f += 8)
    for (const std::size_t s : {0u, 4u})
      for (const std::size_t g : {0u, 4u})
        turn_four(from + (f + g) * series + s, series, to + s * length + f + g, length);
}

}  // namespace

void turn_frames(std::span<const double> frames, std::size_t series, std::size_t length, std::size_t offset,
                 std::span<double> out) {
  constexpr std::size_t side = 8, together = 16;
  const std::size_t count = frames.size() / series;
  const std::size_t tiles = (series + side - 1) / side;
  oneapi::tbb::parallel_for(std::size_t{0}, (tiles + together - 1) / together, [&](std::size_t part) {
    for (std::size_t tile = part * together; tile < std::min(tiles, (part + 1) * together); ++tile) {
      const std::size_t s0 = tile * side, s1 = std::min(series, s0 + side);
      std::size_t whole = 0;
      if (s1 - s0 == side) {
        whole = count / side * side;
        turn_eight(&frames[s0], series, whole, &out[s0 * length + offset], length);
      }
      for (std::size_t s = s0; s < s1; ++s)
        for (std::size_t f = whole; f < count; ++f) out[s * length + offset + f] = frames[f * series + s];
    }
  });
}

}  // namespace vprism
