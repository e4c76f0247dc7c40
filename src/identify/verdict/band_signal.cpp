// band_signal.cpp: see band_signal.h. Of the record's transform the bins of the band are kept, moved to zero
// and turned back: a low pass without a delay that decimates at the same time.
#include "identify/verdict/band_signal.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

BandSource::BandSource(std::span<const double> samples, double rate_hz)
    : count_(samples.size()), rate_hz_(rate_hz), bin_hz_(rate_hz / static_cast<double>(samples.size())) {
  FftArray<double> time(count_);
  FftArray<std::complex<double>> out(count_ / 2 + 1);
  double mean = 0;
  for (const double v : samples) mean += v / static_cast<double>(count_);
  for (std::size_t n = 0; n < count_; ++n) time.data()[n] = samples[n] - mean;
  RealFft(count_).run(time, out);
  bins_.assign(out.data(), out.data() + out.size());
}

double BandSource::mean_square(double low_hz, double high_hz) const {
  double sum = 0;
  const auto last = static_cast<double>(bins_.size() - 1);
  for (auto k = static_cast<std::size_t>(std::clamp(std::ceil(low_hz / bin_hz_), 1.0, last));
       k < bins_.size() && static_cast<double>(k) * bin_hz_ <= high_hz; ++k)
    sum += std::norm(bins_[k]);
  return 2 * sum / (static_cast<double>(count_) * static_cast<double>(count_));
}

BandSignal BandSource::take(double low_hz, double high_hz, double density) const {
  BandSignal band;
  const double width = (high_hz - low_hz) / bin_hz_, edge = width / 2;
  const auto centre = static_cast<std::ptrdiff_t>(std::lround((low_hz + high_hz) / 2 / bin_hz_));
  const auto reach = static_cast<std::ptrdiff_t>(std::ceil(width / 2 + edge));
  // Long ones of small factors: others are slow to transform. Short ones are quicker planned as they are.
  constexpr std::size_t long_from = 50000;
  const auto needed = static_cast<std::size_t>(2 * reach + 1);
  const std::size_t size = needed > long_from ? quick_size_from(needed) : needed;
  if (width < 8 || count_ < 64) return band;
  FftArray<std::complex<double>> in(size), out(size);
  std::fill(in.data(), in.data() + size, std::complex<double>{});
  double squares = 0;
  for (std::ptrdiff_t d = -reach; d <= reach; ++d) {
    const std::ptrdiff_t k = centre + d;
    const double beyond = (std::abs(static_cast<double>(d)) - width / 2) / edge;
    const double gain = beyond <= 0 ? 1 : beyond >= 1 ? 0 : 0.5 + 0.5 * std::cos(std::numbers::pi * beyond);
    squares += gain * gain;
    if (k <= 0 || k >= static_cast<std::ptrdiff_t>(bins_.size())) continue;
    const std::size_t at = static_cast<std::size_t>(d < 0 ? d + static_cast<std::ptrdiff_t>(size) : d);
    in.data()[at] = 2.0 / static_cast<double>(count_) * gain * bins_[static_cast<std::size_t>(k)];
  }
  ComplexFft(size).back(in, out);
  // A flank of `edge` bins rings for about twice its inverse.
  const auto ends = static_cast<std::size_t>(std::ceil(2 * static_cast<double>(size) / edge));
  if (2 * ends + 8 > size) return band;
  band.centre_hz = static_cast<double>(centre) * bin_hz_;
  band.step_s = static_cast<double>(count_) / rate_hz_ / static_cast<double>(size);
  band.start_s = static_cast<double>(ends) * band.step_s;
  band.values.assign(out.data() + ends, out.data() + (size - ends));
  band.noise = 2 * density * squares * bin_hz_;
  return band;
}

}  // namespace vprism
