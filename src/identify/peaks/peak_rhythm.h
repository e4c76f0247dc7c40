// peak_rhythm.h: how regularly peaks come, and in which of two channels first.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// How regularly peaks come.
struct PeakRhythm {
  std::int64_t intervals = 0;  ///< Usual ones: those with a peak missed or too many left out.
  double mean_s = 0, std_s = 0, median_s = 0;
  double neighbour_scatter_s = 0;      ///< RMS of the differences of neighbouring intervals.
  std::int64_t missed = 0, extra = 0;  ///< By intervals of twice (three, ...) or half the usual.
  std::vector<std::size_t> long_after, short_after;  ///< Peaks that such intervals begin with.
  double rate_hz = 0, trend_hz_per_s = 0, trend_std = 0;
};
/// Of at least three times in order.
std::optional<PeakRhythm> rhythm_of(std::span<const double> times_s);

/// Peaks of two channels side by side: each of the first with the nearest of the second within half the usual
/// interval.
struct PeakPairing {
  std::int64_t pairs = 0, alone_first = 0, alone_second = 0;
  double delay_mean_s = 0, delay_std_s = 0;  ///< Second less first.
};
PeakPairing pair_peaks(std::span<const double> first_s, std::span<const double> second_s, double reach_s);

}  // namespace vprism
