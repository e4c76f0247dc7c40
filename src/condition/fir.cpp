// fir.cpp: see fir.h.
//
// Windowed ideal low pass: h[m] = 2 fc sinc(2 fc m) k(m), k Kaiser's window I0(b sqrt(1 - u^2)) / I0(b); for
// A dB: b = 0.1102 (A - 8.7), taps - 1 = (A - 7.95) / (14.36 width), width in cycles per sample (Kaiser 1974;
// Oppenheim & Schafer, Discrete-Time Signal Processing).
#include "condition/fir.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/clones.h"
#include "base/fft.h"
#include "base/lanes.h"

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

VPRISM_WIDE void dot_in_lanes(const double* a, const double* b, std::size_t count, double& out) {
  Eight s = {}, t = {}, p, x;
  std::size_t i = 0;
  for (; i + 16 <= count; i += 16) {
    load(a + i, p), load(b + i, x), s += p * x;
    load(a + i + 8, p), load(b + i + 8, x), t += p * x;
  }
  for (; i + 8 <= count; i += 8) load(a + i, p), load(b + i, x), s += p * x;
  double sum = total(s) + total(t);
  for (; i < count; ++i) sum += a[i] * b[i];
  out = sum;
}

/// out[j] = sum taps[i] x[j stride + i] for j = 0 .. 3: the taps are loaded once for four sums.
VPRISM_WIDE void four_dots(const double* taps, const double* x, std::size_t stride, std::size_t count,
                           double* out) {
  const double *const x1 = x + stride, *const x2 = x1 + stride, *const x3 = x2 + stride;
  Eight s = {}, t = {}, u = {}, v = {}, h, p;
  std::size_t i = 0;
  for (; i + 8 <= count; i += 8) {
    load(taps + i, h);
    load(x + i, p), s += h * p;
    load(x1 + i, p), t += h * p;
    load(x2 + i, p), u += h * p;
    load(x3 + i, p), v += h * p;
  }
  double a = total(s), b = total(t), c = total(u), d = total(v);
  for (; i < count; ++i)
    a += taps[i] * x[i], b += taps[i] * x1[i], c += taps[i] * x2[i], d += taps[i] * x3[i];
  out[0] = a, out[1] = b, out[2] = c, out[3] = d;
}

/// out[j] = sum taps[j][i] x[j][i] for j = 0 .. 3; count a multiple of 8.
VPRISM_WIDE void four_pairs(const double* const* taps, const double* const* x, std::size_t count,
                            double* out) {
  Eight s = {}, t = {}, u = {}, v = {}, h, p;
  const double *const h0 = taps[0], *const h1 = taps[1], *const h2 = taps[2], *const h3 = taps[3];
  const double *const x0 = x[0], *const x1 = x[1], *const x2 = x[2], *const x3 = x[3];
  for (std::size_t i = 0; i < count; i += 8) {
    load(h0 + i, h), load(x0 + i, p), s += h * p;
    load(h1 + i, h), load(x1 + i, p), t += h * p;
    load(h2 + i, h), load(x2 + i, p), u += h * p;
    load(h3 + i, h), load(x3 + i, p), v += h * p;
  }
  out[0] = total(s), out[1] = total(t), out[2] = total(u), out[3] = total(v);
}

VPRISM_WIDE void two_by_two(const double* const* taps, const double* const* x, std::size_t count,
                            double* out) {
  Eight s = {}, t = {}, u = {}, v = {}, h, p, q;
  const double *const h0 = taps[0], *const h1 = taps[1], *const h2 = taps[2], *const h3 = taps[3];
  const double *const x0 = x[0], *const x2 = x[2];
  for (std::size_t i = 0; i < count; i += 8) {
    load(x0 + i, p), load(x2 + i, q);
    load(h0 + i, h), s += h * p;
    load(h1 + i, h), t += h * p;
    load(h2 + i, h), u += h * q;
    load(h3 + i, h), v += h * q;
  }
  out[0] = total(s), out[1] = total(t), out[2] = total(u), out[3] = total(v);
}

}  // namespace

void four_dots_of(const double* const* taps, const double* const* x, std::size_t count, double* out) {
  four_pairs(taps, x, count, out);
}

void two_by_two_dots_of(const double* const* taps, const double* const* x, std::size_t count, double* out) {
  two_by_two(taps, x, count, out);
}

double dot(const double* a, const double* b, std::size_t count) {
  double out;
  dot_in_lanes(a, b, count, out);
  return out;
}

void ReflectedEnds::begin(std::vector<double>& out) {
  begun_ = true;
  if (held_.empty()) return;
  const double first = held_.front();
  for (std::size_t k = reach_; k > 0; --k) out.push_back(2 * first - held_[std::min(k, held_.size() - 1)]);
  out.insert(out.end(), held_.begin(), held_.end());
}

void ReflectedEnds::add(std::span<const double> in, std::vector<double>& out) {
  if (!begun_) {
    held_.insert(held_.end(), in.begin(), in.end());
    if (held_.size() > reach_) begin(out);
    return;
  }
  out.insert(out.end(), in.begin(), in.end());
  // The last samples are kept for the end.
  if (in.size() > reach_) {
    held_.assign(in.end() - static_cast<std::ptrdiff_t>(reach_ + 1), in.end());
  } else {
    held_.insert(held_.end(), in.begin(), in.end());
    if (held_.size() > 2 * reach_ + 4096)
      held_.erase(held_.begin(), held_.end() - static_cast<std::ptrdiff_t>(reach_ + 1));
  }
}

void ReflectedEnds::finish(std::vector<double>& out) {
  if (!begun_) begin(out);
  if (held_.empty()) return;
  const std::size_t last = held_.size() - 1;
  for (std::size_t k = 1; k <= reach_; ++k) out.push_back(2 * held_[last] - held_[last - std::min(k, last)]);
}

namespace {

/// Dot products, one for each sample that is wanted.
class DirectFir : public ColumnWorker {
 public:
  DirectFir(std::vector<double> taps, std::size_t step)
      : taps_(std::move(taps)), step_(step), ends_(taps_.size() / 2) {}

  void add(std::span<const double> in, std::vector<double>& out) override {
    ends_.add(in, line_);
    run(out);
  }
  void finish(std::vector<double>& out) override {
    ends_.finish(line_);
    run(out);
  }

 private:
  void run(std::vector<double>& out) {
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

  std::vector<double> taps_;
  std::size_t step_;
  ReflectedEnds ends_;
  std::vector<double> line_;
  std::size_t at_ = 0;
};

/// The same at step 1 by overlapped transforms: each of size M gives M - taps + 1 samples.
class TransformedFir : public ColumnWorker {
 public:
  explicit TransformedFir(const std::vector<double>& taps)
      : taps_(taps.size()),
        ends_(taps.size() / 2),
        fft_(size_for(taps.size())),
        time_(fft_.size()),
        bins_(fft_.bins()),
        gain_(fft_.bins()) {
    // Turned round, since a product of transforms is a convolution.
    std::reverse_copy(taps.begin(), taps.end(), time_.data());
    fft_.run(time_, gain_);
    for (std::complex<double>& g : gain_.span()) g /= static_cast<double>(fft_.size());
  }

  void add(std::span<const double> in, std::vector<double>& out) override {
    ends_.add(in, line_);
    while (line_.size() >= fft_.size()) run(fft_.size(), out);
  }
  void finish(std::vector<double>& out) override {
    ends_.finish(line_);
    while (line_.size() >= taps_) run(std::min(line_.size(), fft_.size()), out);
  }

 private:
  static std::size_t size_for(std::size_t taps) {
    std::size_t size = 4096;
    while (size < 4 * taps) size *= 2;
    return size;
  }

  void run(std::size_t count, std::vector<double>& out) {
    double* const x = time_.data();
    std::copy_n(line_.begin(), count, x);
    const bool gaps = std::any_of(x, x + count, [](double v) { return std::isnan(v); });
    if (gaps)
      std::replace_if(
          x, x + count, [](double v) { return std::isnan(v); }, 0.0);
    std::fill(x + count, x + fft_.size(), 0.0);
    fft_.run(time_, bins_);
    // Products written out: those of std::complex look after infinities one by one.
    auto* const y = reinterpret_cast<double*>(bins_.data());
    const auto* const g = reinterpret_cast<const double*>(gain_.data());
    for (std::size_t k = 0; k < 2 * bins_.size(); k += 2) {
      const double re = y[k] * g[k] - y[k + 1] * g[k + 1], im = y[k] * g[k + 1] + y[k + 1] * g[k];
      y[k] = re, y[k + 1] = im;
    }
    fft_.back(bins_, time_);
    const std::size_t made = count - taps_ + 1, at = out.size();
    out.insert(out.end(), x + taps_ - 1, x + count);
    for (std::size_t i = 0; gaps && i < count; ++i)
      if (std::isnan(line_[i]))  // Every sum that it takes part in.
        std::fill(out.begin() + static_cast<std::ptrdiff_t>(at + (i + 1 > taps_ ? i + 1 - taps_ : 0)),
                  out.begin() + static_cast<std::ptrdiff_t>(at + std::min(i + 1, made)), std::nan(""));
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(made));
  }

  std::size_t taps_;
  ReflectedEnds ends_;
  RealFft fft_;
  FftArray<double> time_;
  FftArray<std::complex<double>> bins_, gain_;
  std::vector<double> line_;
};

}  // namespace

std::unique_ptr<ColumnWorker> make_centred_fir(std::vector<double> taps, std::size_t step) {
  if (step == 1 && taps.size() > 64) return std::make_unique<TransformedFir>(taps);
  return std::make_unique<DirectFir>(std::move(taps), step);
}

}  // namespace vprism
