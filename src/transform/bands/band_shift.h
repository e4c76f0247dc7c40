// band_shift.h: a part of the band shifted down to 0 Hz and decimated.
#pragma once

#include <memory>
#include <vector>

#include "condition/column.h"
#include "signal/block.h"

namespace vprism {

/// z[m] = sum_n h[n] x[m D - n] exp(-2 pi i f (m D - n) / fs): the filter is centred, so sample m stands at
/// time m D / fs, and the phase of a line in z is its phase in x. Of a real x only one of its two halves is
/// in z.
class BandShift {
 public:
  /// `channels`: of the blocks to come; empty: all. With `cutoff_hz`, what lies farther from the shift is
  /// filtered off besides.
  BandShift(double rate_hz, double shift_hz, std::size_t factor, std::vector<std::size_t> channels = {},
            double cutoff_hz = 0);
  ~BandShift();
  BandShift(BandShift&&) noexcept;
  void add(const Block& block);
  /// The record has ended.
  void finish();
  /// What is ready: real and imaginary part of each channel in turn. To be taken away by the caller.
  std::vector<std::vector<double>>& ready();
  std::size_t channels() const;
  /// Samples that come out, to either side of each, into which its filters reach: so many at each end are
  /// partly made up.
  std::size_t reach() const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
