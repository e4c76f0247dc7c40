// slow_part.cpp: see slow_part.h.
#include "identify/courses/slow_part.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "transform/windows/window.h"

namespace vprism {

std::vector<std::complex<double>> turned_down(std::span<const double> x, const std::vector<double>& phase,
                                              double order, std::size_t step) {
  const std::vector<double> window = centred_hann(2 * step);
  const std::size_t points = (x.size() - 1) / step + 2;
  std::vector<std::complex<double>> sums(points, 0.0);
  std::vector<double> weights(points, 0.0);
  for (std::size_t n = 0; n < x.size(); ++n) {
    const std::size_t point = n / step, within = n % step;
    const std::complex<double> v = x[n] * std::polar(1.0, -order * phase[n]);
    // In the falling half of one point's window and the rising half of the next one's.
    sums[point] += window[step + within] * v, weights[point] += window[step + within];
    sums[point + 1] += window[within] * v, weights[point + 1] += window[within];
  }
  for (std::size_t p = 0; p < points; ++p) sums[p] = weights[p] > 0 ? sums[p] / weights[p] : 0.0;
  return sums;
}

SlowPart::SlowPart(std::size_t samples, double rate_hz, double half_band_hz)
    : samples_(samples),
      step_(std::max<std::size_t>(1, static_cast<std::size_t>(rate_hz / (16 * half_band_hz)))),
      points_((samples - 1) / step_ + 2),
      more_(std::min<std::size_t>(points_ - 1, 64)),
      fft_(quick_size_from(points_ + 2 * more_)),
      in_(fft_.size()),
      out_(fft_.size()),
      edge_(half_band_hz / rate_hz * static_cast<double>(step_ * fft_.size())) {
  const std::vector<double> window = centred_hann(2 * step_);
  for (std::size_t k = 0; static_cast<double>(k) < edge_; ++k) {
    double sum = 0;
    for (std::size_t n = 0; n < 2 * step_; ++n)
      sum += window[n] * std::cos(2 * std::numbers::pi * static_cast<double>(k) *
                                  (static_cast<double>(n) + 0.5 - static_cast<double>(step_)) /
                                  static_cast<double>(step_ * fft_.size()));
    const double off = static_cast<double>(k) / edge_;
    const double pass = off <= 0.7 ? 1 : 0.5 + 0.5 * std::cos(std::numbers::pi * (off - 0.7) / 0.3);
    gain_.push_back(pass * static_cast<double>(step_) / sum / static_cast<double>(fft_.size()));
  }
}

void SlowPart::find(std::span<const double> x, const std::vector<double>& phase, double order) {
  const std::vector<std::complex<double>> points = turned_down(x, phase, order, step_);
  std::complex<double>* const in = in_.data();
  const std::size_t size = fft_.size();
  std::fill(in, in + size, std::complex<double>(0.0));
  std::copy(points.begin(), points.end(), in + more_);
  for (std::size_t p = 0; p < more_; ++p) {
    in[more_ - 1 - p] = in[more_ + p];
    in[more_ + points_ + p] = in[more_ + points_ - 1 - p];
  }
  fft_.run(in_, out_);
  std::complex<double>* const bins = out_.data();
  double beside = 0, count = 0;
  for (std::size_t k = 0; k < size; ++k) {
    const std::size_t off = std::min(k, size - k);
    if (static_cast<double>(off) > 2 * edge_ && static_cast<double>(off) < 4 * edge_)
      beside += std::norm(bins[k]), ++count;
    bins[k] *= off < gain_.size() ? gain_[off] : 0.0;
  }
  // The band passes 2 x 0.85 edges of it.
  const double all = static_cast<double>(size) * static_cast<double>(size);
  noise_ = count > 0 ? 2 * beside / count * 1.7 * edge_ / all : 0;
  fft_.back(out_, in_);
  double sum = 0;
  for (std::size_t p = 0; p < points_; ++p) sum += std::norm(in[more_ + p]);
  power_ = 2 * sum / static_cast<double>(points_);  // Half of the square of its amplitude 2 |z|.
}

double SlowPart::power_std() const {
  const double values =
      std::max(1.0, 1.7 * edge_ * static_cast<double>(points_) / static_cast<double>(fft_.size()));
  return std::sqrt((2 * power_ + noise_) * noise_ / values);
}

double SlowPart::further_order(const std::vector<double>& phase) const {
  const std::complex<double>* const slow = in_.data() + more_;
  const std::size_t count = points_ - 1;
  double further = 0;
  for (std::size_t distance = 4; distance < count / 2; distance *= 3) {
    std::complex<double> turn = 0;
    double between = 0, all = 0, pairs = 0;
    for (std::size_t p = 0; p + distance < count; ++p) {
      const double apart = phase[(p + distance) * step_] - phase[p * step_];
      const std::complex<double> one = slow[p + distance] * std::conj(slow[p]);
      turn += one * std::polar(1.0, -further * apart);
      between += apart, all += std::abs(one), ++pairs;
    }
    // Where its level changes sign or noise is strong, what is farther apart says nothing more.
    if (!(std::abs(turn) > 0.7 * all) || !(between > 0)) break;
    further += std::arg(turn) / (between / pairs);
  }
  return further;
}

void SlowPart::take_off(const std::vector<double>& phase, double order, std::vector<double>& x) const {
  const std::complex<double>* const slow = in_.data() + more_;
  for (std::size_t n = 0; n < samples_; ++n) {
    const std::size_t p = n / step_;
    const double u = static_cast<double>(n % step_) / static_cast<double>(step_);
    const std::complex<double> at = between_points(slow, points_, p, u);
    x[n] -= 2 * (at * std::polar(1.0, order * phase[n])).real();
  }
}

}  // namespace vprism
