// line_windows.h: a record in windows, with the one sine that fits each best.
#pragma once

#include <complex>
#include <numbers>
#include <span>
#include <vector>

#include "base/fft.h"

namespace vprism {

/// Windows of one length, half overlapping. `x` must outlive it.
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
  LineWindows(std::span<const double> x, double rate_hz, std::size_t length);
  std::size_t count() const { return x_.size() < length_ ? 0 : 1 + (x_.size() - length_) / hop_; }
  Look look(std::size_t window);
  std::size_t first(std::size_t window) const { return window * hop_; }
  std::size_t end(std::size_t window) const { return window * hop_ + length_; }
  double middle_s(std::size_t window) const { return static_cast<double>(middle(window)) / rate_; }
  double hop_s() const { return static_cast<double>(hop_) / rate_; }
  double bin_hz() const { return rate_ / static_cast<double>(length_); }

  /// A window, and whether there is no line in it.
  struct Side {
    std::size_t window;
    bool off;
    const Look& look;
  };
  /// Where what the one holds gives way to what the other does, so that both leave the least: the first
  /// sample of the other.
  std::size_t change(const Side& before, const Side& behind) const;
  /// Mean square of what the one's sine leaves up to a change, and the other's from there on, between their
  /// middles.
  double left_between(const Side& before, const Side& behind, std::size_t change) const;

 private:
  std::size_t middle(std::size_t window) const { return window * hop_ + hop_; }
  double left_at(const Side& side, std::size_t n) const;
  std::complex<double> part(std::span<const double> x, std::size_t from, double turn) const;
  void fit(std::span<const double> x, double turn, Look& out) const;

  std::span<const double> x_;
  double rate_;
  std::size_t length_, hop_;
  RealFft fft_;
  FftArray<double> in_;
  FftArray<std::complex<double>> out_;
  std::vector<double> window_, half_;
};

}  // namespace vprism
