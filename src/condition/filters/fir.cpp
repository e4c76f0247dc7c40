// fir.cpp: see fir.h.
//
// Windowed ideal low pass: h[m] = 2 fc sinc(2 fc m) k(m), k Kaiser's window I0(b sqrt(1 - u^2)) / I0(b); for
// A dB: b = 0.1102 (A - 8.7), taps - 1 = (A - 7.95) / (14.36 width), width in cycles per sample (Kaiser 1974;
// Oppenheim & Schafer, Discrete-Time Signal Processing).
#include "condition/filters/fir.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/dot.h"
#include "base/fft.h"
#include "base/machine/clones.h"
#include "condition/filters/reflected_ends.h"

namespace vprism {

double kaiser_beta(double attenuation_db) {
  if (attenuation_db > 50) return 0.1102 * (attenuation_db - 8.7);
  if (attenuation_db < 21) return 0;
  return 0.5842 * std::pow(attenuation_db - 21, 0.4) + 0.07886 * (attenuation_db - 21);
}

std::size_t kaiser_taps(double attenuation_db, double width) {
  const auto order = static_cast<std::size_t>(std::ceil((attenuation_db - 7.95) / (14.36 * width)));
  return (order + 7) / 8 * 8 + 1;  // Nearly all of them in whole lanes.
}

double kaiser_window(double beta, double u) {
  return std::abs(u) >= 1
             ? 1 / std::cyl_bessel_i(0.0, beta)
             : std::cyl_bessel_i(0.0, beta * std::sqrt(1 - u * u)) / std::cyl_bessel_i(0.0, beta);
}

std::vector<double> lowpass_taps(double cutoff, std::size_t taps, double attenuation_db) {
  const double beta = kaiser_beta(attenuation_db);
  const auto half = static_cast<double>(taps / 2);
  std::vector<double> h(taps);
  double sum = 0;
  for (std::size_t i = 0; i < taps; ++i) {
    const double m = static_cast<double>(i) - half, x = 2 * std::numbers::pi * cutoff * m;
    h[i] = 2 * cutoff * (m == 0 ? 1 : std::sin(x) / x) * kaiser_window(beta, half > 0 ? m / half : 0);
    sum += h[i];
  }
  for (double& x : h) x /= sum;
  return h;
}

double centred_gain(const std::vector<double>& taps, double cycles) {
  const double half = (static_cast<double>(taps.size()) - 1) / 2;
  double sum = 0;
  for (std::size_t i = 0; i < taps.size(); ++i)
    sum += taps[i] * std::cos(2 * std::numbers::pi * cycles * (static_cast<double>(i) - half));
  return sum;
}

std::vector<double> taps_from_gain(const std::function<double(double)>& gain, std::size_t taps, double beta) {
  // h(m) = 2 integral over 0 .. 0.5 of gain cos(2 pi f m), by the trapezoid rule on a fine grid.
  const std::size_t grid = 16 * taps;
  const double half = (static_cast<double>(taps) - 1) / 2;
  std::vector<double> values(grid + 1), h(taps);
  for (std::size_t k = 0; k <= grid; ++k)
    values[k] = gain(0.5 * static_cast<double>(k) / static_cast<double>(grid));
  for (std::size_t i = 0; i < taps; ++i) {
    const double m = static_cast<double>(i) - half;
    double sum = 0;
    for (std::size_t k = 0; k <= grid; ++k)
      sum += (k == 0 || k == grid ? 0.5 : 1.0) * values[k] *
             std::cos(std::numbers::pi * m * static_cast<double>(k) / static_cast<double>(grid));
    h[i] = sum / static_cast<double>(grid) * kaiser_window(beta, m / (half + 0.5));
  }
  return h;
}

namespace {

/// Dot products, one for each sample that is wanted.
class DirectFir : public ReflectedWorker {
 public:
  DirectFir(std::vector<double> taps, std::size_t step)
      : ReflectedWorker(taps.size() / 2), taps_(std::move(taps)), step_(step) {}

 protected:
  void run(bool, std::vector<double>& out) override {
    const std::size_t taps = taps_.size();
    if (line_.size() < at_ + taps) return;
    out.reserve(out.size() + (line_.size() - at_ - taps) / step_ + 1);
    for (; at_ + 3 * step_ + taps <= line_.size(); at_ += 4 * step_) {
      double four[4];
      four_dots(taps_.data(), line_.data() + at_, step_, taps, four);
      out.insert(out.end(), four, four + 4);
    }
    for (; at_ + taps <= line_.size(); at_ += step_) {
      // The same order of sums wherever blocks end.
      double one[4];
      four_dots(taps_.data(), line_.data() + at_, 0, taps, one);
      out.push_back(one[0]);
    }
    const std::size_t drop = std::min(at_, line_.size());
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(drop));
    at_ -= drop;
  }

 private:
  std::vector<double> taps_;
  std::size_t step_, at_ = 0;
};

VPRISM_WIDE bool has_gap(const double* x, std::size_t count) {
  std::size_t missing = 0;
  for (std::size_t i = 0; i < count; ++i) missing += x[i] != x[i] ? 1 : 0;
  return missing > 0;
}

/// The same at step 1 by overlapped transforms: each of size M gives M - taps + 1 samples. With `up` 2 the
/// taps run over the record with a zero after each sample; its transform is that of the record, twice over.
class TransformedFir : public ReflectedWorker {
 public:
  TransformedFir(const std::vector<double>& taps, std::size_t up)
      : ReflectedWorker(taps.size() / 2 / up),
        taps_(taps.size()),
        up_(up),
        out_fft_(size_for(taps.size())),
        in_fft_(out_fft_.size() / up),
        in_(in_fft_.size()),
        time_(out_fft_.size()),
        bins_(out_fft_.bins()),
        gain_(out_fft_.bins()) {
    // Turned round, since a product of transforms is a convolution.
    std::reverse_copy(taps.begin(), taps.end(), time_.data());
    out_fft_.run(time_, gain_);
    for (std::complex<double>& g : gain_.span()) g /= static_cast<double>(out_fft_.size());
  }

 protected:
  void run(bool ended, std::vector<double>& out) override {
    std::size_t at = 0;
    while (line_.size() - at >= (ended ? (taps_ + up_ - 1) / up_ : in_fft_.size()))
      at += transform(at, std::min(line_.size() - at, in_fft_.size()), out);
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(at));
  }

 private:
  static std::size_t size_for(std::size_t taps) {
    std::size_t size = 4096;
    while (size < 4 * taps) size *= 2;
    return size;
  }

  /// Works on `count` samples of the line from `at`; how many of them are done with.
  std::size_t transform(std::size_t at, std::size_t count, std::vector<double>& out) {
    double* const x = in_.data();
    const double* const from = line_.data() + at;
    std::copy_n(from, count, x);
    const bool gaps = has_gap(x, count);
    if (gaps)
      std::replace_if(
          x, x + count, [](double v) { return std::isnan(v); }, 0.0);
    std::fill(x + count, x + in_fft_.size(), 0.0);
    in_fft_.run(in_, bins_);
    // Above half the rate the samples' images: the spectrum mirrored.
    if (const std::size_t half = in_fft_.size() / 2; up_ == 2)
      for (std::size_t k = 1; k <= half; ++k) bins_.data()[half + k] = std::conj(bins_.data()[half - k]);
    multiply(gain_.data(), bins_.size(), bins_.data());
    out_fft_.back(bins_, time_);
    const std::size_t made = up_ * count - taps_ + 1, before = out.size();
    out.insert(out.end(), time_.data() + taps_ - 1, time_.data() + up_ * count);
    for (std::size_t i = 0; gaps && i < count; ++i) {
      const std::size_t end = up_ * i + 1;  // Every sum that it takes part in.
      if (std::isnan(from[i]))
        std::fill(out.begin() + static_cast<std::ptrdiff_t>(before + (end > taps_ ? end - taps_ : 0)),
                  out.begin() + static_cast<std::ptrdiff_t>(before + std::min(end, made)), std::nan(""));
    }
    return made / up_;
  }

  std::size_t taps_, up_;
  RealFft out_fft_, in_fft_;
  FftArray<double> in_, time_;
  FftArray<std::complex<double>> bins_, gain_;
};

}  // namespace

std::unique_ptr<ColumnWorker> make_centred_fir(std::vector<double> taps, std::size_t step) {
  if (step == 1 && taps.size() > 64) return std::make_unique<TransformedFir>(taps, 1);
  return std::make_unique<DirectFir>(std::move(taps), step);
}

std::unique_ptr<ColumnWorker> make_doubling_fir(std::vector<double> taps) {
  for (double& tap : taps) tap *= 2;
  return std::make_unique<TransformedFir>(taps, 2);
}

}  // namespace vprism
