// spikes.cpp: see spikes.h.
#include "transform/spikes.h"

#include <algorithm>
#include <cmath>

namespace vprism {

void SpikeCounter::add(const Block& block) {
  if (block.size() == 0) return;
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    Column& column = columns_[c];
    const auto samples = block.samples(c);
    // The four samples before the block are looked at again together with it: the pattern needs two on each
    // side, and those at the block's end are judged with the next one.
    joined_.assign(column.tail, column.tail + column.held);
    joined_.insert(joined_.end(), samples.begin(), samples.end());
    const double* x = joined_.data();
    const std::size_t n = joined_.size();
    const std::int64_t first = block.first() - static_cast<std::int64_t>(column.held);
    const auto d = [x](std::size_t i) { return x[i] - 0.5 * (x[i - 1] + x[i + 1]); };
    // Eight sums and maxima side by side, so that the loop is one of vectors.
    double sums[8] = {}, tops[8] = {};
    std::size_t i = 1;
    for (; i + 8 < n; i += 8)
      for (std::size_t k = 0; k < 8; ++k) {
        const double v = std::abs(d(i + k));
        sums[k] += v == v ? v : 0;
        tops[k] = v > tops[k] ? v : tops[k];
      }
    double sum = 0, top = 0;
    for (; i + 1 < n; ++i) {
      const double v = std::abs(d(i));
      if (v == v) sum += v, top = std::max(top, v);
    }
    for (std::size_t k = 0; k < 8; ++k) sum += sums[k], top = std::max(top, tops[k]);
    const double limit = n > 2 ? 15 * sum / static_cast<double>(n - 2) : 0;
    if (n >= 64 && top > limit && limit > 0) {
      for (i = 2; i + 2 < n; ++i) {
        const double here = d(i);
        if (!(std::abs(here) > limit)) continue;
        const double left = d(i - 1) / here, right = d(i + 1) / here;
        if (!(left < -0.25 && left > -0.8 && right < -0.25 && right > -0.8)) continue;
        const std::int64_t at = first + static_cast<std::int64_t>(i);
        Spikes& s = column.spikes;
        if (s.count++ == 0) s.first = at;
        if (std::abs(here) > s.height) s.height = std::abs(here), s.largest = at;
      }
    }
    column.held = std::min<std::size_t>(4, n);
    std::copy_n(x + n - column.held, column.held, column.tail);
  }
}

std::vector<Spikes> SpikeCounter::result() const {
  std::vector<Spikes> out;
  for (const Column& column : columns_) out.push_back(column.spikes);
  return out;
}

}  // namespace vprism
