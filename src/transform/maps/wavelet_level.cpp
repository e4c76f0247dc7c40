// wavelet_level.cpp: see wavelet_level.h.
//
// W_f(t) = sum_k X[k] psi(k df / f) exp(2 pi i k t / N) over a stretch of N samples. Only the bins where psi
// is not nothing are kept; an inverse transform of M points, M a power of two beyond twice their number, then
// gives W at every N/M-th sample without error.
#include "transform/maps/wavelet_level.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "base/error.h"
#include "base/machine/clones.h"
#include "base/machine/side_by_side.h"
#include "base/text.h"

namespace vprism {

namespace {

VPRISM_WIDE void weigh(const std::complex<double>* x, const double* gain, std::size_t count,
                       std::complex<double>* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = {x[k].real() * gain[k], x[k].imag() * gain[k]};
}

/// The same times a slope that grows from bin to bin.
void weigh_sloped(const std::complex<double>* x, const double* gain, std::size_t count, double first,
                  double step, std::complex<double>* out) {
  for (std::size_t k = 0; k < count; ++k) {
    const double g = gain[k] * (first + step * static_cast<double>(k));
    out[k] = {x[k].real() * g, x[k].imag() * g};
  }
}

VPRISM_WIDE void squares_in(const std::complex<double>* w, std::size_t count, double* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = w[k].real() * w[k].real() + w[k].imag() * w[k].imag();
}

VPRISM_WIDE void keep_greater(const double* x, std::size_t count, double* top) {
  for (std::size_t k = 0; k < count; ++k) top[k] = x[k] > top[k] ? x[k] : top[k];
}

double greatest_square(const std::complex<double>* w, std::size_t count) {
  constexpr std::size_t piece = 64;
  if (count < piece) {
    double top = 0;
    for (std::size_t k = 0; k < count; ++k)
      top = std::max(top, w[k].real() * w[k].real() + w[k].imag() * w[k].imag());
    return top;
  }
  double squares[piece] = {}, top[piece] = {};
  for (std::size_t at = 0; at < count; at += piece) {
    const std::size_t many = std::min(piece, count - at);
    squares_in(w + at, many, squares);
    keep_greater(squares, many, top);
  }
  return *std::max_element(top, top + piece);
}

}  // namespace

WaveletLevel::WaveletLevel(const ScalogramPlan& plan, const ScalogramSettings& settings, double rate_hz,
                           std::size_t from, std::size_t to, std::size_t size)
    : plan_(plan),
      rate_(rate_hz),
      size_(size),
      reach_(reach_at(plan, rate_hz, plan.frequency_hz[from])),
      squeezed_(settings.squeezed),
      fft_(size),
      scratch_([size] { return Scratch(size); }) {
  const double df = rate_hz / static_cast<double>(size);
  for (std::size_t row = from; row < to; ++row) {
    Voice voice;
    voice.row = row;
    const double hz = plan.frequency_hz[row];
    const auto low = static_cast<std::size_t>(std::ceil(plan.figures.low * hz / df));
    const auto high = std::min(size / 2, static_cast<std::size_t>(plan.figures.high * hz / df));
    voice.first = low;
    for (std::size_t k = low; k <= high; ++k)
      voice.gain.push_back(settings.wavelet.at(static_cast<double>(k) * df / hz) / static_cast<double>(size));
    // Twice as many points as the band needs hold every hump of the squares; those of voices that are
    // sampled more coarsely than the map's columns are joined by straight lines, and get four times as
    // many.
    voice.points = std::min(size, std::bit_ceil(4 * std::max<std::size_t>(voice.gain.size(), 8)));
    if (settings.squeezed) voice.points = size;
    voices_.push_back(std::move(voice));
  }
}

std::size_t WaveletLevel::reach_at(const ScalogramPlan& plan, double rate_hz, double hz) {
  const double reach = std::ceil(plan.figures.reach * rate_hz / hz);
  if (!(reach < 1e12))
    throw Error(Status::analysis, "a wavelet at " + format_quantity(hz, "Hz") +
                                      " is longer than any record; ask for a higher span");
  return static_cast<std::size_t>(reach) + 2;
}

template <typename Work>
void WaveletLevel::for_voices(bool one_by_one, const Work& work) const {
  for_all(!one_by_one, voices_.size(), [&](std::size_t v) { work(v, inverses_.local()); });
}

const std::complex<double>* WaveletLevel::voice_back(const Voice& voice, const Scratch& scratch,
                                                     Inverses& inverses, double slope_per_bin) const {
  Inverse& inverse = inverses.try_emplace(voice.points, voice.points).first->second;
  // The band's bins lie side by side, or in two parts where they pass the end of the inverse's.
  const std::size_t count = voice.gain.size(), start = voice.first & (voice.points - 1),
                    head = std::min(count, voice.points - start);
  std::complex<double>* const in = inverse.in.data();
  const auto put = [&](std::size_t from, std::size_t many, std::size_t to) {
    if (slope_per_bin > 0)
      weigh_sloped(scratch.bins.data() + voice.first + from, voice.gain.data() + from, many,
                   slope_per_bin * static_cast<double>(voice.first + from), slope_per_bin, in + to);
    else
      weigh(scratch.bins.data() + voice.first + from, voice.gain.data() + from, many, in + to);
  };
  put(0, head, start);
  put(head, count - head, 0);
  // Nothing in the rest.
  if (head == count) {
    std::fill(in, in + start, std::complex<double>{});
    std::fill(in + start + count, in + voice.points, std::complex<double>{});
  } else {
    std::fill(in + (count - head), in + start, std::complex<double>{});
  }
  inverse.fft.back(inverse.in, inverse.out);
  return inverse.out.data();
}

/// Column of a sample of this level. Half a sample of the record's own is added, so that rounding does not
/// put one that stands on an edge before it.
std::size_t WaveletLevel::column_of(std::size_t sample, const LevelMap& map) const {
  const double at = (static_cast<double>(sample) + half_sample()) / (map.step_s * rate_);
  return std::min(map.columns - 1, static_cast<std::size_t>(at));
}
/// The first sample beyond a column.
std::size_t WaveletLevel::end_of(std::size_t column, const LevelMap& map) const {
  if (column + 1 == map.columns) return SIZE_MAX / 2;
  return static_cast<std::size_t>(
      std::max(0.0, std::ceil(static_cast<double>(column + 1) * map.step_s * rate_ - half_sample())));
}

void WaveletLevel::transform(Scratch& scratch, Stretch stretch, LevelMap& map, bool one_by_one) const {
  const std::size_t begin = column_of(stretch.done, map);
  scratch.ends.clear();
  for (std::size_t column = begin;
       scratch.ends.empty() || scratch.ends.back() < stretch.done + stretch.samples; ++column)
    scratch.ends.push_back(end_of(column, map));
  for_voices(one_by_one, [&](std::size_t v, Inverses& inverses) {
    const Voice& voice = voices_[v];
    const std::complex<double>* const w = voice_back(voice, scratch, inverses, 0);
    const std::size_t stride = size_ / voice.points;
    // The stretch begins `reach_` before sample `done`; points lie at its samples 0, stride, ...
    const std::size_t first = (reach_ + stride - 1) / stride, last = (reach_ + stretch.samples - 1) / stride;
    float* const row = &map.power[voice.row * map.columns];
    // `stride` is a power of two.
    const int shift = std::countr_zero(stride);
    std::size_t n = first;
    for (std::size_t i = 0; i < scratch.ends.size() && n <= last; ++i) {
      const std::size_t stop =
          std::min((scratch.ends[i] + reach_ - stretch.done + stride - 1) >> shift, last + 1);
      if (stop <= n) continue;
      const auto level = static_cast<float>(greatest_square(w + n, stop - n) / 2);
      float& cell = row[begin + i];
      cell = std::isnan(cell) ? level : std::max(cell, level);
      n = stop;
    }
  });
}

/// What the voices read is added up where their phases' speeds say; then the greatest of each column.
void WaveletLevel::squeeze(Scratch& scratch, Stretch stretch, LevelMap& map, bool one_by_one) const {
  const std::size_t rows = plan_.frequency_hz.size(), samples = stretch.samples;
  scratch.sums.assign(rows * samples, 0.0F);
  scratch.targets.resize(voices_.size());
  const double bin_hz = rate_ / static_cast<double>(size_), scale = 2 / plan_.figures.integral * plan_.step;
  const double bottom = std::log(plan_.frequency_hz.front());
  for_voices(one_by_one, [&](std::size_t v, Inverses& inverses) {
    const Voice& voice = voices_[v];
    std::vector<std::pair<float, float>>& out = scratch.targets[v];
    out.resize(samples);
    const std::complex<double>* const w = voice_back(voice, scratch, inverses, 0);
    for (std::size_t n = 0; n < samples; ++n) {
      const std::complex<double> x = w[reach_ + n];
      out[n] = {static_cast<float>(x.real()), static_cast<float>(x.imag())};
    }
    const std::complex<double>* const slope = voice_back(voice, scratch, inverses, bin_hz);
    for (std::size_t n = 0; n < samples; ++n) {
      const std::complex<double> x(out[n].first, out[n].second);
      const double square = std::norm(x);
      // The derivative over 2 pi i, divided by W: the speed of its phase in Hz.
      const double hz = square > 0 ? (slope[reach_ + n] * std::conj(x)).real() / square : 0;
      const double row = hz > 0 ? (std::log(hz) - bottom) / plan_.step : -1;
      out[n] = {static_cast<float>(row), static_cast<float>(std::sqrt(square) * scale)};
    }
  });
  for (const auto& target : scratch.targets)
    for (std::size_t n = 0; n < samples; ++n) {
      const float at = std::round(target[n].first);
      if (at >= 0 && at < static_cast<float>(rows))
        scratch.sums[static_cast<std::size_t>(at) * samples + n] += target[n].second;
    }
  for (std::size_t row = 0; row < rows; ++row)
    for (std::size_t n = 0; n < samples; ++n) {
      const float sum = scratch.sums[row * samples + n];
      if (sum == 0) continue;
      float& cell = map.at(row, column_of(stretch.done + n, map));
      const float level = sum * sum / 2;
      cell = std::isnan(cell) ? level : std::max(cell, level);
    }
}

void WaveletLevel::count(std::int64_t stretches, std::vector<ScalogramEstimator::Transforms>& out) const {
  out.push_back({size_, true, stretches});
  for (const Voice& voice : voices_)
    out.push_back({voice.points, false, squeezed_ ? 2 * stretches : stretches});
}

void WaveletLevel::Course::add(std::span<const double> samples, LevelMap& map, bool one_by_one) {
  ends_.add(samples, line_);
  run(map, false, one_by_one);
}

void WaveletLevel::Course::finish(LevelMap& map, bool one_by_one) {
  ends_.finish(line_);
  run(map, true, one_by_one);
}

void WaveletLevel::Course::run(LevelMap& map, bool ended, bool one_by_one) {
  const std::size_t size = level_.size_, reach = level_.reach_, whole = size - 2 * reach;
  if (line_.size() < size && !ended) return;
  Scratch& scratch = level_.scratch_.local();
  while (line_.size() >= size || (ended && line_.size() > 2 * reach)) {
    const std::size_t have = std::min(size, line_.size());
    std::copy(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(have), scratch.time.data());
    std::fill(scratch.time.data() + have, scratch.time.data() + size, 0.0);
    level_.fft_.run(scratch.time, scratch.bins);
    ++stretches_;
    const Stretch stretch{done_, std::min(whole, have - 2 * reach)};
    level_.squeezed_ ? level_.squeeze(scratch, stretch, map, one_by_one)
                     : level_.transform(scratch, stretch, map, one_by_one);
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(stretch.samples));
    done_ += stretch.samples;
  }
}

}  // namespace vprism
