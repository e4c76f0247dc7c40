// spikes.cpp: see spikes.h.
#include "transform/spikes.h"

#include <algorithm>
#include <cmath>

#include "base/clones.h"

namespace vprism {

namespace {

/// Sum and greatest of |d| over the inner samples, in lanes side by side.
VPRISM_WIDE void sum_and_top(const double* x, std::size_t n, double& sum, double& top) {
  double sums[8] = {}, tops[8] = {};
  std::size_t i = 1;
  for (; i + 8 < n; i += 8)
    for (std::size_t k = 0; k < 8; ++k) {
      const double v = std::abs(x[i + k] - 0.5 * (x[i + k - 1] + x[i + k + 1]));
      sums[k] += v == v ? v : 0;
      tops[k] = v > tops[k] ? v : tops[k];
    }
  for (; i + 1 < n; ++i) {
    const double v = std::abs(x[i] - 0.5 * (x[i - 1] + x[i + 1]));
    if (v == v) sums[0] += v, tops[0] = std::max(tops[0], v);
  }
  for (std::size_t k = 0; k < 8; ++k) sum += sums[k], top = std::max(top, tops[k]);
}

}  // namespace

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
    double sum = 0, top = 0;
    sum_and_top(x, n, sum, top);
    const double limit = n > 2 ? 15 * sum / static_cast<double>(n - 2) : 0;
    if (n >= 64 && top > limit && limit > 0) {
      for (std::size_t i = 2; i + 2 < n; ++i) {
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
