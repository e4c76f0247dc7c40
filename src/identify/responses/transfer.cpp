// transfer.cpp: see transfer.h.
#include "identify/responses/transfer.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/interpolation.h"
#include "base/linear/linear.h"
#include "base/percentile.h"

namespace vprism {

namespace {

constexpr double transfer_degrees = 180 / std::numbers::pi;

/// The point below a place, so that there is one above it.
std::size_t point_below(const std::vector<double>& places, double x) {
  const auto after = std::upper_bound(places.begin() + 1, places.end() - 1, x);
  return static_cast<std::size_t>(after - places.begin()) - 1;
}

}  // namespace

UnwrappedPhase unwrapped_phase(const TransferCurve& curve) {
  UnwrappedPhase out;
  double last = 0;
  for (std::size_t k = 0; k < curve.value.size(); ++k) {
    double phase = std::arg(curve.value[k]) * transfer_degrees;
    if (k > 0) {
      const double step = std::remainder(phase - last, 360.0);
      out.largest_step = std::max(out.largest_step, std::abs(step));
      phase = last + step;
    }
    out.degrees.push_back(phase);
    last = phase;
  }
  return out;
}

std::vector<double> scatter_of(const TransferCurve& curve) {
  const std::size_t n = curve.hz.size();
  std::vector<double> real, imaginary, four(n, -1), six(n, -1);
  for (const std::complex<double>& v : curve.value) real.push_back(v.real()), imaginary.push_back(v.imag());
  const auto off = [&](LeftOut& way, std::size_t k) {
    if (!way.set(curve.hz, k)) return -1.0;
    const double a = way.error(real.data()), b = way.error(imaginary.data());
    return std::isnan(a) || std::isnan(b) ? -1.0
                                          : std::hypot(a, b) / std::max(std::abs(curve.value[k]), 1e-300);
  };
  LeftOut by_four(4), by_six(6);
  for (std::size_t k = 0; k < n; ++k) four[k] = off(by_four, k), six[k] = off(by_six, k);
  std::vector<double> out;
  constexpr std::size_t around = 8;
  for (std::size_t k = 0; k < n; ++k) {
    std::vector<double> near_four, near_six;
    for (std::size_t i = k > around ? k - around : 0; i < std::min(n, k + around + 1); ++i)
      if (four[i] >= 0 && six[i] >= 0) near_four.push_back(four[i]), near_six.push_back(six[i]);
    const double a = near_four.empty() ? 0 : median_in(near_four),
                 b = near_six.empty() ? 0 : median_in(near_six);
    // Of noise s in both parts the median is 1.18 s, and that of what four neighbours leave 1.39 times as
    // much.
    out.push_back(b < 0.5 * a ? a / 16 : a / (1.18 * 1.39));
  }
  // Points that were printed alike do not scatter.
  const std::vector<double> rounding = rounding_of(curve);
  for (std::size_t k = 0; k < n; ++k) out[k] = std::max(out[k], rounding[k]);
  return out;
}

TransferBetween::TransferBetween(const TransferCurve& curve) : curve_(curve), error_(curve.error) {
  logarithmic_ = !curve.hz.empty() && curve.hz.front() > 0 && curve.hz.back() > 10 * curve.hz.front();
  phase_ = unwrapped_phase(curve).degrees;
  for (std::size_t k = 0; k < curve.hz.size(); ++k) {
    place_.push_back(place(curve.hz[k]));
    gain_.push_back(std::log(std::max(std::abs(curve.value[k]), 1e-300)));
  }
}

double TransferBetween::place(double hz) const { return logarithmic_ ? std::log(hz) : hz; }
double TransferBetween::hz_of(double place) const { return logarithmic_ ? std::exp(place) : place; }

TransferBetween::Reading TransferBetween::read(double x) const {
  const std::size_t left = point_below(place_, x);
  LocalPolynomial cubic(4);
  cubic.set(place_, left), cubic.at(x);
  const double share = (x - place_[left]) / (place_[left + 1] - place_[left]);
  const auto line = [&](const std::vector<double>& y) { return y[left] + share * (y[left + 1] - y[left]); };
  const double gain = cubic.value(gain_.data()), phase = cubic.value(phase_.data());
  const double error = error_.empty() ? 0 : line(error_);
  return {hz_of(x),
          std::exp(gain),
          phase,
          std::exp(gain) * std::hypot(std::abs(gain - line(gain_)) / 4, error),
          std::hypot(std::abs(phase - line(phase_)) / 4, error * transfer_degrees),
          0};
}

void TransferBetween::take_hz_std(Reading& reading, double x, bool of_gain) const {
  const double step = 1e-4 * (place_.back() - place_.front()) / static_cast<double>(place_.size());
  const Reading a = read(x - step), b = read(x + step);
  const double slope = (of_gain ? std::log(b.gain / a.gain) : b.phase_deg - a.phase_deg) / (b.hz - a.hz);
  const double off = of_gain ? reading.gain_std / reading.gain : reading.phase_std_deg;
  reading.hz_std = slope != 0 ? std::abs(off / slope) : 0;
}

std::optional<TransferBetween::Reading> TransferBetween::at(double hz) const {
  if (curve_.hz.size() < 2 || hz < curve_.hz.front() * (1 - 1e-12) || hz > curve_.hz.back() * (1 + 1e-12))
    return {};
  Reading out = read(place(std::clamp(hz, curve_.hz.front(), curve_.hz.back())));
  out.hz = hz;
  return out;
}

double TransferBetween::error_at(double hz) const {
  if (error_.empty()) return 0;
  const double x = place(hz);
  const std::size_t left = point_below(place_, x);
  const double share = (x - place_[left]) / (place_[left + 1] - place_[left]);
  return error_[left] + std::clamp(share, 0.0, 1.0) * (error_[left + 1] - error_[left]);
}

double TransferBetween::slope_log(double hz) const {
  const double step = 1e-5 * hz;
  const auto a = read(place(hz - step)), b = read(place(hz + step));
  return std::log(b.gain / a.gain) / (2 * step);
}

double TransferBetween::slope_deg(double hz) const {
  const double step = 1e-5 * hz;
  return (read(place(hz + step)).phase_deg - read(place(hz - step)).phase_deg) / (2 * step);
}

template <typename Value>
std::vector<double> TransferBetween::crossings(const Value& value) const {
  std::vector<double> out;
  for (std::size_t k = 0; k + 1 < place_.size(); ++k) {
    double low = place_[k], high = place_[k + 1];
    double at_low = value(low);
    if (at_low == 0) {
      out.push_back(low);
      continue;
    }
    if (!(at_low * value(high) < 0)) continue;
    for (int step = 0; step < 60; ++step) {
      const double middle = (low + high) / 2, there = value(middle);
      if ((there < 0) == (at_low < 0))
        low = middle;
      else
        high = middle;
    }
    out.push_back((low + high) / 2);
  }
  return out;
}

std::vector<TransferBetween::Crossing> TransferBetween::gain_crossings(double gain) const {
  std::vector<Crossing> out;
  if (place_.size() < 2) return out;
  for (const double x : crossings([&](double p) { return std::log(read(p).gain / gain); })) {
    const double step = 1e-6 * (place_.back() - place_.front());
    out.push_back({read(x), read(x + step).gain < read(x).gain});
    take_hz_std(out.back().at, x, true);
  }
  return out;
}

std::vector<TransferBetween::Reading> TransferBetween::phase_crossings() const {
  std::vector<Reading> out;
  if (place_.size() < 2) return out;
  // Whole turns may lie between: the distance to the nearest odd half turn changes its sign at one.
  const auto [low, high] = std::minmax_element(phase_.begin(), phase_.end());
  for (double level = 360 * std::floor((*low + 180) / 360) - 180; level <= *high; level += 360)
    for (const double x : crossings([&](double p) { return read(p).phase_deg - level; }))
      out.push_back(read(x)), take_hz_std(out.back(), x, false);
  std::sort(out.begin(), out.end(), [](const Reading& a, const Reading& b) { return a.hz < b.hz; });
  return out;
}

TransferBetween::Reading TransferBetween::greatest() const {
  const auto top = static_cast<std::size_t>(std::max_element(gain_.begin(), gain_.end()) - gain_.begin());
  if (gain_.size() < 3 || top == 0 || top + 1 == gain_.size()) return read(place_[top]);
  double low = place_[top - 1], high = place_[top + 1];
  for (int step = 0; step < 100; ++step) {
    const double a = low + (high - low) / 3, b = high - (high - low) / 3;
    (read(a).gain < read(b).gain ? low : high) = read(a).gain < read(b).gain ? a : b;
  }
  return read((low + high) / 2);
}

namespace {

/// A parabola in ln f (f) through the logarithm of the complex points around each, over as many of them as it
/// fits within their errors; the points as they are where none fits or the errors do not matter.
TransferCurve smoothed_transfer(const TransferCurve& curve) {
  constexpr double negligible = 1e-3;
  constexpr std::size_t least = 2, most = 24;  // To each side.
  const std::size_t n = curve.hz.size();
  if (curve.error.size() != n || n < 2 * least + 1 || percentile_of(curve.error, 0.5) < negligible)
    return curve;
  const bool logarithmic = curve.hz.front() > 0 && curve.hz.back() > 10 * curve.hz.front();
  const std::vector<double> degrees = unwrapped_phase(curve).degrees;
  TransferCurve out = curve;
  for (std::size_t k = 0; k < n; ++k) {
    for (std::size_t side = least; side <= most; ++side) {
      const std::size_t from = k > side ? k - side : 0, to = std::min(n, k + side + 1);
      const auto rows = static_cast<Eigen::Index>(to - from);
      Matrix basis(rows, 3), y(rows, 2);
      double expected = 0;
      for (std::size_t i = from; i < to; ++i) {
        const auto r = static_cast<Eigen::Index>(i - from);
        const double x = logarithmic ? std::log(curve.hz[i] / curve.hz[k]) : curve.hz[i] / curve.hz[k] - 1;
        basis.row(r) << 1, x, x * x;
        y.row(r) << std::log(std::max(std::abs(curve.value[i]), 1e-300)), degrees[i] / transfer_degrees;
        expected += curve.error[i] * curve.error[i];
      }
      const Matrix inverse = inverse_of_symmetric(turned_product(basis, basis));
      const Matrix coefficients = product(inverse, turned_product(basis, y));
      const double left = (y - product(basis, coefficients)).squaredNorm(),
                   freedom = 2.0 * static_cast<double>(rows - 3);
      const double share = left / (expected / static_cast<double>(rows)) / freedom;
      if (share > 1 + 2 * std::sqrt(2 / freedom)) break;
      out.value[k] = std::polar(std::exp(coefficients(0, 0)), coefficients(0, 1));
      // The last stretch that fits bends a little more than its errors show: a fifth more covers it.
      out.error[k] = 1.2 * std::sqrt(expected / static_cast<double>(rows) * inverse(0, 0));
    }
  }
  return out;
}

/// Crossings of a gain on both sides of which, up to the next one, the curve goes away from it by more than
/// its errors could: a flat stretch in noise crosses again and again.
std::vector<TransferBetween::Crossing> clear_crossings(const TransferCurve& curve,
                                                       const std::vector<TransferBetween::Crossing>& all,
                                                       double gain) {
  constexpr double deviations = 4;
  if (curve.error.size() != curve.hz.size() || all.empty()) return all;
  // Stretches before, between and behind them.
  std::vector<bool> leaves(all.size() + 1, false);
  std::size_t stretch = 0;
  for (std::size_t k = 0; k < curve.hz.size(); ++k) {
    while (stretch < all.size() && curve.hz[k] > all[stretch].at.hz) ++stretch;
    if (std::abs(std::log(std::abs(curve.value[k]) / gain)) > deviations * curve.error[k])
      leaves[stretch] = true;
  }
  std::vector<TransferBetween::Crossing> out;
  for (std::size_t c = 0; c < all.size(); ++c)
    if (leaves[c] && leaves[c + 1]) out.push_back(all[c]);
  return out;
}

struct EndSlope {
  double value = 0, std = 0;
};

/// Of ln |H| over ln f, by least squares over the points [from, to].
EndSlope end_slope(const TransferCurve& curve, std::size_t from, std::size_t to) {
  double count = 0, x_sum = 0, y_sum = 0, xx = 0, xy = 0, squares = 0;
  for (std::size_t k = from; k <= to; ++k) {
    if (!(curve.hz[k] > 0) || !(std::abs(curve.value[k]) > 0)) continue;
    const double x = std::log(curve.hz[k] / curve.hz[to]), y = std::log(std::abs(curve.value[k]));
    count += 1, x_sum += x, y_sum += y, xx += x * x, xy += x * y;
    if (!curve.error.empty()) squares += curve.error[k] * curve.error[k];
  }
  const double spread = xx - x_sum * x_sum / std::max(count, 1.0);
  if (!(spread > 0)) return {};
  return {(xy - x_sum * y_sum / count) / spread, std::sqrt(squares / count / spread)};
}

/// Whether the gain is flat at an end, so that a pass band reaches it: less than 1.5 dB an octave over a
/// tenth of the points, or as many as it takes to know; not where a quarter of them do not tell.
bool is_flat_at(const TransferCurve& curve, bool low_end) {
  constexpr double flat = 0.25, known = 0.1;
  const std::size_t n = curve.hz.size(), most = std::max<std::size_t>(2, n / 4);
  for (std::size_t some = std::max<std::size_t>(2, n / 10); some < n;
       some += std::max<std::size_t>(1, n / 20)) {
    const EndSlope slope = low_end ? end_slope(curve, 0, some) : end_slope(curve, n - 1 - some, n - 1);
    if (slope.std > known && some < most) continue;
    return std::abs(slope.value) < flat && slope.std < flat;
  }
  return false;
}

}  // namespace

TransferFeatures transfer_features(const TransferCurve& given) {
  TransferFeatures out;
  const TransferCurve curve = smoothed_transfer(given);
  const TransferBetween between(curve);
  out.greatest = between.greatest();
  const double first = std::abs(curve.value.front()), last = std::abs(curve.value.back()),
               half = std::sqrt(0.5);
  out.first_gain = first;
  const bool low_pass = first > last && is_flat_at(curve, true),
             high_pass = last > first && is_flat_at(curve, false);
  out.reference_gain = low_pass ? first : high_pass ? last : out.greatest.gain;
  const double top_hz = low_pass ? curve.hz.front() : high_pass ? curve.hz.back() : out.greatest.hz;
  const double reference_hz = low_pass ? curve.hz.front() : high_pass ? curve.hz.back() : out.greatest.hz;
  const double reference_error = between.error_at(reference_hz);
  const auto crossing_std = [&](const TransferBetween::Reading& at) {
    const double slope = between.slope_log(at.hz);
    return std::hypot(at.hz_std, slope != 0 ? reference_error / slope : 0);
  };
  for (const TransferBetween::Crossing& c : between.gain_crossings(out.reference_gain * half)) {
    if (c.falling && c.at.hz > top_hz && !out.high_hz)
      out.high_hz = c.at.hz, out.high_std_hz = crossing_std(c.at);
    if (!c.falling && c.at.hz < top_hz) out.low_hz = c.at.hz, out.low_std_hz = crossing_std(c.at);
  }
  out.kind = out.low_hz && out.high_hz ? "band pass"
             : out.high_hz             ? "low pass"
             : out.low_hz              ? "high pass"
                                       : "all of the band";
  out.unity = clear_crossings(curve, between.gain_crossings(1), 1);
  for (const TransferBetween::Crossing& c : out.unity) {
    const double margin = std::remainder(c.at.phase_deg + 180, 360.0);
    if (!out.phase_margin_deg || std::abs(margin) < std::abs(*out.phase_margin_deg))
      out.phase_margin_deg = margin, out.phase_margin_at_hz = c.at.hz,
      out.phase_margin_std_deg = std::hypot(c.at.phase_std_deg, between.slope_deg(c.at.hz) * c.at.hz_std);
  }
  for (const TransferBetween::Reading& r : between.phase_crossings()) {
    const double margin = -20 * std::log10(r.gain);
    if (!out.gain_margin_db || std::abs(margin) < std::abs(*out.gain_margin_db))
      out.gain_margin_db = margin, out.gain_margin_at_hz = r.hz,
      out.gain_margin_std_db =
          8.685889638 * std::hypot(r.gain_std / r.gain, between.slope_log(r.hz) * r.hz_std);
  }
  return out;
}

double random_output(const TransferCurve& curve, double density, double low_hz, double high_hz) {
  double sum = 0;
  const TransferBetween between(curve);
  for (std::size_t k = 0; k + 1 < curve.hz.size(); ++k) {
    const double a = std::max(curve.hz[k], low_hz), b = std::min(curve.hz[k + 1], high_hz);
    if (!(b > a)) continue;
    // The cubics of ln |H| follow a resonance between its points.
    for (std::size_t i = 0; i < gauss_points.size(); ++i) {
      const double hz = (a + b) / 2 + gauss_points[i] * (b - a) / 2;
      const auto reading = between.at(hz);
      // Noise in both parts of H adds its own square.
      const double error = between.error_at(hz), own = std::max(0.0, 1 - 2 * error * error);
      if (reading) sum += gauss_weights[i] * (b - a) / 2 * reading->gain * reading->gain * own * density;
    }
  }
  return sum;
}

}  // namespace vprism
