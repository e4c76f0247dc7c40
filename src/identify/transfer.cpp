// transfer.cpp: see transfer.h.
#include "identify/transfer.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace vprism {

namespace {

constexpr double transfer_degrees = 180 / std::numbers::pi;

/// The cubic cubic_through four points at x, Lagrange's way; a line where there are but two.
double cubic_through(const double* at, const double* y, std::size_t count, double x) {
  double sum = 0;
  for (std::size_t i = 0; i < count; ++i) {
    double w = y[i];
    for (std::size_t j = 0; j < count; ++j)
      if (j != i) w *= (x - at[j]) / (at[i] - at[j]);
    sum += w;
  }
  return sum;
}

/// Between which points a place lies: the first of those that the cubic goes cubic_through, and that before
/// it.
struct PlaceBracket {
  std::size_t from = 0, left = 0, count = 0;
};
PlaceBracket bracket_of(const std::vector<double>& places, double x) {
  const auto after = std::upper_bound(places.begin() + 1, places.end() - 1, x);
  const auto left = static_cast<std::size_t>(after - places.begin()) - 1;
  const std::size_t count = std::min<std::size_t>(4, places.size());
  return {std::min(left > 0 ? left - 1 : 0, places.size() - count), left, count};
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

TransferBetween::TransferBetween(const TransferCurve& curve) : curve_(curve) {
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
  const PlaceBracket b = bracket_of(place_, x);
  const auto both = [&](const std::vector<double>& y) {
    const double cubic = cubic_through(&place_[b.from], &y[b.from], b.count, x),
                 line = cubic_through(&place_[b.left], &y[b.left], 2, x);
    return std::pair(cubic, std::abs(cubic - line) / 4);
  };
  const auto [gain, gain_error] = both(gain_);
  const auto [phase, phase_error] = both(phase_);
  return {hz_of(x), std::exp(gain), phase, std::exp(gain) * gain_error, phase_error};
}

std::optional<TransferBetween::Reading> TransferBetween::at(double hz) const {
  if (curve_.hz.size() < 2 || hz < curve_.hz.front() * (1 - 1e-12) || hz > curve_.hz.back() * (1 + 1e-12))
    return {};
  Reading out = read(place(std::clamp(hz, curve_.hz.front(), curve_.hz.back())));
  out.hz = hz;
  // At a point itself there is nothing to interpolate.
  const auto near = std::lower_bound(curve_.hz.begin(), curve_.hz.end(), hz * (1 - 1e-12));
  if (near != curve_.hz.end() && *near <= hz * (1 + 1e-12)) out.gain_error = out.phase_error = 0;
  return out;
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
      out.push_back(read(x));
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

TransferFeatures transfer_features(const TransferCurve& curve) {
  TransferFeatures out;
  const TransferBetween between(curve);
  out.greatest = between.greatest();
  const double first = std::abs(curve.value.front()), last = std::abs(curve.value.back()),
               half = std::sqrt(0.5);
  out.first_gain = first;
  // A pass band reaches an end where the gain there is not far below the greatest, or flat.
  const auto flat_at = [&](std::size_t from, std::size_t to) {
    return std::abs(std::log(std::abs(curve.value[to]) / std::abs(curve.value[from]))) < 0.02;
  };
  const std::size_t n = curve.hz.size(), some = std::max<std::size_t>(1, n / 50);
  const bool low_pass = flat_at(0, some) && first > last,
             high_pass = flat_at(n - 1 - some, n - 1) && last > first;
  out.reference_gain = low_pass ? first : high_pass ? last : out.greatest.gain;
  const double top_hz = low_pass ? curve.hz.front() : high_pass ? curve.hz.back() : out.greatest.hz;
  for (const TransferBetween::Crossing& c : between.gain_crossings(out.reference_gain * half)) {
    if (c.falling && c.at.hz > top_hz && !out.high_hz) out.high_hz = c.at.hz;
    if (!c.falling && c.at.hz < top_hz) out.low_hz = c.at.hz;
  }
  out.kind = out.low_hz && out.high_hz ? "band pass"
             : out.high_hz             ? "low pass"
             : out.low_hz              ? "high pass"
                                       : "all of the band";
  out.unity = between.gain_crossings(1);
  for (const TransferBetween::Crossing& c : out.unity) {
    const double margin = std::remainder(c.at.phase_deg + 180, 360.0);
    if (!out.phase_margin_deg || std::abs(margin) < std::abs(*out.phase_margin_deg))
      out.phase_margin_deg = margin, out.phase_margin_at_hz = c.at.hz;
  }
  for (const TransferBetween::Reading& r : between.phase_crossings()) {
    const double margin = -20 * std::log10(r.gain);
    if (!out.gain_margin_db || std::abs(margin) < std::abs(*out.gain_margin_db))
      out.gain_margin_db = margin, out.gain_margin_at_hz = r.hz;
  }
  return out;
}

double random_output(const TransferCurve& curve, double density, double low_hz, double high_hz) {
  double sum = 0;
  const TransferBetween between(curve);
  for (std::size_t k = 0; k + 1 < curve.hz.size(); ++k) {
    const double a = std::max(curve.hz[k], low_hz), b = std::min(curve.hz[k + 1], high_hz);
    if (!(b > a)) continue;
    // Gauss and Legendre: the cubics of ln |H| follow a resonance between its points.
    constexpr std::array<double, 4> at = {-0.8611363115940526, -0.3399810435848563, 0.3399810435848563,
                                          0.8611363115940526};
    constexpr std::array<double, 4> weight = {0.3478548451374538, 0.6521451548625461, 0.6521451548625461,
                                              0.3478548451374538};
    for (std::size_t i = 0; i < at.size(); ++i) {
      const auto reading = between.at((a + b) / 2 + at[i] * (b - a) / 2);
      if (reading) sum += weight[i] * (b - a) / 2 * reading->gain * reading->gain * density;
    }
  }
  return sum;
}

}  // namespace vprism
