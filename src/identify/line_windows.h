// line_windows.h: a record in windows, with the one sine that fits each best.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// Windows of one length, half overlapping.
class LineWindows {
 public:
  static constexpr double tau = 2 * std::numbers::pi;
  /// One sine in a window.
  struct Look {
    double hz = 0, amplitude = 0, phase = 0;  ///< Phase in radians, at the window's middle.
    double left = 0, square = 0;              ///< Mean squares: of what the sine leaves, and of all
    double mean = 0, moves = 0;               ///< about the window's mean.
    std::size_t state = static_cast<std::size_t>(-1);
  };
  LineWindows(std::span<const double> x, double rate_hz, std::size_t length)
      : x_(x),
        rate_(rate_hz),
        length_(length),
        hop_(length / 2),
        fft_(2 * length),
        in_(2 * length),
        out_(length + 1),
        window_(length) {
    for (std::size_t n = 0; n < length; ++n)
      window_[n] = 0.5 - 0.5 * std::cos(tau * (static_cast<double>(n) + 0.5) / static_cast<double>(length));
    for (std::size_t at = 0; at + length <= x.size(); at += hop_)
      looks.push_back(look(x.subspan(at, length)));
  }
  double middle_s(std::size_t window) const {
    return (static_cast<double>(window * hop_) + static_cast<double>(length_) / 2) / rate_;
  }
  double length_s() const { return static_cast<double>(x_.size()) / rate_; }
  double hop_s() const { return static_cast<double>(hop_) / rate_; }
  double bin_hz() const { return rate_ / static_cast<double>(length_); }

  /// Where what the one window holds gives way to what the other does, so that both leave the least.
  double change_s(std::size_t before, bool before_off, std::size_t behind, bool behind_off) const {
    const std::size_t from = before * hop_ + hop_, to = behind * hop_ + hop_;
    double gain = 0, best = 0;
    std::size_t place = from;
    for (std::size_t n = from; n < to; ++n) {
      gain += left_at(before, before_off, n) - left_at(behind, behind_off, n);
      if (gain < best) best = gain, place = n + 1;
    }
    return static_cast<double>(place) / rate_;
  }

  struct Left {
    double squares = 0, samples = 0;
    bool holds = false;  ///< The change lies between the two.
  };
  /// What the one window's sine leaves up to a change, and the other's from there on.
  Left left_between(std::size_t before, bool before_off, std::size_t behind, bool behind_off,
                    double change_s) const {
    const std::size_t from = before * hop_ + hop_, to = behind * hop_ + hop_;
    const auto place = static_cast<std::size_t>(std::llround(change_s * rate_));
    Left out;
    out.holds = place >= from && place <= to;
    for (std::size_t n = from; n < to; ++n)
      out.squares += n < place ? left_at(before, before_off, n) : left_at(behind, behind_off, n);
    out.samples = static_cast<double>(to - from);
    return out;
  }

  std::vector<Look> looks;

 private:
  double left_at(std::size_t window, bool off, std::size_t n) const {
    const Look& l = looks[window];
    const double t = static_cast<double>(n) - static_cast<double>(window * hop_ + hop_);
    const double v = x_[n] - (off ? l.mean : l.amplitude * std::cos(tau * l.hz / rate_ * t + l.phase));
    return v * v;
  }
  Look look(std::span<const double> x) {
    Look out;
    double sum = 0;
    for (const double v : x) sum += v, out.square += v * v;
    out.square /= static_cast<double>(x.size());
    out.mean = sum / static_cast<double>(x.size());
    out.moves = std::max(0.0, out.square - out.mean * out.mean);
    std::fill(in_.data(), in_.data() + 2 * length_, 0.0);
    for (std::size_t n = 0; n < length_; ++n) in_.data()[n] = window_[n] * x[n];
    fft_.run(in_, out_);
    std::size_t top = 2;
    for (std::size_t k = 2; k < length_; ++k)
      if (std::norm(out_.data()[k]) > std::norm(out_.data()[top])) top = k;
    // A parabola through the logarithms; then by how the phase of one half stands to the other's.
    const auto level = [&](std::size_t k) { return std::log(std::norm(out_.data()[k]) + 1e-300); };
    const double a = level(top - 1), b = level(top), c = level(top + 1), bend = a - 2 * b + c;
    const double shift = bend < 0 ? std::clamp(0.5 * (a - c) / bend, -1.0, 1.0) : 0;
    double turn = tau * (static_cast<double>(top) + shift) / static_cast<double>(2 * length_);
    for (int round = 0; round < 2; ++round) {
      const std::complex<double> first = part(x, 0, turn), second = part(x, length_ / 2, turn);
      turn += std::arg(second * std::conj(first)) / (static_cast<double>(length_) / 2);
    }
    out.hz = turn / tau * rate_;
    fit(x, turn, out);
    return out;
  }
  /// Half a window, turned back.
  std::complex<double> part(std::span<const double> x, std::size_t from, double turn) const {
    const std::size_t half = length_ / 2;
    std::complex<double> sum = 0, phasor = std::polar(1.0, -turn * static_cast<double>(from));
    const std::complex<double> step = std::polar(1.0, -turn);
    for (std::size_t n = 0; n < half; ++n) {
      const double w =
          std::sin(std::numbers::pi * (static_cast<double>(n) + 0.5) / static_cast<double>(half));
      sum += w * w * x[from + n] * phasor;
      phasor *= step;
    }
    return sum;
  }
  /// Least squares of cosine and sine about the middle.
  void fit(std::span<const double> x, double turn, Look& out) const {
    const double middle = static_cast<double>(length_) / 2;
    double cc = 0, ss = 0, cs = 0, xc = 0, xs = 0;
    std::complex<double> phasor = std::polar(1.0, -turn * middle);
    const std::complex<double> step = std::polar(1.0, turn);
    for (const double v : x) {
      const double c = phasor.real(), s = phasor.imag();
      cc += c * c, ss += s * s, cs += c * s, xc += v * c, xs += v * s;
      phasor *= step;
    }
    const double det = cc * ss - cs * cs;
    if (!(det > 1e-9 * cc * ss)) {
      out.left = out.square;
      return;
    }
    const double p = (xc * ss - xs * cs) / det, q = (xs * cc - xc * cs) / det;
    out.amplitude = std::hypot(p, q), out.phase = std::atan2(-q, p);
    out.left = std::max(0.0, out.square - (p * xc + q * xs) / static_cast<double>(length_));
  }

  std::span<const double> x_;
  double rate_;
  std::size_t length_, hop_;
  RealFft fft_;
  FftArray<double> in_;
  FftArray<std::complex<double>> out_;
  std::vector<double> window_;
};

}  // namespace vprism
