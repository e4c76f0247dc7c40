// zoom.cpp: see zoom.h.
//
// z[m] = sum_n h[n] x[m D - n] exp(-2 pi i f (m D - n) / fs): the filter is centred, so sample m stands at
// time m D / fs, and the phase of a line in z is its phase in x. Of a real x only one of the two halves is in
// the band, so powers are doubled.
#include "transform/zoom.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/turns.h"
#include "condition/decimator.h"
#include "transform/spectrum_estimator.h"

namespace vprism {

namespace {

/// The greatest factor up to `most` with no prime above 7.
std::size_t smooth_factor(double most) {
  for (auto factor = static_cast<std::size_t>(std::max(1.0, most)); factor > 1; --factor) {
    std::size_t rest = factor;
    for (const std::size_t p : {2u, 3u, 5u, 7u})
      while (rest % p == 0) rest /= p;
    if (rest == 1) return factor;
  }
  return 1;
}

/// Nanoseconds a sample, as measured on the machine this was made on: transforms of N points with windowing,
/// and shifting and decimating. Only their ratio matters.
double transform_cost(const SpectrumPlan& plan, bool complex) {
  const double points = std::log2(static_cast<double>(plan.segment));
  const double each =
      (points > 18 ? 0.8 : 0.4) * points * static_cast<double>(plan.segment) / static_cast<double>(plan.hop);
  return complex ? 2 * each : each;
}
constexpr double shift_cost = 30;

}  // namespace

std::optional<ZoomPlan> plan_zoom(const SpectrumPlan& whole, const Window& window, const Band& band,
                                  std::int64_t samples, bool complex, bool always) {
  const double width = band.high_hz - band.low_hz, guard = 16 * whole.rbw_hz;
  const double left = 0.45 * whole.rate_hz / std::max(width / 2 + 4 * whole.rbw_hz, 1e-300);
  const double enough = static_cast<double>(whole.segment) / 64;  // Bins that must be left.
  ZoomPlan zoom;
  zoom.factor = smooth_factor(std::min({left, enough, 1e6}));
  if (zoom.factor < 2) return {};
  const double flat = 0.45 * whole.rate_hz / static_cast<double>(zoom.factor);
  zoom.band = band;
  zoom.shift_hz = std::round((band.low_hz + band.high_hz) / 2 / whole.bin_hz) * whole.bin_hz;
  if (!complex && (zoom.shift_hz - flat < guard || zoom.shift_hz + flat > whole.rate_hz / 2 - guard) &&
      (band.low_hz < guard || band.high_hz > whole.rate_hz / 2 - guard))
    return {};
  if (!always && transform_cost(whole, complex) <= shift_cost) return {};
  SpectrumSettings inner;
  inner.window = window;
  inner.segment = (whole.segment + zoom.factor - 1) / zoom.factor;
  inner.overlap = 1 - static_cast<double>(whole.hop) / static_cast<double>(whole.segment);
  const auto factor = static_cast<std::int64_t>(zoom.factor);
  const std::int64_t left_samples = (samples + factor - 1) / factor;
  if (static_cast<std::int64_t>(*inner.segment) > left_samples) return {};
  zoom.plan = plan_spectrum(inner, left_samples, whole.rate_hz / static_cast<double>(zoom.factor));
  return zoom;
}

struct ZoomEstimator::Inner {
  Inner(const ZoomPlan& p, const SpectrumSettings& settings, std::vector<std::size_t> c)
      : zoom(p), channels(std::move(c)), estimator(p.plan, settings) {}

  void begin(const Block& block) {
    complex = block.complex();
    if (channels.empty())
      for (std::size_t c = 0; c < block.channels(); ++c) channels.push_back(c);
    for (std::size_t i = 0; i < 2 * channels.size(); ++i) workers.push_back(make_decimator(zoom.factor));
    shifted.resize(workers.size());
    left.resize(workers.size());
  }

  /// The turning phasor at a block's samples; made anew now and then, so that it does not drift.
  void turn(std::int64_t first, std::size_t count) {
    const double turns = zoom.shift_hz / (zoom.plan.rate_hz * static_cast<double>(zoom.factor));
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

  void add(const Block& block) {
    constexpr std::size_t piece = 8192;
    for (std::size_t from = 0; from < block.size(); from += piece) {
      const std::size_t count = std::min(piece, block.size() - from);
      turn(block.first() + static_cast<std::int64_t>(from), count);
      oneapi::tbb::parallel_for(std::size_t{0}, channels.size(), [&](std::size_t c) {
        shift(block, c, from, count);
        for (const std::size_t i : {2 * c, 2 * c + 1}) workers[i]->add(shifted[i], left[i]);
      });
    }
    gaps = gaps || block.gaps();
    hand_on();
  }

  void hand_on() {
    const std::size_t count = left.front().size();
    if (count == 0) return;
    Block block(channels.size(), count, false, true);
    for (std::size_t c = 0; c < channels.size(); ++c) {
      std::copy(left[2 * c].begin(), left[2 * c].end(), block.room(c).begin());
      std::copy(left[2 * c + 1].begin(), left[2 * c + 1].end(), block.room(channels.size() + c).begin());
    }
    block.set(done, count);
    block.set_gaps(gaps);
    done += static_cast<std::int64_t>(count);
    estimator.add(block);
    for (auto& column : left) column.clear();
  }

  ZoomPlan zoom;
  std::vector<std::size_t> channels;
  SpectrumEstimator estimator;
  bool complex = false, gaps = false;
  std::int64_t done = 0;
  std::vector<double> cosine, sine;
  std::vector<std::unique_ptr<ColumnWorker>> workers;  ///< Real and imaginary part of each channel in turn.
  std::vector<std::vector<double>> shifted, left;
};

ZoomEstimator::ZoomEstimator(const ZoomPlan& plan, const SpectrumSettings& settings,
                             std::vector<std::size_t> channels)
    : inner_(std::make_unique<Inner>(plan, settings, std::move(channels))) {}
ZoomEstimator::~ZoomEstimator() = default;
ZoomEstimator::ZoomEstimator(ZoomEstimator&&) noexcept = default;

void ZoomEstimator::add(const Block& block) {
  if (inner_->workers.empty()) inner_->begin(block);
  inner_->add(block);
}

std::vector<Spectrum> ZoomEstimator::result() {
  Inner& in = *inner_;
  if (!in.workers.empty()) {
    for (std::size_t i = 0; i < in.workers.size(); ++i) in.workers[i]->finish(in.left[i]);
    in.hand_on();
  }
  std::vector<Spectrum> out;
  const double flat = 0.45 * in.zoom.plan.rate_hz;
  for (Spectrum& whole : in.estimator.result()) {
    whole.centre_hz = in.zoom.shift_hz;
    whole.mean = 0;
    Spectrum part = whole.cropped(in.zoom.shift_hz - flat, in.zoom.shift_hz + flat);
    part.zoomed = in.zoom.factor;
    if (!in.complex) {
      part.two_sided = false;
      for (double& p : part.power) p *= 2;
      for (auto& stretch : part.stretches)
        for (double& p : stretch) p *= 2;
    }
    out.push_back(std::move(part));
  }
  return out;
}

}  // namespace vprism
