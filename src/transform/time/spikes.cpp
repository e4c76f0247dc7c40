// spikes.cpp: see spikes.h.
#include "transform/time/spikes.h"

#include <algorithm>
#include <cmath>

#include "base/machine/clones.h"
#include "base/machine/lanes.h"

namespace vprism {

namespace {

/// Sum and greatest of |d| over the inner samples, in lanes side by side.
VPRISM_WIDE void sum_and_top(const double* x, std::size_t n, double& sum, double& top) {
  const Four none = {};
  Four sums = none, tops = none, other_sums = none, other_tops = none;
  const auto add = [&none](const double* at, Four& into, Four& top_of) __attribute__((always_inline)) {
    Four left, here, right;
    load(at - 1, left), load(at, here), load(at + 1, right);
    Four v = here - 0.5 * (left + right);
    v = v < none ? -v : v;
    into += v == v ? v : none;
    raise(v, top_of);
  };
  std::size_t i = 1;
  for (; i + 8 < n; i += 8) add(x + i, sums, tops), add(x + i + 4, other_sums, other_tops);
  raise(other_tops, tops);
  sum += total(sums + other_sums), top = std::max(top, highest(tops));
  for (; i + 1 < n; ++i) {
    const double v = std::abs(x[i] - 0.5 * (x[i - 1] + x[i + 1]));
    if (v == v) sum += v, top = std::max(top, v);
  }
}

/// First inner sample from `from` on with |d| above `limit`; n when there is none.
VPRISM_WIDE std::size_t next_beyond(const double* x, std::size_t n, std::size_t from, double limit) {
  const Four none = {};
  for (; from + 16 < n; from += 16) {
    Four highs = none;
    for (std::size_t k = 0; k < 16; k += 4) {
      Four left, here, right;
      load(x + from + k - 1, left), load(x + from + k, here), load(x + from + k + 1, right);
      const Four v = here - 0.5 * (left + right);
      raise(v, highs), raise(-v, highs);
    }
    if (highest(highs) > limit) break;
  }
  while (from + 1 < n && !(std::abs(x[from] - 0.5 * (x[from - 1] + x[from + 1])) > limit)) ++from;
  return from + 1 < n ? from : n;
}

/// Counts the lone samples among x[2] to x[n - 3]; x[0] is sample `first` of the record.
void judge(const double* x, std::size_t n, std::int64_t first, double limit, Spikes& spikes) {
  const auto d = [x](std::size_t i) { return x[i] - 0.5 * (x[i - 1] + x[i + 1]); };
  for (std::size_t i = next_beyond(x, n, 2, limit); i + 2 < n; i = next_beyond(x, n, i + 1, limit)) {
    const double here = d(i), left = d(i - 1) / here, right = d(i + 1) / here;
    if (!(left < -0.25 && left > -0.8 && right < -0.25 && right > -0.8)) continue;
    const std::int64_t at = first + static_cast<std::int64_t>(i);
    if (spikes.count++ == 0) spikes.first = at;
    if (std::abs(here) > spikes.height) spikes.height = std::abs(here), spikes.largest = at;
  }
}

}  // namespace

void SpikeCounter::add(const Block& block) {
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    Column& column = columns_[c];
    const auto x = block.samples(c);
    // The pattern needs two samples on each side: where blocks meet, the four on either side are looked at
    // together.
    const std::size_t lead = std::min<std::size_t>(4, x.size()), held = column.held;
    double* const seam = column.seam;
    std::copy_n(x.begin(), lead, seam + held);
    double sum = 0, top = 0;
    sum_and_top(seam, held + lead, sum, top);
    sum_and_top(x.data(), x.size(), sum, top);
    const double limit = 15 * sum / static_cast<double>(std::max<std::size_t>(x.size(), 1));
    if (x.size() >= 64 && top > limit && limit > 0) {
      judge(seam, held + lead, block.first() - static_cast<std::int64_t>(held), limit, column.spikes);
      judge(x.data(), x.size(), block.first(), limit, column.spikes);
    }
    // The last four, of this block or of both.
    const std::size_t keep = std::min<std::size_t>(4, held + x.size());
    if (x.size() >= keep)
      std::copy_n(x.end() - static_cast<std::ptrdiff_t>(keep), keep, seam);
    else
      std::copy_n(seam + held + lead - keep, keep, seam);
    column.held = keep;
  }
}

std::vector<Spikes> SpikeCounter::result() const {
  std::vector<Spikes> out;
  for (const Column& column : columns_) out.push_back(column.spikes);
  return out;
}

}  // namespace vprism
