// slow_part.cpp: see slow_part.h.
#include "identify/courses/slow_part.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

namespace {

/// Of factors 2, 3 and 5.
std::size_t quick_size(std::size_t least) {
  for (std::size_t size = least;; ++size) {
    std::size_t left = size;
    for (const std::size_t factor : {2u, 3u, 5u})
      while (left % factor == 0) left /= factor;
    if (left == 1) return size;
  }
}

}  // namespace

SlowPart::SlowPart(std::size_t samples, double rate_hz, double half_band_hz)
    : samples_(samples),
      step_(std::max<std::size_t>(1, static_cast<std::size_t>(rate_hz / (16 * half_band_hz)))),
      points_((samples - 1) / step_ + 2),
      more_(std::min<std::size_t>(points_ - 1, 64)),
      fft_(quick_size(points_ + 2 * more_)),
      in_(fft_.size()),
      out_(fft_.size()),
      edge_(half_band_hz / rate_hz * static_cast<double>(step_ * fft_.size())) {
  for (std::size_t n = 0; n < 2 * step_; ++n)
    window_.push_back(
        0.5 - 0.5 * std::cos(std::numbers::pi * (static_cast<double>(n) + 0.5) / static_cast<double>(step_)));
  for (std::size_t k = 0; static_cast<double>(k) < edge_; ++k) {
    double sum = 0;
    for (std::size_t n = 0; n < 2 * step_; ++n)
      sum += window_[n] * std::cos(2 * std::numbers::pi * static_cast<double>(k) *
                                   (static_cast<double>(n) + 0.5 - static_cast<double>(step_)) /
                                   static_cast<double>(step_ * fft_.size()));
    const double off = static_cast<double>(k) / edge_;
    const double pass = off <= 0.7 ? 1 : 0.5 + 0.5 * std::cos(std::numbers::pi * (off - 0.7) / 0.3);
    gain_.push_back(pass * static_cast<double>(step_) / sum / static_cast<double>(fft_.size()));
  }
}

void SlowPart::find(std::span<const double> x, const std::vector<double>& phase, double order) {
  std::vector<std::complex<double>> sums(points_, 0.0);
  std::vector<double> weights(points_, 0.0);
  for (std::size_t n = 0; n < samples_; ++n) {
    const std::size_t point = n / step_, within = n % step_;
    const std::complex<double> v = x[n] * std::polar(1.0, -order * phase[n]);
    // In the falling half of one point's window and the rising half of the next one's.
    sums[point] += window_[step_ + within] * v, weights[point] += window_[step_ + within];
    sums[point + 1] += window_[within] * v, weights[point + 1] += window_[within];
  }
  std::complex<double>* const in = in_.data();
  const std::size_t size = fft_.size();
  std::fill(in, in + size, std::complex<double>(0.0));
  for (std::size_t p = 0; p < points_; ++p) in[more_ + p] = weights[p] > 0 ? sums[p] / weights[p] : 0.0;
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
    const std::complex<double> a = slow[p], b = slow[p + 1], before = p > 0 ? slow[p - 1] : 2.0 * a - b,
                               after = p + 2 < points_ ? slow[p + 2] : 2.0 * b - a;
    const std::complex<double> left = 0.5 * (b - before), right = 0.5 * (after - a);
    const std::complex<double> at =
        a + u * (left + u * (3.0 * (b - a) - 2.0 * left - right + u * (2.0 * (a - b) + left + right)));
    x[n] -= 2 * (at * std::polar(1.0, order * phase[n])).real();
  }
}

}  // namespace vprism
