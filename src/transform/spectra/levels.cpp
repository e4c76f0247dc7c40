// levels.cpp: see levels.h.
#include "transform/spectra/levels.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace vprism {

namespace {

/// Finaliser of SplitMix64 (Steele, Lea & Flood 2014): bits that look random from a counter.
std::uint64_t mixed(std::uint64_t x) {
  x += 0x9E3779B97F4A7C15u;
  x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9u;
  x = (x ^ (x >> 27)) * 0x94D049BB133111EBu;
  return x ^ (x >> 31);
}

/// Whether all of these are a whole number of steps from the first, as nearly as their digits say.
bool on_grid(const std::vector<double>& sorted, double step) {
  const double digits = 1e-12 * std::max(std::abs(sorted.front()), std::abs(sorted.back()));
  return std::all_of(sorted.begin(), sorted.end(), [&](double value) {
    const double steps = (value - sorted.front()) / step;
    return std::abs(steps - std::round(steps)) * step < std::max(digits, 1e-3 * step);
  });
}

/// Few values may lie no two of them one step apart: the power of ten that all are whole numbers of, as
/// printed ones are, where the least difference is none.
double step_of(const std::vector<double>& sorted, double least) {
  if (!(least > 0) || on_grid(sorted, least)) return least;
  constexpr int most_digits = 9;
  for (int k = 0; k <= most_digits; ++k) {
    const double step = std::pow(10.0, std::floor(std::log10(least)) - k);
    if (on_grid(sorted, step) && step > 1e-10 * (sorted.back() - sorted.front())) return step;
  }
  return least;
}

}  // namespace

LevelsEstimator::LevelsEstimator(std::size_t columns)
    // 4 MB of kept samples in all, but enough of each channel for a median.
    : most_(std::clamp<std::size_t>((std::size_t{1} << 19) / std::max<std::size_t>(columns, 1), 1024,
                                    std::size_t{1} << 16)),
      columns_(columns) {}

void LevelsEstimator::add(const Block& block) {
  oneapi::tbb::parallel_for(std::size_t{0}, columns_.size(), [&](std::size_t c) {
    Column& column = columns_[c];
    const auto x = block.samples(c);
    const std::int64_t first = block.first(), end = first + static_cast<std::int64_t>(x.size());
    for (std::int64_t at = first; at < end;) {
      if (column.kept.size() >= most_) {
        for (std::size_t i = 0; i < most_ / 2; ++i)
          column.kept[i] = column.kept[2 * i + (mixed(i + static_cast<std::size_t>(column.stretch)) & 1)];
        column.kept.resize(most_ / 2);
        column.stretch *= 2;
        ++column.doublings;
      }
      if (column.stretch == 1) {
        const auto from = static_cast<std::size_t>(at - first);
        const std::size_t count = std::min(most_ - column.kept.size(), x.size() - from);
        std::copy_if(x.begin() + static_cast<std::ptrdiff_t>(from),
                     x.begin() + static_cast<std::ptrdiff_t>(from + count), std::back_inserter(column.kept),
                     [](double value) { return !std::isnan(value); });
        at += static_cast<std::int64_t>(count);
        continue;
      }
      const std::int64_t number = at >> column.doublings;
      const std::int64_t chosen =
          number * column.stretch + static_cast<std::int64_t>(mixed(static_cast<std::uint64_t>(number)) &
                                                              static_cast<std::uint64_t>(column.stretch - 1));
      if (chosen >= at && chosen < end) {
        const double value = x[static_cast<std::size_t>(chosen - first)];
        if (!std::isnan(value)) column.kept.push_back(value);
      }
      at = (number + 1) * column.stretch;
    }
  });
}

std::vector<Levels> LevelsEstimator::result() const {
  std::vector<Levels> out(columns_.size());
  oneapi::tbb::parallel_for(std::size_t{0}, columns_.size(), [&](std::size_t c) {
    const Column& column = columns_[c];
    Levels& levels = out[c];
    levels.kept = static_cast<std::int64_t>(column.kept.size());
    levels.exact = column.stretch == 1;
    std::vector<double> sorted = column.kept;
    std::sort(sorted.begin(), sorted.end());
    const std::size_t n = sorted.size();
    if (n > 0) {
      levels.median = (sorted[(n - 1) / 2] + sorted[n / 2]) / 2;
      levels.distinct = 1;
    }
    for (std::size_t i = 1; i < n; ++i) {
      const double step = sorted[i] - sorted[i - 1];
      // Values a rounding error apart are one level.
      if (!(step > 1e-12 * std::max(std::abs(sorted[i]), std::abs(sorted[i - 1])))) continue;
      ++levels.distinct;
      if (levels.step == 0 || step < levels.step) levels.step = step;
    }
    // Of many different values two neighbours are among them.
    constexpr std::int64_t few = 1000;
    if (levels.distinct <= few && n > 0) levels.step = step_of(sorted, levels.step);
  });
  return out;
}

}  // namespace vprism
