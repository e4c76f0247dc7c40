// rests.cpp: see rests.h. Few stretches of most recordings hold two neighbours that are alike; only those are
// gone through sample by sample.
#include "transform/maps/rests.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

/// Whether a sample equals its neighbour, or is none.
VPRISM_WIDE bool any_alike(const double* x, std::size_t count) {
  std::size_t n = 0;
  for (; n + 9 <= count; n += 8) {
    Four a, b, c, d;
    load(x + n, a), load(x + n + 1, b), load(x + n + 4, c), load(x + n + 5, d);
    const auto hits = (a == b) | (c == d) | (a != a) | (c != c);
    if ((hits[0] | hits[1] | hits[2] | hits[3]) != 0) return true;
  }
  for (; n + 1 < count; ++n)
    if (x[n] == x[n + 1] || std::isnan(x[n])) return true;
  return count > 0 && std::isnan(x[count - 1]);
}

}  // namespace

void RestEstimator::Column::end_run() {
  if (run >= least_rest) {
    ++rests.runs, rests.resting += run;
    if (run > rests.longest) rests.longest = run, rests.from = begin, rests.value = last;
  } else if (run > 1) {
    rests.alike += run - 1;
  }
  run = 0;
}

void RestEstimator::add(const Block& block) {
  constexpr std::size_t stretch = 2048;
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    Column& column = columns_[c];
    const std::span<const double> x = block.samples(c);
    column.rests.samples += static_cast<std::int64_t>(x.size());
    for (std::size_t from = 0; from < x.size(); from += stretch) {
      const std::size_t end = std::min(x.size(), from + stretch);
      std::size_t n = from;
      // The last of it may begin a run.
      if (!(column.run > 0 && x[from] == column.last) && !any_alike(&x[from], end - from)) {
        column.end_run();
        n = end - 1;
      }
      for (; n < end; ++n) {
        if (column.run > 0 && x[n] == column.last) {
          ++column.run;
          continue;
        }
        column.end_run();
        if (std::isnan(x[n])) continue;
        column.run = 1, column.begin = block.first() + static_cast<std::int64_t>(n), column.last = x[n];
      }
    }
  }
}

std::vector<Rests> RestEstimator::result() const {
  std::vector<Rests> out;
  for (Column column : columns_) {
    column.end_run();
    out.push_back(column.rests);
  }
  return out;
}

}  // namespace vprism
