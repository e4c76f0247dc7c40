// segment_transform.cpp: see segment_transform.h.
#include "transform/spectra/segment_transform.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/machine/clones.h"
#include "base/machine/large_pages.h"
#include "transform/windows/tapers.h"

namespace vprism {

namespace {

VPRISM_WIDE void weigh(const double* w, const double* x, std::size_t count, double* out) {
  for (std::size_t n = 0; n < count; ++n) out[n] = w[n] * x[n];
}

/// Into the real and imaginary parts in turn.
VPRISM_WIDE void weigh_pairs(const double* w, const double* re, const double* im, std::size_t count,
                             double* out) {
  for (std::size_t n = 0; n < count; ++n) out[2 * n] = w[n] * re[n], out[2 * n + 1] = w[n] * im[n];
}
VPRISM_WIDE void weigh_alone(const double* w, const double* x, std::size_t count, double* out) {
  for (std::size_t n = 0; n < count; ++n) out[2 * n] = w[n] * x[n], out[2 * n + 1] = 0;
}

/// Samples of a window that is made in parts.
constexpr std::size_t window_part = 4096;

/// Rough cost of a complex transform, for comparison.
double cost(double points) { return points * std::log2(std::max(2.0, points)); }

}  // namespace

SegmentTransform::SegmentTransform(const SpectrumPlan& plan, const SpectrumSettings& settings, bool complex)
    : plan_(plan), settings_(settings), complex_(complex), transform_(plan.segment * settings.pad) {
  tapers_ = std::max<std::size_t>(1, settings.tapers);
  if (plan.averages == 1 && plan.segment > (1 << 20) && settings.tapers == 0 && !complex &&
      settings.pad == 1 && settings.window.kind != WindowKind::slepian) {
    std::tie(first_sum_, squares_) = window_sums(settings.window, plan.segment);
    sum_squares_ = first_sum_ * first_sum_;
  } else if (settings.tapers > 0)
    windows_ = prolate_tapers(plan.segment, settings.half_bandwidth, settings.tapers);
  else
    windows_.push_back(make_window(settings.window, plan.segment));
  for (const auto& window : windows_) {
    double sum = 0;
    for (const double w : window) sum += w, squares_ += w * w;
    sum_squares_ += sum * sum;
    if (&window == &windows_.front()) first_sum_ = sum;
  }
  const auto points = static_cast<double>(transform_);
  bins_ = complex ? transform_ : transform_ / 2 + 1;
  if (complex) start_bins_ = -std::floor(points / 2);
  if (settings.pad > 1 && settings.band) {
    // Only a part of the bins, if that costs less than all of them.
    const double bin_hz = plan.rate_hz / points,
                 margin = complex ? 0 : 8.0 * static_cast<double>(settings.pad);
    const double low = std::max(std::ceil(settings.band->first / bin_hz), complex ? start_bins_ : margin);
    const double high =
        std::min(std::floor(settings.band->second / bin_hz), points / 2 - std::max(1.0, margin));
    const double count = high - low + 1;
    if (count >= 4 &&
        2 * cost(static_cast<double>(ChirpZ::points_for(plan.segment, static_cast<std::size_t>(count)))) <
            cost(points) / (complex ? 1 : 2)) {
      bins_ = static_cast<std::size_t>(count);
      start_bins_ = low;
      chirp_ = std::make_unique<ChirpZ>(plan.segment, bins_, low / points, 1 / points);
      return;
    }
  }
  if (complex)
    complex_fft_ = std::make_unique<ComplexFft>(transform_);
  else
    real_ = std::make_unique<RealFft>(transform_);
}

SegmentTransform::Scratch SegmentTransform::scratch() const {
  const std::size_t line = chirp_ ? chirp_->points() : transform_;
  return {FftArray<double>(real_ && !in_place() ? transform_ : 0),
          FftArray<std::complex<double>>(real_ ? 0 : line),
          FftArray<std::complex<double>>(real_ ? bins_ : line)};
}

const std::complex<double>* SegmentTransform::run(const double* re, const double* im, std::size_t taper,
                                                  Scratch& mine) const {
  const double* const w = windows_[taper].data();
  if (real_ && in_place()) {
    auto* const line = reinterpret_cast<double*>(mine.out.data());
    weigh(w, re, plan_.segment, line);
    std::fill(line + plan_.segment, line + transform_, 0.0);
    real_->run_in_place(mine.out.data());
    return mine.out.data();
  }
  if (real_) {
    weigh(w, re, plan_.segment, mine.real.data());
    real_->run(mine.real, mine.out);
    return mine.out.data();
  }
  auto* const in = reinterpret_cast<double*>(mine.in.data());
  complex_ ? weigh_pairs(w, re, im, plan_.segment, in) : weigh_alone(w, re, plan_.segment, in);
  if (chirp_) {
    chirp_->run(mine.in, mine.out);
    return mine.in.data();
  }
  complex_fft_->run(mine.in, mine.out);
  return mine.out.data();
}

void SegmentTransform::run_alone(const double* re, std::vector<std::complex<double>>& values) const {
  reserve_large(values, bins_);
  values.resize(bins_);
  auto* const line = reinterpret_cast<double*>(values.data());
  std::vector<double> part(window_part);
  for (std::size_t at = 0; at < plan_.segment; at += window_part) {
    const std::size_t count = std::min(window_part, plan_.segment - at);
    make_window_part(settings_.window, plan_.segment, at, count, part.data());
    weigh(part.data(), re + at, count, line + at);
  }
  real_->run_in_place(values.data());
}

Spectrum SegmentTransform::blank() const {
  Spectrum spectrum;
  spectrum.plan = plan_;
  spectrum.window = settings_.window;
  spectrum.average = settings_.average;
  spectrum.tapers = settings_.tapers;
  spectrum.two_sided = complex_;
  spectrum.transform = transform_;
  spectrum.start_bins = start_bins_;
  spectrum.plan.bin_hz = plan_.rate_hz / static_cast<double>(transform_);
  spectrum.enbw_bins = static_cast<double>(transform_) * squares_ / sum_squares_;
  spectrum.plan.rbw_hz = spectrum.enbw_bins * spectrum.plan.bin_hz;
  return spectrum;
}

std::size_t SegmentTransform::turn() const {
  // Bins from the middle on are those below the centre.
  return complex_ && !chirp_ ? transform_ - transform_ / 2 : 0;
}

template <typename T>
void SegmentTransform::by_frequency(std::vector<T>& values) const {
  if (!values.empty())
    std::rotate(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(turn()), values.end());
}

void SegmentTransform::to_power(std::vector<double>& squares, double segments) const {
  by_frequency(squares);
  const Spectrum grid = blank();
  const double scale = 1 / (sum_squares_ * segments);
  for (std::size_t k = 0; k < squares.size(); ++k) squares[k] *= grid.crest(k) * scale;
}

void SegmentTransform::to_amplitude(std::vector<std::complex<double>>& values) const {
  by_frequency(values);
  const double scale = 1 / first_sum_;
  for (std::complex<double>& v : values) v = {v.real() * scale, v.imag() * scale};
}

double SegmentTransform::noise_averages(std::int64_t averages) const {
  // 1/J_eff = (1/J) [1 + 2 sum_m (1 - m/J) c_m^2], c_m = sum w[n] w[n + m hop] / sum w^2 (Welch 1967). Tapers
  // are independent of each other; overlap is worth what it is for the first of them.
  if (windows_.empty()) return 1;
  const std::vector<double>& w = windows_.front();
  double square = 0;
  for (const double x : w) square += x * x;
  const auto count = static_cast<double>(averages);
  double sum = 1;
  for (std::size_t m = 1; m * plan_.hop < plan_.segment && static_cast<std::int64_t>(m) < averages; ++m) {
    double c = 0;
    for (std::size_t n = 0; n + m * plan_.hop < plan_.segment; ++n) c += w[n] * w[n + m * plan_.hop];
    c /= square;
    sum += 2 * (1 - static_cast<double>(m) / count) * c * c;
  }
  return static_cast<double>(windows_.size()) * count / sum;
}

}  // namespace vprism
