// line_windows.cpp: see line_windows.h.
#include "identify/lines/line_windows.h"

#include <algorithm>
#include <cmath>

#include "transform/windows/window.h"

namespace vprism {

LineWindows::LineWindows(std::span<const double> x, double rate_hz, std::size_t length)
    : x_(x),
      rate_(rate_hz),
      length_(length),
      hop_(length / 2),
      fft_(2 * length),
      in_(2 * length),
      out_(length + 1),
      window_(centred_hann(length)),
      half_(centred_hann(length / 2)) {}

std::size_t LineWindows::change(const Side& before, const Side& behind) const {
  double gain = 0, best = 0;
  std::size_t place = middle(before.window);
  for (std::size_t n = place; n < middle(behind.window); ++n) {
    gain += left_at(before, n) - left_at(behind, n);
    if (gain < best) best = gain, place = n + 1;
  }
  return place;
}

double LineWindows::left_between(const Side& before, const Side& behind, std::size_t change) const {
  double squares = 0;
  for (std::size_t n = middle(before.window); n < middle(behind.window); ++n)
    squares += left_at(n < change ? before : behind, n);
  return squares / static_cast<double>(middle(behind.window) - middle(before.window));
}

double LineWindows::left_at(const Side& side, std::size_t n) const {
  const double t = static_cast<double>(n) - static_cast<double>(middle(side.window));
  const Look& l = side.look;
  const double v = x_[n] - (side.off ? l.mean : l.amplitude * std::cos(tau * l.hz / rate_ * t + l.phase));
  return v * v;
}

LineWindows::Look LineWindows::look(std::size_t window) {
  const std::span<const double> x = x_.subspan(window * hop_, length_);
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
std::complex<double> LineWindows::part(std::span<const double> x, std::size_t from, double turn) const {
  std::complex<double> sum = 0, phasor = std::polar(1.0, -turn * static_cast<double>(from));
  const std::complex<double> step = std::polar(1.0, -turn);
  for (std::size_t n = 0; n < half_.size(); ++n) {
    sum += half_[n] * x[from + n] * phasor;
    phasor *= step;
  }
  return sum;
}

/// Least squares of cosine and sine about the middle.
void LineWindows::fit(std::span<const double> x, double turn, Look& out) const {
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

}  // namespace vprism
