// peak_curve.h: a curve fitted to the samples of one peak, for its place and height between samples.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <vector>

namespace vprism {

/// Uncertainties by what the fit leaves over.
struct TopFit {
  double place = 0, place_std = 0;
  double height = 0, height_std = 0;
  double free = 0;  ///< Samples less parameters.
};

/// Samples of one peak, about its highest.
struct PeakSamples {
  std::int64_t middle = 0;
  double scale = 1, base = 0;  ///< Sample middle + u scale has the height base + y.
  double span = 0;             ///< Greatest of |y|.
  std::vector<double> u, y;

  /// `offset` of a sample from the middle one, in samples.
  template <typename Value, typename Offset>
  void gather(const Value& x, const Offset& offset, std::int64_t from, std::int64_t to) {
    // Long ones are averaged in steps.
    const std::int64_t step = std::max<std::int64_t>(1, (to - from + 1) / 96);
    scale = std::max(1.0, static_cast<double>(std::max(middle - from, to - middle)));
    base = x(middle);
    for (std::int64_t n = from; n + step - 1 <= to; n += step) {
      double sum = 0, place = 0;
      for (std::int64_t k = 0; k < step; ++k) sum += x(n + k), place += offset(n + k);
      u.push_back(place / static_cast<double>(step) / scale);
      y.push_back(sum / static_cast<double>(step) - base);
      span = std::max(span, std::abs(y.back()));
      if (std::isnan(y.back())) {
        u.clear(), y.clear();
        return;
      }
    }
  }
  /// Those of the samples beside the middle that reach no further than `drop` below it.
  PeakSamples upper(double drop) const;
  /// Schwarz's criterion; what rounding leaves is nothing.
  double price(double left, std::size_t parameters) const {
    const auto count = static_cast<double>(u.size());
    return count * std::log(std::max(left / count, 1e-24 * span * span)) +
           static_cast<double>(parameters) * std::log(count);
  }
};

/// The whole peak as a curve that is even about its middle; nothing where odd parts are asked for.
std::optional<TopFit> fit_even(const PeakSamples& samples);
/// A polynomial through the top; nothing where it has no top within. Leaning tops are no polynomials over
/// much of their height: the upper half of the samples' depth decides where it disagrees, and the uncertainty
/// holds that.
std::optional<TopFit> fit_top(const PeakSamples& samples);

}  // namespace vprism
