// chirp_z.cpp: see chirp_z.h.
//
// n m = (n^2 + m^2 - (m - n)^2) / 2, so with c[n] = exp(i pi step n^2)
//     X_m = conj(c[m]) sum_n (x[n] exp(-2 pi i start n) conj(c[n])) c[m - n].
// Phases of n^2 are reduced before they are turned into sines: n^2 step loses nothing below 2^52 turns.
#include "transform/spectra/chirp_z.h"

#include <algorithm>

#include "base/dot.h"
#include "base/turns.h"

namespace vprism {

namespace {

/// step n^2 / 2 modulo 1; n^2 is exact.
double half_square(double step, double n) { return part_of_turn(n * n, step / 2); }

}  // namespace

std::size_t ChirpZ::points_for(std::size_t size, std::size_t count) {
  // Small factors only, near above.
  const std::size_t least = size + count - 1;
  std::size_t best = 1;
  while (best < least) best *= 2;
  for (const std::size_t odd : {3u, 5u, 9u, 15u}) {
    std::size_t points = odd;
    while (points < least) points *= 2;
    best = std::min(best, points);
  }
  return best;
}

ChirpZ::ChirpZ(std::size_t size, std::size_t count, double start, double step)
    : size_(size), count_(count), fft_(points_for(size, count)), kernel_(fft_.size()) {
  for (std::size_t n = 0; n < size; ++n) {
    const auto x = static_cast<double>(n);
    before_.push_back(turned(-start * x - half_square(step, x)));
  }
  for (std::size_t m = 0; m < count; ++m)
    after_.push_back(turned(-half_square(step, static_cast<double>(m))) / static_cast<double>(fft_.size()));
  FftArray<std::complex<double>> chirp(fft_.size());
  for (std::size_t n = 0; n < std::max(size, count); ++n) {
    const std::complex<double> c = turned(half_square(step, static_cast<double>(n)));
    if (n < count) chirp.data()[n] = c;
    if (n > 0 && n < size) chirp.data()[fft_.size() - n] = c;
  }
  fft_.run(chirp, kernel_);
}

void ChirpZ::run(FftArray<std::complex<double>>& line, FftArray<std::complex<double>>& bins) const {
  multiply(before_.data(), size_, line.data());
  std::fill(line.data() + size_, line.data() + fft_.size(), 0.0);
  fft_.run(line, bins);
  multiply(kernel_.data(), fft_.size(), bins.data());
  fft_.back(bins, line);
  multiply(after_.data(), count_, line.data());
}

}  // namespace vprism
