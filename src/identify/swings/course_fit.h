// course_fit.h: a series in time as a constant, a drift, steps and periodic swings, fitted together.
#pragma once

#include <complex>
#include <span>
#include <string>
#include <vector>

#include "base/linear/linear.h"

namespace vprism {

/// A periodic to and fro of amplitude or frequency.
struct Swing {
  double rate_hz = 0, rate_std_hz = 0;
  double peak = 0, peak_std = 0;  ///< Half of its peak to peak, for the shape that it has.
  std::string shape;       ///< "sine", "triangle", "sawtooth up", "sawtooth down", "square", "irregular".
  double likeness = 0;     ///< Correlation with that shape over the orders below half the rate, at most nine.
  double fundamental = 0;  ///< Amplitude of the first order alone.
  double phase_deg = 0;    ///< Of a cosine at the first sample.
};

/// Shape of a periodic wave from its orders (complex amplitudes of cosines, from the first on): the one of
/// the known shapes that it is most like when set to the same phase.
Swing name_shape(std::span<const std::complex<double>> orders);

/// Steps at known times, seconds from the first value on.
struct CourseSteps {
  std::vector<double> at_s, sizes;
};

/// The fit's columns are a constant, the drift over the whole series (-1/2 to 1/2), a step each, and cosine
/// and sine of each order.
struct CourseFit {
  double rate_hz = 0;
  std::size_t count = 0;
  std::vector<double> steps_s, hz;
  Vector values, deviations;
  std::vector<double> residual;
  double rms = 0;  ///< Of the residual, without what lies beside steps.
  std::vector<Swing> swings;
  /// Takes constant, drift, steps and the orders below a frequency off values that begin at `start_s`, at
  /// another rate.
  void take_off(std::span<double> x, double rate_hz, double start_s, double below_hz) const;
};

/// Lines of the series are orders of its swings, up to nine each; those over what noise would reach once in
/// a thousand series are reported. `difference_rate_hz`: where values are speeds from one sample before to
/// one after, the rate of those samples: what that takes of a swing is given back. `steps.sizes` are first
/// guesses.
CourseFit fit_course(std::span<const double> x, double rate_hz, const CourseSteps& steps,
                     double difference_rate_hz = 0);

}  // namespace vprism
