// stamp_spectrum.h: sines fitted to samples at any times, one frequency after the other.
#pragma once

#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// Samples at their times, as a fit wants them; one channel.
struct StampedSamples {
  std::vector<double> time_s, value;
};

struct StampPlan {
  double low_hz = 0, step_hz = 0;
  std::size_t count = 0;
  double span_s = 0;  ///< From the first stamp to the last, and one mean interval.
};

/// Weights of a fit over a record: the window over its span, times the share of time that each sample stands
/// for, up to five mean intervals; so that stamps that crowd do not outvote the rest. They add up to 1.
std::vector<double> stamp_weights(const std::vector<double>& time_s, const Window& window);

/// Frequencies for a record: from where the window's lobe is clear of 0 Hz, four to a resolution width of 1 /
/// span, up to `high_hz`, or half the mean rate. Throws Error(analysis) for less than 8 samples or more work
/// than 4e9 products.
StampPlan plan_stamps(const std::vector<double>& time_s, std::optional<double> low_hz,
                      std::optional<double> high_hz, const Window& window);

/// At each frequency the sine and the constant that fit best, weighted by
/// `stamp_weights` (Lomb 1976; Scargle 1982; with a constant of its own each: Zechmeister & Kuerster 2009).
/// Levels are those of the fitted sine. Without even steps there is no folding at half the rate; but lines
/// answer each other.
Spectrum stamp_spectrum(const StampedSamples& samples, const StampPlan& plan, const Window& window);

}  // namespace vprism
