// peak_template.h: peaks found by their shape: a matched filter made from a stretch of a channel, or from the
// mean of peaks found before (Turin, IRE Trans. Inf. Theory 6, 1960).
//
// With the shape p[k], its mean over the stretch taken off, and samples x = a p + b + noise, least squares
// give a = sum p x / sum p^2; in white noise with the variance s^2 / sum p^2, and its place with the variance
// s^2 / (a^2 sum p'^2). In noise of any colour these are the variances of what the filter makes of it, and of
// its slope over its bend at the top, a sum p'^2: both are measured where no peak is near.
#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace vprism {

struct PeakTemplate {
  std::vector<double> shape;         ///< An odd number about the top; the mean is taken off, zeros fill up.
  std::size_t first = 0, count = 0;  ///< The stretch within it.
  double height = 0;        ///< Of the top over the level of the stretch's ends, as the channel has it.
  double top = 0;           ///< Where the top lies, samples from the middle.
  double energy = 0;        ///< Sum of the squares.
  double slope_energy = 0;  ///< Sum of the squares of its slope.
  bool empty() const { return shape.empty(); }
  /// Taps whose centred sum over samples is the height of the shape found there (above 0 for minima, too).
  std::vector<double> taps() const;
};

/// Of 5 samples at least, whose top (`sign` -1: lowest place) is not at its edge. Empty where the stretch is
/// flat, holds gaps, or is too short.
PeakTemplate template_of(std::span<const double> stretch, double sign);

/// What a match is worth, in one pass over the samples that the filter ran over, by what the shape leaves of
/// them as if it were white.
struct PeakMatch {
  double likeness =
      std::nan("");  ///< Correlation with the shape, -1 to 1; not known where samples are missing.
  double place_std = 0, height_std = 0;
};
class MatchMeter {
 public:
  /// `places`: samples of the tops, rising.
  MatchMeter(const PeakTemplate& shape, std::vector<std::int64_t> places);
  void add(std::span<const double> samples);
  /// One for each place.
  const std::vector<PeakMatch>& matches() const { return matches_; }

 private:
  PeakMatch measure(std::int64_t place) const;
  const PeakTemplate& shape_;
  std::vector<std::int64_t> places_;
  std::vector<PeakMatch> matches_;
  std::vector<double> ring_;
  std::size_t next_ = 0;
  std::int64_t at_ = 0;
};

/// What a matched filter makes of noise alone: farther than `reach` from all of the places.
class MatchNoise {
 public:
  MatchNoise(std::vector<std::int64_t> places, std::int64_t reach);
  void add(std::span<const double> filtered);
  /// Standard deviations of its samples, and of their slope per sample; nothing where less than ten times the
  /// reach is free. By medians, so that single events do not count.
  struct Found {
    double level = 0, slope = 0;
  };
  std::optional<Found> found() const;

 private:
  std::vector<std::int64_t> places_;
  std::int64_t reach_, at_ = 0, free_ = 0, stride_ = 1;
  std::size_t next_ = 0;
  double before_[2] = {};
  std::vector<double> levels_, slopes_;  ///< Of every `stride_`-th.
};

/// The mean of the samples about places between samples, by straight lines, as they pass.
class MeanShape {
 public:
  MeanShape(std::vector<double> places, std::int64_t reach);
  void add(std::span<const double> samples);
  /// 2 reach + 1 values; empty where no whole one passed.
  std::vector<double> mean() const;

 private:
  std::vector<double> places_, sum_, ring_;
  std::int64_t reach_, at_ = 0, taken_ = 0;
  std::size_t next_ = 0;
};

}  // namespace vprism
