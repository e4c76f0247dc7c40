// zoom.cpp: see zoom.h.
// Of a real channel only one of the two halves is in the band (band_shift.h), so powers are doubled.
#include "transform/bands/zoom.h"

#include <algorithm>
#include <cmath>

#include "transform/bands/band_shift.h"
#include "transform/spectra/spectrum_estimator.h"

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
  Inner(const ZoomPlan& p, const SpectrumSettings& settings, std::vector<std::size_t> channels)
      : zoom(p),
        shift(p.plan.rate_hz * static_cast<double>(p.factor), p.shift_hz, p.factor, std::move(channels)),
        estimator(p.plan, settings) {}

  void hand_on() {
    std::vector<std::vector<double>>& left = shift.ready();
    const std::size_t count = left.front().size(), channels = shift.channels();
    if (count == 0) return;
    Block block(channels, count, false, true);
    for (std::size_t c = 0; c < channels; ++c) {
      std::copy(left[2 * c].begin(), left[2 * c].end(), block.room(c).begin());
      std::copy(left[2 * c + 1].begin(), left[2 * c + 1].end(), block.room(channels + c).begin());
    }
    block.set(done, count);
    block.set_gaps(gaps);
    done += static_cast<std::int64_t>(count);
    estimator.add(block);
    for (auto& column : left) column.clear();
  }

  ZoomPlan zoom;
  BandShift shift;
  SpectrumEstimator estimator;
  bool begun = false, complex = false, gaps = false;
  std::int64_t done = 0;
};

ZoomEstimator::ZoomEstimator(const ZoomPlan& plan, const SpectrumSettings& settings,
                             std::vector<std::size_t> channels)
    : inner_(std::make_unique<Inner>(plan, settings, std::move(channels))) {}
ZoomEstimator::~ZoomEstimator() = default;
ZoomEstimator::ZoomEstimator(ZoomEstimator&&) noexcept = default;

void ZoomEstimator::add(const Block& block) {
  Inner& in = *inner_;
  in.begun = true;
  in.complex = block.complex();
  in.gaps = in.gaps || block.gaps();
  in.shift.add(block);
  in.hand_on();
}

std::vector<Spectrum> ZoomEstimator::result() {
  Inner& in = *inner_;
  if (in.begun) {
    in.shift.finish();
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
