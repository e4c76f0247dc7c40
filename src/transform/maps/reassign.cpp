// reassign.cpp: see reassign.h. With F_g the transform under the window g at time t (the segment's middle)
// and frequency w,
//   t' = t + Re(F_{t h} / F_h)      w' = w - Im(F_{h'} / F_h)
#include "transform/maps/reassign.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

namespace {

/// dw/dn: in closed form for sums of cosines, else by differences, zeros around.
std::vector<double> slope_of(const Window& window, const std::vector<double>& w) {
  const std::vector<double>& terms = window_entry(window.kind).terms;
  const auto size = static_cast<double>(w.size());
  std::vector<double> out(w.size(), 0.0);
  if (terms.size() > 1) {
    for (std::size_t m = 1; m < terms.size(); ++m) {
      const double turn = 2 * std::numbers::pi * static_cast<double>(m) / size, sign = m % 2 == 0 ? 1 : -1;
      for (std::size_t n = 0; n < w.size(); ++n)
        out[n] -= sign * terms[m] * turn * std::sin(turn * static_cast<double>(n));
    }
    return out;
  }
  for (std::size_t n = 0; n < w.size(); ++n)
    out[n] = ((n + 1 < w.size() ? w[n + 1] : 0) - (n > 0 ? w[n - 1] : 0)) / 2;
  return out;
}

}  // namespace

Reassigner::Reassigner(const Window& window, std::size_t size, bool complex)
    : size_(size), complex_(complex), window_(make_window(window, size)), fft_(size) {
  sloped_ = slope_of(window, window_);
  double squares = 0;
  for (std::size_t n = 0; n < size; ++n) {
    timed_.push_back((static_cast<double>(n) - static_cast<double>(size) / 2) * window_[n]);
    squares += window_[n] * window_[n];
  }
  norm_ = 1 / (static_cast<double>(size) * squares);
}

void Reassigner::transform(const std::vector<double>& window, const double* re, const double* im,
                           Scratch& scratch, FftArray<std::complex<double>>& out) const {
  for (std::size_t n = 0; n < size_; ++n)
    scratch.in.data()[n] = {window[n] * re[n], im != nullptr ? window[n] * im[n] : 0};
  fft_.run(scratch.in, out);
}

void Reassigner::run(const double* re, const double* im, Scratch& scratch, std::vector<MovedBin>& out) const {
  transform(window_, re, im, scratch, scratch.plain);
  transform(timed_, re, im, scratch, scratch.timed);
  transform(sloped_, re, im, scratch, scratch.sloped);
  const std::size_t bins = complex_ ? size_ : size_ / 2 + 1;
  double highest = 0;
  for (std::size_t k = 0; k < bins; ++k) highest = std::max(highest, std::norm(scratch.plain.data()[k]));
  out.clear();
  const double middle = static_cast<double>(size_) / 2,
               turn = static_cast<double>(size_) / (2 * std::numbers::pi);
  for (std::size_t k = 0; k < bins; ++k) {
    const std::complex<double> x = scratch.plain.data()[k];
    const double square = std::norm(x);
    if (!(square > 1e-24 * highest)) continue;
    const double later = (scratch.timed.data()[k] * std::conj(x)).real() / square,
                 lower = (scratch.sloped.data()[k] * std::conj(x)).imag() / square;
    const bool mirrored = !complex_ && k != 0 && 2 * k != size_;
    const double at = complex_ && 2 * k > size_ ? static_cast<double>(k) - static_cast<double>(size_)
                                                : static_cast<double>(k);
    out.push_back({middle + later, at - lower * turn, (mirrored ? 2 : 1) * norm_ * square});
  }
}

}  // namespace vprism
