// band_shift.cpp: see band_shift.h.
#include "transform/bands/band_shift.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/turns.h"
#include "condition/filters/fir.h"
#include "condition/steps/decimator.h"

namespace vprism {

struct BandShift::Inner {
  double turns = 0;  ///< Of the shift, each sample.
  std::size_t factor = 1;
  double cutoff = 0;  ///< Cycles per sample that is left; 0: none.
  std::vector<std::size_t> channels;
  bool begun = false, complex = false;
  std::vector<double> cosine, sine;
  std::vector<std::unique_ptr<ColumnWorker>> workers;  ///< Real and imaginary part of each channel in turn.
  std::vector<std::vector<double>> shifted, left;

  std::unique_ptr<ColumnWorker> make_worker(std::size_t by) const {
    std::vector<std::unique_ptr<ColumnWorker>> series;
    if (by > 1) series.push_back(make_decimator(by));
    if (cutoff > 0 && cutoff < 0.48) {
      const double width = std::min(0.25 * cutoff, 0.5 - cutoff);
      series.push_back(make_centred_fir(lowpass_taps(cutoff + width / 2, kaiser_taps(80, width), 80)));
    }
    if (series.empty()) series.push_back(make_centred_fir({1.0}));
    return std::make_unique<WorkerSeries>(std::move(series));
  }

  void begin(const Block& block) {
    begun = true;
    complex = block.complex();
    if (channels.empty())
      for (std::size_t c = 0; c < block.channels(); ++c) channels.push_back(c);
    for (std::size_t i = 0; i < 2 * channels.size(); ++i) workers.push_back(make_worker(factor));
    shifted.resize(workers.size());
    left.resize(workers.size());
  }

  /// The turning phasor at a block's samples; made anew now and then, so that it does not drift.
  void turn(std::int64_t first, std::size_t count) {
    cosine.resize(count);
    sine.resize(count);
    const std::complex<double> step = std::polar(1.0, -2 * std::numbers::pi * turns);
    std::complex<double> now;
    for (std::size_t n = 0; n < count; ++n) {
      if (n % 64 == 0) {
        now = turned(-part_of_turn(static_cast<double>(first + static_cast<std::int64_t>(n)), turns));
      }
      cosine[n] = now.real(), sine[n] = now.imag();
      now = {now.real() * step.real() - now.imag() * step.imag(),
             now.real() * step.imag() + now.imag() * step.real()};
    }
  }

  void shift(const Block& block, std::size_t channel, std::size_t from, std::size_t count) {
    const double* const re = block.samples(channels[channel]).data() + from;
    const double* const im = complex ? block.imaginary(channels[channel]).data() + from : nullptr;
    std::vector<double>&a = shifted[2 * channel], &b = shifted[2 * channel + 1];
    a.resize(count), b.resize(count);
    for (std::size_t n = 0; n < count; ++n) {
      a[n] = re[n] * cosine[n] - (im != nullptr ? im[n] * sine[n] : 0);
      b[n] = re[n] * sine[n] + (im != nullptr ? im[n] * cosine[n] : 0);
    }
  }
};

BandShift::BandShift(double rate_hz, double shift_hz, std::size_t factor, std::vector<std::size_t> channels,
                     double cutoff_hz)
    : inner_(std::make_unique<Inner>()) {
  inner_->turns = shift_hz / rate_hz;
  inner_->factor = factor;
  inner_->cutoff = cutoff_hz / rate_hz * static_cast<double>(factor);
  inner_->channels = std::move(channels);
}
BandShift::~BandShift() = default;
BandShift::BandShift(BandShift&&) noexcept = default;

void BandShift::add(const Block& block) {
  Inner& in = *inner_;
  if (!in.begun) in.begin(block);
  constexpr std::size_t piece = 8192;
  for (std::size_t from = 0; from < block.size(); from += piece) {
    const std::size_t count = std::min(piece, block.size() - from);
    in.turn(block.first() + static_cast<std::int64_t>(from), count);
    oneapi::tbb::parallel_for(std::size_t{0}, in.channels.size(), [&](std::size_t c) {
      in.shift(block, c, from, count);
      for (const std::size_t i : {2 * c, 2 * c + 1}) in.workers[i]->add(in.shifted[i], in.left[i]);
    });
  }
}

void BandShift::finish() {
  for (std::size_t i = 0; i < inner_->workers.size(); ++i) inner_->workers[i]->finish(inner_->left[i]);
}

std::vector<std::vector<double>>& BandShift::ready() { return inner_->left; }
std::size_t BandShift::reach() const {
  // What one sample becomes; the last stages decide, so that a large factor need not be run.
  constexpr std::size_t most = 256;
  const std::size_t factor = std::min<std::size_t>(inner_->factor, 64);
  std::vector<double> in(2 * most * factor, 0.0), out;
  in[most * factor] = 1;
  const std::unique_ptr<ColumnWorker> worker = inner_->make_worker(factor);
  worker->add(in, out);
  worker->finish(out);
  double top = 0;
  for (const double v : out) top = std::max(top, std::abs(v));
  std::size_t reach = 0;
  for (std::size_t n = 0; n < out.size(); ++n)
    if (std::abs(out[n]) > 1e-3 * top) reach = std::max(reach, n > most ? n - most : most - n);
  return reach;
}

std::size_t BandShift::channels() const { return inner_->channels.size(); }

}  // namespace vprism
