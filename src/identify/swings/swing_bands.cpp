// swing_bands.cpp: see swing_bands.h.
#include "identify/swings/swing_bands.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "condition/filters/backcast.h"

namespace vprism {

FftArray<double> with_ends(std::span<const double> x, double mean) {
  constexpr std::size_t course = 4096;
  const std::size_t n = x.size(), part = std::bit_floor(n / 64), more = (n + n / 25 + part) / part * part - n;
  const std::size_t before = more / 2, behind = more - before, near = std::min(n, course);
  std::vector<double> first(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(near)),
      last(x.rbegin(), x.rbegin() + static_cast<std::ptrdiff_t>(near));
  FftArray<double> out(n + more);
  std::copy_n(backcast(first, before).begin(), before, out.data());
  std::copy(x.begin(), x.end(), out.data() + before);
  const std::vector<double> onward = backcast(last, behind);
  std::copy(onward.rbegin(), onward.rend(), out.data() + before + n);
  for (double& v : out.span()) v -= mean;
  return out;
}

namespace {

/// A stretch of bins, the first and the last of which stand above the noise.
struct BandStretch {
  std::size_t low, high;
  std::size_t width() const { return high - low + 1; }
};

/// Parts a stretch at gaps wider than half of what lies to either side.
void part_at_gaps(const std::vector<std::size_t>& standing, std::size_t from, std::size_t until,
                  std::vector<BandStretch>& out) {
  constexpr std::size_t least_gap = 20;
  std::size_t gap = 0, at = until;
  for (std::size_t i = from + 1; i < until; ++i)
    if (standing[i] - standing[i - 1] > gap) gap = standing[i] - standing[i - 1], at = i;
  if (at < until && gap > least_gap) {
    const std::size_t below = standing[at - 1] - standing[from] + 1,
                      above = standing[until - 1] - standing[at] + 1;
    if (2 * gap > std::max(below, above)) {
      part_at_gaps(standing, from, at, out);
      return part_at_gaps(standing, at, until, out);
    }
  }
  out.push_back({standing[from], standing[until - 1]});
}

}  // namespace

std::vector<SwingBand> bands_above_noise(std::span<const std::complex<double>> bins) {
  std::vector<double> power(bins.size());
  double total = 0, stands = 0;
  for (std::size_t k = 1; k < power.size(); ++k) total += power[k] = std::norm(bins[k]);
  std::vector<double> sorted(power.begin() + 1, power.end());
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::nth_element(sorted.begin(), middle, sorted.end());
  const double limit = 12 * *middle / std::numbers::ln2;
  std::vector<std::size_t> standing;
  for (std::size_t k = 1; k < power.size(); ++k)
    if (power[k] > limit) stands += power[k], standing.push_back(k);
  if (!(stands > 0.5 * total)) return {};
  const auto band_of = [&](const BandStretch& stretch) {
    SwingBand band;
    double all = 0, above = 0, greatest = 0, sum = 0;
    for (std::size_t k = stretch.low; k <= stretch.high; ++k) {
      all += power[k];
      if (power[k] > limit) above += power[k];
      // A line between two bins, without a window, holds nine tenths of its power in four.
      if (k >= 2 && k + 2 < power.size())
        greatest = std::max(greatest, power[k - 1] + power[k] + power[k + 1] + power[k + 2]);
    }
    band.share = all / total, band.greatest_line = greatest / all;
    for (std::size_t k = stretch.low; k <= stretch.high; ++k) {
      if (power[k] <= limit) continue;
      sum += power[k];
      if (band.low == 0 && sum > 0.005 * above) band.low = k;
      if (band.high == 0 && sum > 0.995 * above) band.high = k;
    }
    return band;
  };
  std::vector<BandStretch> parts;
  part_at_gaps(standing, 0, standing.size(), parts);
  std::vector<SwingBand> out;
  if (parts.size() > 1)
    for (const BandStretch& stretch : parts) out.push_back(band_of(stretch));
  std::sort(out.begin(), out.end(), [](const SwingBand& a, const SwingBand& b) { return a.share > b.share; });
  out.insert(out.begin(), band_of({standing.front(), standing.back()}));
  return out;
}

}  // namespace vprism
