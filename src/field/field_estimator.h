// field_estimator.h: spectra of many points: what they have in common, where each is greatest, and amplitudes
// and phases at chosen frequencies.
#pragma once

#include <complex>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "signal/points.h"
#include "transform/windows/window.h"

namespace vprism {

struct FieldPlan {
  std::vector<std::size_t> frames;  ///< Those used, of what `PointSource::read` gives; evenly spaced.
  double rate_hz = 1;               ///< Of those.
  Window window;
  std::size_t variables = 1;
  int derive = 0;                        ///< Each bin times (2 pi i f)^derive, -2 to 2.
  std::vector<double> at_hz;             ///< Where amplitudes are told.
  std::vector<std::size_t> kept_points;  ///< Points whose whole transforms are kept.
  /// Where values are transforms already: what goes with them, and which of its points and variables these
  /// are.
  const SavedTransforms* saved = nullptr;
  std::vector<std::size_t> source_points, source_variables;
  std::size_t bins() const { return frames.size() / 2 + 1; }
  double bin_hz() const { return rate_hz / static_cast<double>(frames.size()); }
  double duration_s() const { return static_cast<double>(frames.size()) / rate_hz; }
};

/// Levels are mean squares per bin as a spectrum's are, of series whose mean was taken off.
struct FieldSums {
  std::size_t points = 0;                                ///< That counted: all but those left out.
  std::vector<std::vector<double>> mean_power;           ///< [variable][bin], over points.
  std::vector<std::vector<double>> max_power;            ///< The greatest of any point.
  std::vector<std::vector<std::size_t>> max_point;       ///< Which.
  std::vector<std::vector<double>> mean_square_in_time;  ///< [variable][frame], over points.
  std::vector<std::vector<double>> rms;                  ///< [variable][point]; NaN where left out.
  std::vector<std::vector<double>> top_power, top_hz;  ///< [variable][point]: greatest bin but DC, and where.
  /// [frequency][variable][point]: peak amplitude, phase of a cosine at the first frame.
  std::vector<std::vector<std::vector<std::complex<double>>>> amplitude;
  /// [kept][variable][bin]: transform over sum(w), times 2 but at DC and Nyquist: peak amplitudes.
  std::vector<std::vector<std::vector<std::complex<double>>>> kept;
  std::vector<std::size_t> bridged,
      left_out;  ///< Points with a few values missing, and with too many (over 5%).
  double enbw_bins = 1;
};

/// Given groups of points, in order; asked once. Memory: the sums, whatever the number of frames times
/// points.
class FieldEstimator {
 public:
  /// `keep`, if set, is handed the transforms of each group of points, as SavedTransforms are read.
  using Keep = std::function<void(const FieldPlan& plan, std::size_t first, std::size_t count,
                                  std::span<const double>)>;
  FieldEstimator(FieldPlan plan, std::size_t points, Keep keep = {});
  ~FieldEstimator();
  /// The points first .. first + count - 1 of those looked at. Variable v of the i-th of them is series
  /// series[i * variables + v] of the view, as PointSource::read gives them.
  void add(std::size_t first, std::size_t count, const SeriesView& view, std::span<const std::size_t> series);
  /// Throws Error(analysis) when no point counts.
  FieldSums result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
